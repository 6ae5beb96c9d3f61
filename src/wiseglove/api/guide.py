"""The guide: a page for each step of the work, written in docs/guide and shown by the application itself."""

from __future__ import annotations

import re
from pathlib import Path

from fastapi import APIRouter, Response
from fastapi.responses import FileResponse
from markdown_it import MarkdownIt

from wiseglove.api.schemas import Answer
from wiseglove.store.errors import NotFoundError

router = APIRouter(prefix="/api/guide", tags=["guide"])
DOCS = Path(__file__).resolve().parents[3] / "docs"
"""The documents of this checkout."""
NAME = re.compile(r"[a-z0-9-]{1,60}")
_WRITER = MarkdownIt("commonmark", {"html": False})


class GuidePage(Answer):
    """A page's name and title."""

    name: str
    title: str


class GuideText(GuidePage):
    """A page as HTML, made of our own documents only; links lead to other pages by their names."""

    html: str


def _title(text: str, name: str) -> str:
    first = text.lstrip().splitlines()[0] if text.strip() else ""
    return first.removeprefix("# ").strip() or name


@router.get("")
def list_guide() -> list[GuidePage]:
    """All pages, in the order of the work; none where the documents are not there."""
    pages = sorted((DOCS / "guide").glob("*.md"))
    return [GuidePage(name=p.stem, title=_title(p.read_text(), p.stem)) for p in pages]


@router.get("/pictures/{name}", response_class=FileResponse)
def read_guide_picture(name: str) -> Response:
    """A picture of the guide."""
    path = DOCS / "screenshots" / f"{name.removesuffix('.png')}.png"
    if not NAME.fullmatch(name.removesuffix(".png")) or not path.is_file():
        raise NotFoundError("There is no such picture in the guide.")
    return FileResponse(path, media_type="image/png")


@router.get("/pages/{name}")
def read_guide(name: str) -> GuideText:
    """One page."""
    path = DOCS / "guide" / f"{name}.md"
    if not NAME.fullmatch(name) or not path.is_file():
        raise NotFoundError("There is no such page in the guide. Go to its first page.")
    text = path.read_text()
    html = _WRITER.render(text)
    html = html.replace('src="../screenshots/', 'src="/api/guide/pictures/')
    html = re.sub(r'href="([a-z0-9-]+)\.md"', r'href="/guide/\1"', html)
    return GuideText(name=name, title=_title(text, name), html=html)
