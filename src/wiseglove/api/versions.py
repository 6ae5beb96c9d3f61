"""Versions of a shot, and how they look."""

from __future__ import annotations

from typing import Annotated, cast

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field
from sqlalchemy import select

from wiseglove.api.context import Ctx
from wiseglove.api.paging import LINKED, Page
from wiseglove.api.people import Author
from wiseglove.api.pictures import FOREVER, LookRequest, Size, kept_look
from wiseglove.api.schemas import Answer, ShotChange, json_of
from wiseglove.api.shots import EditId, finished
from wiseglove.shot.basics import LONGEST_NAME
from wiseglove.shot.edits import Edit
from wiseglove.shot.edits.restore import Restore
from wiseglove.shot.keys import check_frame
from wiseglove.shot.render import Look
from wiseglove.store import shots, versions
from wiseglove.store.tables import VersionRow

router = APIRouter(prefix="/api/shots/{shot_id}/versions", tags=["versions"])


class NewVersion(BaseModel):
    """What to call it, what to say about it, and the frame that its picture shows."""

    name: Annotated[str, Field(max_length=LONGEST_NAME)] = ""
    comment: Annotated[str, Field(max_length=4000)] = ""
    frame: int = 0


class Version(Answer):
    """A version of a shot."""

    number: int
    label: str
    name: str
    comment: str
    frame: int
    revision: int
    author: str | None
    made_at: str


def _as_version(row: VersionRow) -> Version:
    return Version(
        number=row.number, label=versions.label(row.number), name=row.name, comment=row.comment, frame=row.frame,
        revision=row.revision, author=row.author, made_at=row.made_at.isoformat(),
    )  # fmt: skip


@router.post("", status_code=201)
def make_version(shot_id: str, wanted: NewVersion, context: Ctx, author: Author) -> Version:
    """Keep the shot as it is now, for good."""
    with context.database.transaction() as session:
        return _as_version(versions.make(session, shot_id, wanted.name, wanted.comment, wanted.frame, author))


@router.get("", responses=LINKED)
def list_versions(shot_id: str, context: Ctx, page: Page) -> list[Version]:
    """All versions of a shot, the newest first."""
    with context.database.transaction() as session:
        shots.load(session, shot_id)
        query = select(VersionRow).where(VersionRow.shot == shot_id).order_by(VersionRow.number.desc())
        return [_as_version(row) for row in page.rows(session, query)]


@router.get("/{number}", response_class=Response)
def read_version(shot_id: str, number: int, context: Ctx) -> Response:
    """The whole shot as it was, as `GET /api/shots/{shot_id}` has it."""
    with context.database.transaction() as session:
        shot = versions.opened(session, shot_id, number)
    return Response(json_of(shot, shots.History(None, None)), media_type="application/json")


@router.get("/{number}/looks/{look}/{frame}", response_class=Response)
def read_version_look(
    shot_id: str,
    number: int,
    look: Look,
    frame: int,
    context: Ctx,
    size: Size = "proxy",
) -> Response:
    """A look of a frame as it was then; it never changes, so it may be kept for ever."""
    with context.database.transaction() as session:
        shot = versions.opened(session, shot_id, number)
    check_frame(shot.plate, frame)
    made = kept_look(context, shot, versions.label(number), look, frame, LookRequest(size=size))
    return Response(made.data, media_type=made.media_type, headers=FOREVER)


class RestoreRequest(BaseModel):
    """On top of which revision."""

    revision: int = Field(ge=0)
    id: EditId | None = None


@router.post("/{number}/restore")
def restore_version(shot_id: str, number: int, wanted: RestoreRequest, context: Ctx, author: Author) -> ShotChange:
    """Put the shot back to what it was in a version, as an edit that can be undone."""
    with context.database.transaction() as session:
        then = versions.opened(session, shot_id, number)
        edit = Restore(called=versions.label(number), elements=dict(then.elements))
        changed = shots.apply(session, shot_id, wanted.revision, cast(Edit, edit), wanted.id, author)
        return finished(session, changed)
