"""Mattes that come in by the page: pictures become a clip, and the clip a cover."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR
import pytest
from fastapi.testclient import TestClient
from numpy.typing import NDArray

from tests.api.conftest import correction, send
from tests.builders import write_sequence
from wiseglove.settings import Settings
from wiseglove.shot.render import FrameScene
from wiseglove.store import shots
from wiseglove.store.database import Database
from wiseglove.store.pictures import ExactPictures

COUNT, WIDE, HIGH = 6, 128, 96
Work = Callable[[], None]


def disc(index: int, soft: float = 8.0) -> NDArray[np.float32]:
    """A disc that goes to the right, coverage 0..1, one half at 22.5 px from its middle whatever its edge is."""
    y, x = np.mgrid[0:HIGH, 0:WIDE]
    return np.clip((22.5 - np.hypot(x - 40 - 6 * index, y - 48)) / soft + 0.5, 0, 1).astype(np.float32)


@pytest.fixture
def shot(take_in: Callable[..., dict[str, Any]], tmp_path: Path) -> str:
    plate = write_sequence(tmp_path / "plate", list(range(1001, 1001 + COUNT)))
    return str(take_in(plate)["job"]["result"]["shot"])


def sent(client: TestClient, work: Work, shot: str, paths: list[Path]) -> str:
    intake = send(client, paths, purpose="insert", shot=shot)
    client.post(f"/api/intakes/{intake['id']}/accept", json=correction(intake))
    work()
    return str(client.get(f"/api/intakes/{intake['id']}").json()["job"]["result"]["clip"])


@pytest.mark.parametrize("kind", ["png", "exr"])
def test_numbered_mattes_become_a_cover_that_lies_on_them(
    client: TestClient, work: Work, shot: str, tmp_path: Path, database: Database, settings: Settings, kind: str
) -> None:
    paths = [tmp_path / f"hand.{1001 + n}.{kind}" for n in range(COUNT)]
    for n, path in enumerate(paths):
        if kind == "png":
            cv2.imwrite(str(path), np.round(disc(n) * 255).astype(np.uint8))
        else:
            header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            OpenEXR.File(header, {"Y": disc(n)}).write(str(path))
    clip = sent(client, work, shot, paths)
    ordered = client.post(f"/api/shots/{shot}/mattes", json={"clip": clip})
    assert ordered.status_code == 201, ordered.text
    work()
    job = next(j for j in client.get("/api/jobs").json() if j["id"] == ordered.json()["id"])
    assert (job["state"], "Undo takes it back" in job["message"]) == ("done", True), job
    with database.transaction() as session:
        found = shots.load(session, shot)
    assert [c.name for c in found.covers] == ["hand"]
    pictures = ExactPictures(settings.media)
    for n in range(COUNT):
        scene = FrameScene(found, 1001 + n, pictures)
        off = np.abs(scene.whole_matte(scene.whole) - disc(n, 1.0))
        assert off.mean() < 0.008  # a curve on the EXR's coverage would make the disc 2 px wider, which is 0.03
    pictures.close()
    assert client.post(f"/api/shots/{shot}/undo", json={"revision": 1}).status_code == 200


def test_mattes_of_another_size_or_of_nothing_change_nothing(
    client: TestClient, work: Work, shot: str, tmp_path: Path
) -> None:
    black, small = tmp_path / "black.1001.png", tmp_path / "small.1001.png"
    cv2.imwrite(str(black), np.zeros((HIGH, WIDE), np.uint8))
    cv2.imwrite(str(small), np.zeros((HIGH // 2, WIDE), np.uint8))
    refused = client.post(f"/api/shots/{shot}/mattes", json={"clip": sent(client, work, shot, [small])})
    assert (refused.status_code, "128x48; the plate has 128x96" in refused.json()["detail"]) == (422, True), (
        refused.text
    )
    assert client.post(f"/api/shots/{shot}/mattes", json={"clip": "0" * 24}).status_code == 404
    ordered = client.post(f"/api/shots/{shot}/mattes", json={"clip": sent(client, work, shot, [black])}).json()
    work()
    job = next(j for j in client.get("/api/jobs").json() if j["id"] == ordered["id"])
    assert (job["state"], "Nothing is white" in job["message"]) == ("failed", True), job
    assert client.get(f"/api/shots/{shot}").json()["revision"] == 0
