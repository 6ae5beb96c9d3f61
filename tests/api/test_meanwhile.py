"""Several hands on one shot: what is about other things goes on top, what is about the same is refused by name."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import edit
from tests.builders import HAND, PANE, SQUARE, draft
from tests.strategies import blob
from wiseglove.shot.keys import as_points

PLACED = {"type": "add-pane", "id": PANE, "frame": 1001, "corners": SQUARE, "name": "Screen"}


@pytest.fixture
def drawn(client: TestClient, shot: str) -> str:
    edit(client, shot, **PLACED)
    edit(client, shot, type="add-cover", outline_id=HAND, frame=1001, outline=draft().model_dump(), name="Hand")
    edit(client, shot, type="set-key", element=HAND, frame=1009)
    return shot


def send(client: TestClient, shot: str, revision: int, body: dict[str, Any], edit_id: str | None = None) -> Any:
    return client.post(f"/api/shots/{shot}/edits", json={"revision": revision, "edit": body, "id": edit_id})


def point(frame: int, index: int, seed: int = 3) -> dict[str, Any]:
    return {"type": "shape-points", "element": HAND, "frame": frame, "points": {index: as_points(blob(seed))[index]}}


def cover_of(client: TestClient, shot: str) -> str:
    elements = client.get(f"/api/shots/{shot}").json()["elements"].values()
    return str(next(e["id"] for e in elements if e["kind"] == "cover"))


def test_what_is_about_other_things_goes_on_top_and_the_answer_brings_up_to_date(
    client: TestClient, drawn: str
) -> None:
    assert send(client, drawn, 3, point(1001, 2)).is_success
    late = send(client, drawn, 3, {"type": "set-pane", "pane": PANE, "opacity": 0.5})
    assert late.status_code == 200
    change = late.json()
    assert (change["since"], change["revision"]) == (3, 5)
    assert change["others"] == ["Moved 1 point of Hand, frame 1001"]
    assert {HAND, PANE} <= set(change["elements"])
    assert change["elements"][PANE]["opacity"] == 0.5
    assert HAND in change["geometry"]


SAME: list[tuple[dict[str, Any], dict[str, Any]]] = [
    (point(1001, 2), point(1001, 2, 4)),
    ({"type": "set-pane", "pane": PANE, "opacity": 0.5}, {"type": "set-pane", "pane": PANE, "opacity": 0.7}),
    ({"type": "set-shot", "name": "One"}, {"type": "set-shot", "name": "Two"}),
    ({"type": "move-keys", "element": HAND, "frames": [1009], "by": -2}, point(1009, 1)),
    ({"type": "insert-point", "outline": HAND, "segment": 1, "t": 0.5}, point(1005, 1)),
    (point(1001, 2), {"type": "delete", "element": HAND}),
]


@pytest.mark.parametrize(("first", "second"), SAME)
def test_what_is_about_the_same_is_refused_by_what_was_changed(
    client: TestClient, drawn: str, first: dict[str, Any], second: dict[str, Any]
) -> None:
    done = send(client, drawn, 3, first)
    late = send(client, drawn, 3, second)
    assert late.status_code == 409
    problem = late.json()
    assert problem["by"] == [done.json()["label"]]
    assert done.json()["label"] in problem["detail"]
    assert problem["state"]["revision"] == 4


APART: list[tuple[dict[str, Any], dict[str, Any]]] = [
    (point(1001, 2), point(1001, 3)),
    (point(1001, 2), point(1005, 2)),
    ({"type": "ease-keys", "element": HAND, "frames": [1001], "ease": "hold"}, point(1001, 4)),
    ({"type": "set-shot", "name": "One"}, {"type": "set-shot", "mixing": "encoded"}),
    ({"type": "set-pane", "pane": PANE, "opacity": 0.5}, {"type": "set-pane", "pane": PANE, "radius": 0.1}),
    (PLACED | {"id": "other"}, PLACED | {"id": "third"}),
]


@pytest.mark.parametrize(("first", "second"), APART)
def test_two_changes_of_different_parts_are_both_kept(
    client: TestClient, drawn: str, first: dict[str, Any], second: dict[str, Any]
) -> None:
    """As one after the other would have left it."""
    assert send(client, drawn, 3, first).is_success
    late = send(client, drawn, 3, second)
    assert late.status_code == 200, late.text
    together = client.get(f"/api/shots/{drawn}").json()
    for step in (4, 5):
        assert client.post(f"/api/shots/{drawn}/undo", json={"revision": step + 1}).is_success
    for body, revision in ((first, 7), (second, 8)):
        assert send(client, drawn, revision, body).is_success
    after = client.get(f"/api/shots/{drawn}").json()
    assert after["elements"] == together["elements"]


def test_riding_over_a_shape_that_was_changed_meanwhile_is_refused(client: TestClient, drawn: str) -> None:
    edit(client, drawn, type="add-hand-carrier", frame=1001, corners=SQUARE, id="wrist")
    edit(
        client,
        drawn,
        type="set-by-hand",
        carrier="wrist",
        frame=1009,
        how="bridge",
        corners=[[x + 9, y] for x, y in SQUARE],
    )
    edit(client, drawn, **point(1009, 1))
    late = send(client, drawn, 5, {"type": "ride", "elements": [cover_of(client, drawn)], "carrier": "wrist"})
    assert late.status_code == 409
    assert late.json()["by"] == ["Moved 1 point of Hand, frame 1009"]


def test_an_edit_that_comes_twice_is_made_once(client: TestClient, drawn: str) -> None:
    """As when its answer was lost and the page sends it again."""
    body = {"type": "shift-covers", "covers": [cover_of(client, drawn)], "frame": 1001, "dx": 5.0, "dy": 0.0}
    once = send(client, drawn, 3, body, "page-1")
    assert once.json()["revision"] == 4
    between = send(client, drawn, 4, {"type": "set-pane", "pane": PANE, "opacity": 0.5}, "page-2")
    assert between.is_success
    again = send(client, drawn, 3, body, "page-1")
    assert again.status_code == 200
    assert again.json()["revision"] == 5
    assert again.json()["label"] == once.json()["label"]
    assert again.json()["others"] == [between.json()["label"]]
    assert again.json()["geometry"][HAND] == once.json()["geometry"][HAND]
    undone = client.post(f"/api/shots/{drawn}/undo", json={"revision": 5, "id": "page-3"})
    assert (
        client.post(f"/api/shots/{drawn}/undo", json={"revision": 5, "id": "page-3"}).json()["label"]
        == undone.json()["label"]
    )
    assert client.get(f"/api/shots/{drawn}").json()["revision"] == 6


def test_a_page_asks_for_what_it_missed(client: TestClient, drawn: str) -> None:
    nothing = client.get(f"/api/shots/{drawn}/changes", params={"since": 3}).json()
    assert (nothing["revision"], nothing["elements"], nothing["frames"]) == (3, {}, None)
    edit(client, drawn, **point(1009, 1))
    edit(client, drawn, type="delete", element=PANE)
    missed = client.get(f"/api/shots/{drawn}/changes", params={"since": 3}).json()
    assert missed["revision"] == 5
    assert missed["elements"][PANE] is None
    assert missed["elements"][HAND]["kind"] == "outline"
    assert missed["others"] == ["Moved 1 point of Hand, frame 1009", "Deleted Screen"]
    unknown = client.get(f"/api/shots/{drawn}/changes", params={"since": 99})
    assert unknown.status_code == 409
    assert unknown.json()["state"]["revision"] == 5
