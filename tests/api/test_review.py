"""Where to look, over HTTP: verdicts come a little at a time, follow edits, and are told in words."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import edit
from tests.builders import draft
from wiseglove.shot.model import Outline

HAND = "hand0"


@pytest.fixture
def drawn(client: TestClient, shot: str) -> str:
    """A shot with a cover that has two keys."""
    outline = draft().model_dump(mode="json")
    edit(client, shot, type="add-cover", outline_id=HAND, frame=1001, outline=outline, name="Hand")
    edit(client, shot, type="set-key", element=HAND, frame=1003)
    return shot


def judged(client: TestClient, shot: str, **query: Any) -> dict[str, Any]:
    for _ in range(200):
        found = client.get(f"/api/shots/{shot}/review", params={"seconds": 1.0, **query}).json()
        if not found["left"]:
            return dict(found)
    raise AssertionError("it never ends")


def test_nothing_is_judged_until_it_is_asked_for_and_then_all_is(client: TestClient, drawn: str) -> None:
    first = client.get(f"/api/shots/{drawn}/review").json()
    count = first["left"]
    assert count == len(first["outlines"][HAND]["fault"])
    assert set(first["outlines"][HAND]["fault"]) == {None}
    done = judged(client, drawn)
    assert all(f is not None and f >= 0 for f in done["outlines"][HAND]["fault"])
    edit(client, drawn, type="set-key", element=HAND, frame=1005)  # the same shapes: nothing to judge but by other keys
    again = client.get(f"/api/shots/{drawn}/review").json()
    assert again["revision"] == done["revision"] + 1


def test_what_is_off_is_marked_on_its_frame_until_it_looks_right(client: TestClient, drawn: str) -> None:
    shape = client.get(f"/api/shots/{drawn}").json()["elements"][HAND]
    assert Outline.model_validate({**shape, "keys": []}).kinds
    found = client.get(f"/api/shots/{drawn}/review/frames/1002").json()
    assert found["frame"] == 1002
    for mark in found["marks"]:
        assert mark["outline"] == HAND
        assert len(mark["places"]) == len(mark["ghost"]) >= 2
    assert found["right"] == []
    edit(client, drawn, type="looks-right", outline=HAND, frame=1002)
    said = client.get(f"/api/shots/{drawn}/review/frames/1002").json()
    assert (said["marks"], said["right"]) == ([], [HAND])
    assert all(d["frame"] != 1002 for d in judged(client, drawn)["doubts"])


def test_boil_and_the_report(client: TestClient, drawn: str) -> None:
    detail = client.get(f"/api/shots/{drawn}/review/outlines/{HAND}").json()
    assert len(detail["boil"]) == len(detail["overlap"])
    judged(client, drawn)
    report = client.get(f"/api/shots/{drawn}/review/report").json()
    assert (report["left"], report["keys"], [o["cover"] for o in report["outlines"]]) == (0, 2, ["Hand"])


def test_notes_and_minutes_stand_in_the_report_and_in_the_shot_s_file(client: TestClient, drawn: str) -> None:
    for text in ("Open", "Done"):
        note = client.post(f"/api/shots/{drawn}/notes", json={"frame": 1002, "text": text}).json()
    client.patch(f"/api/shots/{drawn}/notes/{note['id']}", json={"done": True})
    client.post(f"/api/shots/{drawn}/time", json={"seconds": 90, "budget": 600})
    report = client.get(f"/api/shots/{drawn}/review/report").json()
    assert ([n["text"] for n in report["notes"]], report["seconds"], report["budget"]) == (["Open"], 90, 600)
    beside = client.get(f"/api/shots/{drawn}/file").json()["beside"]
    assert ([n["text"] for n in beside["notes"]], beside["seconds"], beside["budget"]) == (["Open", "Done"], 90, 600)


def test_what_was_carried_in_doubt_is_marked_and_pinned(client: TestClient, drawn: str) -> None:
    shape = client.get(f"/api/shots/{drawn}/copies/{HAND}").json()["outlines"][0]["keys"][0]["points"]
    edit(client, drawn, type="set-keys", outline=HAND, shapes={1006: shape}, doubtful={1006: [0]})
    marks = client.get(f"/api/shots/{drawn}/review/frames/1006").json()["marks"]
    assert any(0 in m["segments"] for m in marks)
    assert 1006 in [d["frame"] for d in client.get(f"/api/shots/{drawn}/review").json()["doubts"]]


def test_an_outline_is_carried_over_between_keys_that_look_right(client: TestClient, drawn: str) -> None:
    between = f"/api/shots/{drawn}/review/frames/{{}}/between/{HAND}"
    for frame in (1001, 1003):
        edit(client, drawn, type="looks-right", outline=HAND, frame=frame)
    found = client.get(between.format(1002))
    assert found.status_code == 200, found.text
    assert list(found.json()["shapes"]) == ["1002"]
    refused = client.get(between.format(1004))
    assert (refused.status_code, "frames after this one fits" in refused.json()["detail"]) == (422, True)


def test_what_cannot_be_looked_at_is_said(client: TestClient, drawn: str) -> None:
    refused: Callable[[str], Any] = lambda path: client.get(f"/api/shots/{drawn}/review{path}")  # noqa: E731
    outside = refused("/frames/5")
    assert (outside.status_code, "outside the plate" in outside.json()["detail"]) == (422, True)
    gone = refused("/outlines/none0")
    assert (gone.status_code, "not shown, or not in the shot" in gone.json()["detail"]) == (422, True)
    assert client.get("/api/shots/nothere/review").status_code == 404
    assert refused("?seconds=99").status_code == 422
