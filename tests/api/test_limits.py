"""Requests at the edge of what is taken: each is done or refused in words, and what is done can be read by anybody."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import edit, send
from tests.builders import write_sequence
from wiseglove.settings import Settings
from wiseglove.shot.basics import FAR
from wiseglove.store import shots
from wiseglove.store.database import Database

SQUARE = [[20.0, 20.0], [80.0, 20.0], [80.0, 70.0], [20.0, 70.0]]


def points(corners: list[list[float]]) -> list[list[float]]:
    return [[*corner, 0, 0, 0, 0] for corner in corners]


def drawn(client: TestClient, shot: str, **what: Any) -> str:
    outline = {"kinds": ["corner"] * 4, "points": points(SQUARE)}
    edit(client, shot, type="add-cover", frame=1001, outline=outline, outline_id="hand", **what)
    return "hand"


@pytest.fixture
def opened(settings: Settings) -> Callable[[str], Any]:
    """A shot as a process reads it that has just started."""

    def read(shot: str) -> Any:
        database = Database(settings.database_url)
        with database.transaction() as session:
            found = shots.load(session, shot)
        database.close()
        return found

    return read


def test_names_as_long_as_they_may_be(client: TestClient, shot: str, opened: Callable[[str], Any]) -> None:
    name = "L" * 80
    drawn(client, shot, name=name)
    cover = next(e["id"] for e in client.get(f"/api/shots/{shot}").json()["elements"].values() if e["kind"] == "cover")
    edit(client, shot, type="duplicate", cover=cover)
    outline = {"kinds": ["corner"] * 4, "points": points(SQUARE)}
    edit(client, shot, type="add-cover", frame=1001, outline=outline, name=name)
    names = {cover.name for cover in opened(shot).covers}
    assert len(names) == 3
    assert max(map(len, names)) <= 80


def test_fresh_of_fresh_of_fresh(client: TestClient, shot: str, opened: Callable[[str], Any]) -> None:
    edit(client, shot, type="set-shot", name="N" * 78)
    for _ in range(10):
        shot = client.post(f"/api/shots/{shot}/fresh").json()["id"]
    names = [card["name"] for card in client.get("/api/shots").json()]
    assert len(set(names)) == 11
    assert opened(shot).settings.name in names


@pytest.mark.parametrize("far", [FAR, -FAR])
@pytest.mark.parametrize("kind", ["add-carrier", "add-region", "add-joint", "add-pane", "add-cover"])
def test_places_as_far_out_as_they_may_be(
    client: TestClient, shot: str, opened: Callable[[str], Any], far: float, kind: str
) -> None:
    edit(client, shot, type="add-carrier", frame=1001, id="panel", patch=points(SQUARE))
    outline = drawn(client, shot)
    out = [[far, far], [far / 2, far], [far / 2, far / 2], [far, far / 2]]
    body: dict[str, Any] = {
        "add-carrier": {"frame": 1001, "patch": points(out)},
        "add-region": {"carrier": "panel", "frame": 1001, "points": points(out), "kind": "patch"},
        "add-joint": {"outline": outline, "frame": 1001, "line": [[far, far], [-far, -far]]},
        "add-pane": {"frame": 1001, "corners": out},
        "add-cover": {"frame": 1001, "outline": {"kinds": ["corner"] * 4, "points": points(out)}},
    }[kind]
    revision = client.get(f"/api/shots/{shot}").json()["revision"]
    answer = client.post(f"/api/shots/{shot}/edits", json={"revision": revision, "edit": {"type": kind, **body}})
    assert answer.status_code in (200, 422), answer.text
    assert opened(shot).revision == revision + (answer.status_code == 200)
    assert client.get(f"/api/shots/{shot}").status_code == 200


def test_a_carrier_by_hand_that_shrinks_a_hundredfold(
    client: TestClient, shot: str, opened: Callable[[str], Any]
) -> None:
    """What rides on it would lie beyond all bounds on its own first frame: refused, and undo goes on working."""
    edit(client, shot, type="add-carrier", frame=1001, id="panel", patch=points(SQUARE))
    outline = drawn(client, shot)
    pane = edit(client, shot, type="add-pane", frame=1001, corners=SQUARE, id="screen")
    small = [[50 + (x - 50) / 120, 45 + (y - 45) / 120] for x, y in SQUARE]
    asked = [
        {"type": "set-by-hand", "carrier": "panel", "frame": 1005, "corners": small, "how": "stitch"},
        {"type": "ride", "elements": [outline, "screen"], "carrier": "panel"},
        {"type": "shape-points", "element": outline, "frame": 1005, "points": {"0": [FAR / 10, FAR / 10, 0, 0, 0, 0]}},
        {
            "type": "shape-points",
            "element": "screen",
            "frame": 1005,
            "points": {"0": [-FAR / 10, -FAR / 10, 0, 0, 0, 0]},
        },
    ]
    revision = pane["revision"]
    for body in asked:
        answer = client.post(f"/api/shots/{shot}/edits", json={"revision": revision, "edit": body})
        assert answer.status_code in (200, 422), answer.text
        revision += answer.status_code == 200
        assert opened(shot).revision == revision
    while revision and client.get(f"/api/shots/{shot}").json()["undo"]:
        answer = client.post(f"/api/shots/{shot}/undo", json={"revision": revision})
        assert answer.status_code == 200, answer.text
        revision += 1
        assert opened(shot).revision == revision


def test_media_are_named_by_id_and_belong_to_the_shot(client: TestClient, shot: str, settings: Settings) -> None:
    edit(client, shot, type="add-pane", frame=1001, corners=SQUARE, id="screen")
    edit(client, shot, type="add-carrier", frame=1001, id="panel", patch=points(SQUARE))
    edit(client, shot, type="add-subject", frame=1001, id="who")
    for media in ("../intakes/x/source", "/etc", "..", "a" * 24, "A" * 24, ""):
        for body in (
            {"type": "set-pane", "pane": "screen", "insert": {"source": "media", "media": media}},
            {"type": "set-carrier", "carrier": "panel", "matte": media or "x"},
            {"type": "set-subject", "subject": "who", "key": {"source": "luma", "matte": media or "x"}},
        ):
            answer = client.post(f"/api/shots/{shot}/edits", json={"revision": 3, "edit": body})
            assert answer.status_code == 422, (body, answer.text)


def test_a_link_below_the_clips_leads_nowhere(client: TestClient, shot: str, settings: Settings) -> None:
    outside = settings.files / "outside"
    (outside / "full").mkdir(parents=True)
    (settings.media / ("b" * 24)).symlink_to(outside)
    media = client.get(f"/api/shots/{shot}").json()["plate"]["media"]
    assert client.get(f"/api/clips/{media}/full/0.jpg").status_code == 200
    (outside / "full" / "000000.jpg").write_bytes(b"secret")
    assert client.get(f"/api/clips/{'b' * 24}/full/0.jpg").status_code == 404


def test_an_intake_for_a_shot_that_is_not_there(client: TestClient) -> None:
    claim = {"files": [{"name": "a.png", "size": 1}], "shot": "nothere"}
    assert client.post("/api/intakes", json={**claim, "purpose": "insert"}).status_code == 404
    assert client.post("/api/intakes", json={**claim, "purpose": "plate"}).status_code == 201


def test_understanding_again_while_it_is_decoded_makes_no_second_shot(
    client: TestClient, work: Callable[[], None], tmp_path: Any
) -> None:
    intake = send(client, write_sequence(tmp_path, [1, 2, 3]))
    names = ("name", "first", "rate_num", "rate_den", "pixel_aspect")
    accept = {name: intake["understood"][name] for name in names}
    path = f"/api/intakes/{intake['id']}"
    assert client.post(f"{path}/accept", json=accept).status_code == 200
    assert client.post(f"{path}/understand").json()["state"] == "decoding"
    assert client.post(f"{path}/accept", json=accept).status_code == 409
    work()
    assert client.post(f"{path}/understand").json()["state"] == "done"
    work()
    assert len(client.get("/api/shots").json()) == 1


@pytest.mark.parametrize("tolerance", [1e-13, 0, -1, 1e9])
def test_thinning_out_takes_tolerances_that_can_be_seen(client: TestClient, shot: str, tolerance: float) -> None:
    outline = drawn(client, shot)
    answer = client.post(f"/api/shots/{shot}/thin", json={"outline": outline, "tolerance": tolerance})
    assert answer.status_code == 422


def test_a_scribble_of_ten_thousand_places_is_refused_at_once(client: TestClient) -> None:
    line = [float(v * 37 % 1000) for v in range(20_000)]
    client.post("/api/fit", json={"line": [0.0, 0.0, 90.0, 0.0, 90.0, 90.0, 0.0, 90.0], "tolerance": 1.0})
    started = time.monotonic()
    answer = client.post("/api/fit", json={"line": line, "tolerance": 1.0})
    assert answer.status_code == 422
    assert "Nothing was drawn" in answer.json()["detail"]
    assert time.monotonic() - started < 3
