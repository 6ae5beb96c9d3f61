from __future__ import annotations

import base64
import io
import struct
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from sqlalchemy import text

from tests.builders import HAND, PANE, SQUARE, draft
from tests.strategies import blob
from wiseglove.api.app import create_app
from wiseglove.api.context import Context
from wiseglove.api.pictures import load_shot
from wiseglove.api.schemas import state_of
from wiseglove.api.shots import read_ahead
from wiseglove.core.compositing.pane import PREVIEW
from wiseglove.jobs.putting import Queue
from wiseglove.settings import Settings
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Outline
from wiseglove.shot.render import FrameScene
from wiseglove.store import shots
from wiseglove.store.database import Database
from wiseglove.store.looks import LookCache
from wiseglove.store.pictures import DisplayPictures
from wiseglove.store.tables import Base

Post = Callable[..., dict[str, Any]]


@pytest.fixture
def edit(client: TestClient, shot: str) -> Post:
    """Applies an edit on the newest revision; the answer."""

    def post(**body: Any) -> dict[str, Any]:
        revision = client.get(f"/api/shots/{shot}").json()["revision"]
        answer = client.post(f"/api/shots/{shot}/edits", json={"revision": revision, "edit": body})
        assert answer.status_code == 200, answer.text
        return dict(answer.json())

    return post


def draw(edit: Post) -> None:
    edit(type="add-pane", id=PANE, frame=1001, corners=SQUARE, name="Screen")
    edit(type="add-cover", outline_id=HAND, frame=1001, outline=draft().model_dump(), name="Hand")


def decoded(geometry: dict[str, Any]) -> np.ndarray:
    flat = np.frombuffer(base64.b64decode(geometry["data"]), "<f4")
    return flat.reshape(geometry["frames"], geometry["points"], 8)


def shape(frame: int, seed: int) -> dict[str, Any]:
    points = {str(i): p for i, p in enumerate(as_points(blob(seed)))}
    return {"type": "shape-points", "element": HAND, "frame": frame, "points": points}


def test_an_edit_answers_with_what_changed_and_its_evaluated_geometry(
    client: TestClient, shot: str, edit: Post, database: Database
) -> None:
    draw(edit)
    answer = edit(**shape(1007, 4))
    assert set(answer["elements"]) == {HAND} == set(answer["geometry"])
    assert answer["frames"] == [1002, 1010]
    assert answer["undo"] == "Moved whole Hand, frame 1007"
    with database.transaction() as session:
        loaded = shots.load(session, shot)
    outline = loaded.find(HAND, Outline)
    assert outline is not None
    expected = loaded.points_at(outline, np.arange(1001, 1008))
    assert np.abs(decoded(answer["geometry"][HAND]) - expected).max() < 1e-4
    state = client.get(f"/api/shots/{shot}").json()
    assert state["revision"] == 3
    assert state["geometry"][HAND] == {**answer["geometry"][HAND], "data": None}
    rows = client.get(f"/api/shots/{shot}/geometry", params={"revision": 3, "first": 1003, "last": 1004}).content
    in_order = (
        [np.frombuffer(rows, "<f4")[: 2 * 9 * 8].reshape(2, 9, 8)] if sorted(state["geometry"])[0] == HAND else []
    )
    assert in_order
    assert np.array_equal(in_order[0], decoded(answer["geometry"][HAND])[2:4])


def test_a_page_that_is_behind_gets_the_newer_state(client: TestClient, shot: str, edit: Post) -> None:
    draw(edit)
    edit(**shape(1003, 2))
    late = client.post(f"/api/shots/{shot}/edits", json={"revision": 2, "edit": shape(1003, 1)})
    assert late.status_code == 409
    assert late.headers["content-type"] == "application/problem+json"
    assert late.json()["type"] == "overtaken"
    assert late.json()["by"] == ["Moved whole Hand, frame 1003"]
    assert late.json()["state"]["revision"] == 3
    assert client.post(f"/api/shots/{shot}/undo", json={"revision": 0}).status_code == 409


