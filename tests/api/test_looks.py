"""Rendered pictures are kept, are the ones that would be rendered, and stand for frames that no edit has touched."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from sqlalchemy import delete

from tests.api.conftest import edit
from wiseglove.settings import Settings
from wiseglove.shot.render import FrameScene
from wiseglove.store import looks, shots
from wiseglove.store.database import Database
from wiseglove.store.looks import LookCache, Rendered
from wiseglove.store.tables import RevisionRow

QUAD = [[30.0, 20.0], [120.0, 24.0], [118.0, 90.0], [28.0, 84.0]]
SQUARE = [[40.0, 40.0], [80.0, 40.0], [80.0, 80.0], [40.0, 80.0]]


@pytest.fixture
def drawn(client: TestClient, shot: str) -> str:
    """A shot with a pane, and a cover that is there from frame 1003 to 1006."""
    edit(client, shot, type="add-pane", frame=1001, corners=QUAD, id="screen")
    points = [[x, y, 0, 0, 0, 0, 0, 0] for x, y in SQUARE]
    outline = {"kinds": ["corner"] * 4, "points": points}
    edit(client, shot, type="add-cover", outline_id="edge", frame=1003, outline=outline, name="Leaf")
    edit(client, shot, type="set-cover", cover=cover(client, shot), first=1003, last=1006)
    return shot


def cover(client: TestClient, shot: str) -> str:
    return str(client.get(f"/api/shots/{shot}").json()["elements"]["edge"]["cover"])


def look(client: TestClient, shot: str, frame: int, **how: Any) -> np.ndarray:
    answer = client.get(f"/api/shots/{shot}/looks/composite/{frame}", params=how)
    assert answer.status_code == 200, answer.text
    return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), int)


def ready(client: TestClient, shot: str, **how: Any) -> list[list[int]]:
    answer = client.get(f"/api/shots/{shot}/ready/composite", params=how)
    assert answer.status_code == 200, answer.text
    return list(answer.json()["runs"])


@pytest.fixture
def rendered(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """The frames that were rendered, one after the other."""
    frames: list[int] = []
    before = FrameScene.look

    def counting(scene: FrameScene, *args: Any) -> Any:
        frames.append(scene.ground.frame)
        return before(scene, *args)

    monkeypatch.setattr(FrameScene, "look", counting)
    return frames


def test_a_picture_is_rendered_once_and_an_edit_takes_only_what_it_touched(
    client: TestClient, drawn: str, rendered: list[int]
) -> None:
    assert ready(client, drawn) == []
    before = {frame: look(client, drawn, frame) for frame in range(1001, 1009)}
    assert rendered == list(range(1001, 1009))
    assert ready(client, drawn) == [[1001, 1008]]
    for frame, seen in before.items():
        assert (look(client, drawn, frame) == seen).all()
    assert len(rendered) == 8

    edit(client, drawn, type="set-cover", cover=cover(client, drawn), shown=False)
    assert ready(client, drawn) == [[1001, 1002], [1007, 1008]]
    assert (look(client, drawn, 1004) != before[1004]).any()
    assert (look(client, drawn, 1007) == before[1007]).all()
    assert rendered[8:] == [1004]
    assert ready(client, drawn) == [[1001, 1002], [1004, 1004], [1007, 1008]]
    assert ready(client, drawn, size="full") == []


def test_one_frame_and_all_frames_are_told_alike_also_when_old_changes_are_forgotten(
    client: TestClient, drawn: str, database: Database
) -> None:
    def told() -> list[str]:
        with database.transaction() as session:
            shot = shots.load(session, drawn)
            every = looks.since_all(session, shot)
            assert every == [looks.since(session, shot, f) for f in range(1001, 1001 + shot.plate.count)]
            return every

    before = told()
    edit(client, drawn, type="set-cover", cover=cover(client, drawn), shown=False)
    after = told()
    assert [a != b for a, b in zip(after, before, strict=True)] == [
        1003 <= f <= 1006 for f in range(1001, 1001 + len(after))
    ]
    with database.engine.begin() as connection:
        connection.execute(delete(RevisionRow).where(RevisionRow.shot == drawn, RevisionRow.revision < 4))
    forgotten = told()
    assert forgotten[2:6] == after[2:6]
    assert set(forgotten[:2] + forgotten[6:]) == {"3"}


def test_a_versions_picture_is_rendered_once_and_is_not_taken_for_the_shots(
    client: TestClient, drawn: str, rendered: list[int]
) -> None:
    assert client.post(f"/api/shots/{drawn}/versions", json={}).status_code == 201
    now = look(client, drawn, 1004)
    edit(client, drawn, type="set-cover", cover=cover(client, drawn), shown=False)
    address = f"/api/shots/{drawn}/versions/1/looks/composite/1004"
    kept = [client.get(address).content for _ in range(2)]
    assert rendered == [1004, 1004]
    assert kept[0] == kept[1]
    assert (np.asarray(Image.open(io.BytesIO(kept[0])), int) == now).all()
    assert (look(client, drawn, 1004) != now).any()


def test_what_is_only_tried_is_never_kept(client: TestClient, drawn: str) -> None:
    trial = '{"type": "set-pane", "pane": "screen", "opacity": 0.0}'
    tried = look(client, drawn, 1002, trial=trial)
    assert ready(client, drawn) == []
    assert (look(client, drawn, 1002) != tried).any()


def test_a_colour_stands_in_for_the_plate_or_for_what_is_put_in(client: TestClient, drawn: str) -> None:
    plain = look(client, drawn, 1001)
    plate = look(client, drawn, 1001, plate="ff0000")
    insert = look(client, drawn, 1001, insert="0000ff")
    outside, inside = (5, 5), (55, 75)
    assert np.abs(plate[outside] - (255, 0, 0)).max() < 8
    assert np.abs(plate[inside] - plain[inside]).max() < 12  # the pane is as it was
    assert np.abs(insert[inside] - (0, 0, 255)).max() < 8
    assert np.abs(insert[outside] - plain[outside]).max() < 8
    assert ready(client, drawn, plate="ff0000") == [[1001, 1001]]
    refused = client.get(f"/api/shots/{drawn}/looks/composite/1001", params={"plate": "red"})
    assert refused.status_code == 422


def test_the_least_recently_used_go_first_and_the_bound_holds(tmp_path: Path) -> None:
    bound = 2_000_000
    cache = LookCache(tmp_path / "looks", bound)
    rng = np.random.default_rng(3)
    for number in range(120):
        cache.put(f"{number}", Rendered(rng.bytes(60_000), None))
        assert cache.get("0") is not None  # used all the while
    kept = cache.which(f"{n}" for n in range(120))
    assert kept[0]
    assert kept[-1]
    assert not all(kept)
    cache.close()
    assert sum(p.stat().st_size for p in (tmp_path / "looks").rglob("*.val")) < 1.2 * bound


def test_where_nothing_can_be_kept_pictures_are_rendered_all_the_same(
    client: TestClient, drawn: str, settings: Settings, rendered: list[int]
) -> None:
    first = look(client, drawn, 1002)
    for path in settings.looks.rglob("*.val"):
        path.unlink()
    for path in settings.looks.glob("cache.db*"):
        path.write_bytes(b"not a database" * 1000)
    assert (look(client, drawn, 1002) == first).all()
    assert (look(client, drawn, 1003) != first).any()
    assert rendered == [1002, 1002, 1003]
    in_the_way = settings.files / "in the way"
    in_the_way.write_text("a file")
    broken = LookCache(in_the_way, 1_000_000)
    broken.put("a", Rendered(b"1", None))
    assert broken.get("a") is None
    assert broken.which(["a"]) == [False]


def test_what_differs_is_told_apart_before_anything_is_rounded(client: TestClient, drawn: str) -> None:
    """A pane that is half a level darker than it was shows as eight levels at x16, and what is the same as none."""
    pane = {"type": "set-pane", "pane": "screen", "insert": {"source": "solid", "colours": ["#808080", "#808080"]}}
    edit(client, drawn, **pane)
    made = client.post(f"/api/shots/{drawn}/versions", json={"name": "Grey", "frame": 1001})
    assert made.status_code == 201, made.text
    level = {"on": True, "white": [0.991, 0.991, 0.991]}
    edit(client, drawn, type="set-pane", pane="screen", sit={"level": level})
    before = 128 / 255
    linear = ((before + 0.055) / 1.055) ** 2.4 * 0.991
    after = 1.055 * linear ** (1 / 2.4) - 0.055
    expected = (before - after) * 255 * 16
    assert 5 < expected < 12

    seen = look(client, drawn, 1001, beside="composite", version=1, gain=16)
    assert abs(seen[60, 60].mean() - expected) <= 1.5
    assert seen[5:12, 5:150].max() == 0  # off the pane
    assert look(client, drawn, 1001, beside="composite", gain=16).max() == 0
    plate = look(client, drawn, 1001, beside="plate", gain=1)
    assert plate[60, 60].max() > 20
    assert plate[5:12, 5:150].max() == 0
    other = client.get(f"/api/shots/{drawn}/looks/composite/1001", params={"beside": "composite", "version": 9})
    assert other.status_code == 404
