"""The clean picture behind what passes, made by a job and kept as a clip of the shot."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import edit
from wiseglove.core.geometry.bezier import ellipse
from wiseglove.media.clip import ClipReader, folder_of
from wiseglove.settings import Settings
from wiseglove.shot.keys import as_points

COUNT, SIZE = 9, (160, 240)


def wall() -> np.ndarray:
    rough = np.random.default_rng(5).uniform(60, 190, (20, 30, 3)).astype(np.float32)
    return np.clip(cv2.resize(rough, SIZE[::-1], interpolation=cv2.INTER_CUBIC), 0, 255)


def frame(index: int) -> np.ndarray:
    """A ball that rolls before a wall that stands."""
    picture = wall() + np.random.default_rng(index).normal(0, 1, (*SIZE, 3))
    cv2.circle(picture, (30 + 22 * index, 80), 24, (30, 40, 220), -1, cv2.LINE_AA)
    return np.clip(picture, 0, 255).astype(np.uint8)


@pytest.fixture
def rolled(take_in: Callable[..., dict[str, Any]], tmp_path: Path) -> str:
    paths = []
    for n in range(COUNT):
        paths.append(tmp_path / f"ball.{1001 + n}.png")
        cv2.imwrite(str(paths[-1]), frame(n)[..., ::-1])
    return str(take_in(paths)["job"]["result"]["shot"])


def made(client: TestClient, work: Callable[[], None], shot: str, **what: Any) -> dict[str, Any]:
    ordered = client.post(f"/api/shots/{shot}/behind", json=what)
    assert ordered.status_code == 201, ordered.text
    work()
    return next(j for j in client.get("/api/jobs").json() if j["id"] == ordered.json()["id"])


def test_the_clean_plate_becomes_a_clip_of_the_shot(
    client: TestClient, rolled: str, work: Callable[[], None], settings: Settings
) -> None:
    job = made(client, work, rolled)
    assert job["state"] == "done", job["message"]
    assert "is there" in job["message"]
    clips = client.get(f"/api/shots/{rolled}/clips").json()
    assert [c["id"] for c in clips] == [job["result"]["clip"]]
    assert clips[0]["info"]["name"].startswith("Clean plate of")
    reader = ClipReader(folder_of(settings.media, job["result"]["clip"]))
    found = reader.read(0).astype(np.float64) / 257
    reader.close()
    known = found[..., 3] > 250
    assert known.mean() > 0.95
    assert np.abs(found[..., :3] - wall())[known].mean() < 2
    again = made(client, work, rolled)
    assert again["result"] == job["result"], "the same frames make the same clip"


def test_a_pane_is_unrolled_and_shown_in_itself(client: TestClient, rolled: str, work: Callable[[], None]) -> None:
    corners = [[40, 30], [200, 30], [200, 130], [40, 130]]
    edit(client, rolled, type="add-pane", frame=1001, corners=corners, id="screen")
    job = made(client, work, rolled, pane="screen")
    assert job["state"] == "done", job["message"]
    assert job["result"]["pane"] == "screen"
    clip = client.get(f"/api/shots/{rolled}/clips").json()[0]
    assert (clip["info"]["width"], clip["info"]["height"]) == (160, 100)
    edit(client, rolled, type="set-pane", pane="screen", insert={"source": "media", "media": clip["id"]})


def test_carrying_on_goes_by_what_is_behind_once_it_is_known(
    client: TestClient, rolled: str, work: Callable[[], None]
) -> None:
    outline = {"kinds": ["smooth"] * 4, "points": as_points(ellipse(30.5, 80.5, 24, 24))}
    edit(client, rolled, type="add-cover", outline_id="ball", frame=1001, outline=outline, name="Ball")
    made(client, work, rolled)
    answer = client.post(f"/api/shots/{rolled}/carry", json={"outline": "ball", "frame": 1001, "to": 1005})
    assert answer.status_code == 200, answer.text
    for number, points in answer.json()["shapes"].items():
        middle = np.mean([[p["x"], p["y"]] if isinstance(p, dict) else p[:2] for p in points], axis=0)
        assert np.abs(middle - (30.5 + 22 * (int(number) - 1001), 80.5)).max() < 1.5


def test_what_cannot_be_known_is_said(
    client: TestClient, take_in: Callable[..., dict[str, Any]], work: Callable[[], None], tmp_path: Path
) -> None:
    rough = np.random.default_rng(3).uniform(0, 255, (300, 400, 3)).astype(np.float32)
    rough = np.asarray(cv2.GaussianBlur(rough, (0, 0), 4) * 3 - 260, np.float32)
    rough = np.clip(rough, 0, 255).astype(np.uint8)
    paths = []
    for n in range(6):
        paths.append(tmp_path / f"pan.{1001 + n}.png")
        cv2.imwrite(str(paths[-1]), rough[40 : 40 + SIZE[0], 10 + 5 * n : 10 + 5 * n + SIZE[1]])
    shot = str(take_in(paths)["job"]["result"]["shot"])
    job = made(client, work, shot)
    assert job["state"] == "failed"
    assert "camera is not locked" in job["message"]
    assert "--" not in job["message"], "a page knows no words of the command line"
    assert client.get(f"/api/shots/{shot}/clips").json() == []
    gone = client.post(f"/api/shots/{shot}/behind", json={"pane": "nowhere"})
    assert gone.status_code == 422
    assert "Nothing was changed" in gone.json()["detail"]
    still = str(take_in(paths[:2])["job"]["result"]["shot"])
    few = client.post(f"/api/shots/{still}/behind", json={})
    assert few.status_code == 422
    assert "needs at least" in few.json()["detail"]