def test_undo_and_redo_over_the_wire_and_after_a_restart(
    client: TestClient, shot: str, edit: Post, settings: Settings
) -> None:
    draw(edit)
    edit(**shape(1007, 4))
    before = client.get(f"/api/shots/{shot}").json()["elements"]
    with TestClient(create_app(settings)) as restarted:
        for step, revision in (("undo", 3), ("undo", 4), ("redo", 5), ("redo", 6)):
            answer = restarted.post(f"/api/shots/{shot}/{step}", json={"revision": revision})
            assert answer.status_code == 200
        assert restarted.get(f"/api/shots/{shot}").json()["elements"] == before
        nothing = restarted.post(f"/api/shots/{shot}/redo", json={"revision": 7})
        assert nothing.status_code == 409
        assert nothing.json()["detail"] == "There is nothing to redo."


def pixels(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(data))).astype(int)


def test_looks_are_the_cores_pixels(
    client: TestClient, shot: str, edit: Post, database: Database, settings: Settings
) -> None:
    draw(edit)
    with database.transaction() as session:
        held = shots.load(session, shot)
    scene = FrameScene(held, 1004, DisplayPictures(settings.media), 1.0, PREVIEW)
    matte = pixels(client.get(f"/api/shots/{shot}/looks/matte/1004?size=full").content)
    assert (matte == scene.look("matte", scene.whole)).all()
    for look in ("composite", "cutout"):
        shown = pixels(client.get(f"/api/shots/{shot}/looks/{look}/1004?size=full").content)
        assert np.abs(shown - scene.look(look, scene.whole)).mean() < 3  # a JPEG of hard edges
    assert client.get(f"/api/shots/{shot}/looks/matte/1011").status_code == 404
    assert client.get(f"/api/shots/{shot}/looks/flat/1004").status_code == 422
    thumbnail = pixels(client.get(f"/api/shots/{shot}/thumbnails/{PANE}/1004").content)
    assert thumbnail.shape == (72, 96)
    assert thumbnail.max() == 255


def receive(socket: Any, message: dict[str, Any]) -> tuple[int, int, np.ndarray]:
    socket.send_json(message)
    data = socket.receive_bytes()
    left, top, width, height, channels, _ = struct.unpack("<6H", data[:12])
    shape = (height, width) if channels == 1 else (height, width, channels)
    return left, top, np.frombuffer(data[12:], np.uint8).reshape(shape)


@pytest.mark.parametrize("look", ["matte", "composite", "cutout"])
def test_live_boxes_patched_onto_the_look_are_the_look_once_stored(
    client: TestClient, shot: str, edit: Post, database: Database, settings: Settings, look: Any
) -> None:
    draw(edit)

    def whole() -> np.ndarray:
        with database.transaction() as session:
            held = shots.load(session, shot)
        scene = FrameScene(held, 1001, DisplayPictures(settings.media), 1.0, PREVIEW)
        return scene.look(look, scene.whole).copy()

    canvas = whole()
    with client.websocket_connect(f"/api/shots/{shot}/live") as socket:
        for seed in (11, 12, 13):
            points = blob(seed, centre=(50.0 + seed, 40.0))
            message = {"revision": 2, "frame": 1001, "look": look, "size": "full", "element": HAND}
            left, top, box = receive(socket, {**message, "points": points.reshape(-1).tolist()})
            canvas[top : top + box.shape[0], left : left + box.shape[1]] = box
        for bad in ({"points": [1.0] * 7}, {"points": [1.0] * 18, "element": "nothere"}, {"look": "other"}):
            socket.send_json({**message, "points": points.reshape(-1).tolist(), **bad})
            assert "message" in socket.receive_json()
        left, top, box = receive(socket, {**message, "points": points.reshape(-1).tolist()})
        assert box.size
    rows = {str(i): p for i, p in enumerate(as_points(points))}
    edit(type="shape-points", element=HAND, frame=1001, points=rows)
    assert np.abs(canvas.astype(int) - whole()).max() <= 1


def test_a_fresh_shot_has_the_plate_and_nothing_drawn(client: TestClient, shot: str, edit: Post) -> None:
    draw(edit)
    card = client.post(f"/api/shots/{shot}/fresh").json()
    fresh = client.get(f"/api/shots/{card['id']}").json()
    assert set(fresh["elements"]) == {"settings"}
    assert fresh["plate"] == client.get(f"/api/shots/{shot}").json()["plate"]
    counts = {c["id"]: (c["covers"], c["panes"]) for c in client.get("/api/shots").json()}
    assert counts == {shot: (1, 1), card["id"]: (0, 0)}


