"""The guide: its pages are there, lead to each other, and nothing else is read by their names."""

from __future__ import annotations

import re

import pytest
from fastapi.testclient import TestClient


def test_all_pages_are_there_in_the_order_of_the_work_and_their_links_lead_somewhere(client: TestClient) -> None:
    pages = client.get("/api/guide").json()
    assert [p["name"][0] for p in pages] == [str(n) for n in range(1, len(pages) + 1)]
    names = {p["name"] for p in pages}
    for page in pages:
        text = client.get(f"/api/guide/pages/{page['name']}").json()
        assert text["title"] == page["title"]
        assert f"<h1>{page['title']}</h1>" in text["html"]
        for link in re.findall(r'href="([^"]+)"', text["html"]):
            assert link.removeprefix("/guide/") in names
        pictures = re.findall(r'src="([^"]+)" alt="([^"]+)"', text["html"])
        assert all(client.get(source).headers["content-type"] == "image/png" for source, _ in pictures)
        assert len(pictures) == text["html"].count("<img")


@pytest.mark.parametrize("name", ["none", "..%2F..%2FREADME", "1-take-in.md", "%00", "A" * 80])
def test_nothing_else_is_read(client: TestClient, name: str) -> None:
    for place in ("pages", "pictures"):
        answer = client.get(f"/api/guide/{place}/{name}")
        assert answer.status_code in {400, 404}
        assert "Traceback" not in answer.text