@pytest.mark.parametrize(
    "path", ["/api/shots/nothere", "/api/shots/nothere/clips", "/api/nothing", "/api/jobs/x/cancel"]
)
def test_what_is_not_there_says_so(client: TestClient, path: str) -> None:
    answer = client.post(path) if path.endswith("cancel") else client.get(path)
    if path.endswith("clips"):
        assert answer.json() == []
    else:
        assert answer.status_code == 404
        assert set(answer.json()) == {"type", "title", "status", "detail"}


@pytest.mark.parametrize(
    "body",
    [
        b"",
        b"{",
        b"[]",
        b'{"revision": 0}',
        b'{"revision": -1, "edit": {"type": "set-shot"}}',
        b'{"revision": 0, "edit": {"type": "set-shot", "name": 5}}',
        b'{"revision": 0, "edit": {"type": "shape-points", "element": "a", "frame": 1001, "points": {"0": [NaN,0,0,0,0,0]}}}',
        b'{"revision": 0, "edit": {"type": "move-keys", "element": "a", "frames": [99999999999999999999], "by": 1}}',
        b"\xff\xfe",
    ],
)
def test_malformed_requests_get_a_sentence_and_change_nothing(client: TestClient, shot: str, body: bytes) -> None:
    answer = client.post(f"/api/shots/{shot}/edits", content=body, headers={"Content-Type": "application/json"})
    assert 400 <= answer.status_code < 500
    assert answer.json()["detail"]
    assert client.get(f"/api/shots/{shot}").json()["revision"] == 0


def test_a_body_that_no_edit_can_be_is_refused(client: TestClient, shot: str) -> None:
    answer = client.post(f"/api/shots/{shot}/edits", content=b"x" * 33_000_000)
    assert answer.status_code == 413


def test_a_missing_picture_on_disk_is_explained(client: TestClient, shot: str, edit: Post, settings: Settings) -> None:
    draw(edit)
    for path in settings.media.rglob("*.jpg"):
        path.unlink()
    answer = client.get(f"/api/shots/{shot}/looks/composite/1003")
    assert answer.status_code == 422
    assert "covers and panes are safe" in answer.json()["detail"]


def test_the_page_is_served_for_every_address_but_the_apis(client: TestClient, settings: Settings) -> None:
    for path in ("/", "/shots/anything", "/../../etc/passwd", "/%2e%2e/%2e%2e/pyproject.toml"):
        answer = client.get(path)
        assert answer.status_code == 200
        assert "<div id=" in answer.text


def test_every_table_is_under_migration(database: Database) -> None:
    with database.engine.connect() as connection:
        names = set(connection.dialect.get_table_names(connection))
    assert set(Base.metadata.tables) <= names


def test_what_was_changed_last_is_read_when_the_server_starts(
    client: TestClient, settings: Settings, edit: Post, shot: str, database: Database
) -> None:
    draw(edit)
    pictures, looks = DisplayPictures(settings.media), LookCache(settings.looks, settings.looks_kept)
    fresh = Context(settings, database, Queue(settings.database_url), pictures, looks)
    read_ahead(fresh)
    with database.engine.begin() as connection:
        connection.execute(text("delete from elements where shot = :shot"), {"shot": shot})
    assert len(load_shot(fresh, shot).elements) == 4  # settings, pane, cover and outline, from what was read before


def test_a_document_is_what_the_schema_says_also_where_parts_of_it_are_kept(
    client: TestClient, edit: Post, shot: str, database: Database
) -> None:
    draw(edit)
    for name in ("Hand", 'A "left" hand'):
        (cover,) = (e for e in client.get(f"/api/shots/{shot}").json()["elements"].values() if e["kind"] == "cover")
        edit(type="set-cover", cover=cover["id"], name=name)
        edit(**shape(1005, len(name)))
        for _ in range(2):
            seen = client.get(f"/api/shots/{shot}").json()
            with database.transaction() as session:
                state = state_of(shots.load(session, shot), shots.history(session, shot))
            assert seen == state.model_dump(mode="json")
