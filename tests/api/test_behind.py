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


CORNERS = [[40, 30], [200, 30], [200, 130], [40, 130]]


def centre(number: int) -> np.ndarray:
    """Where the ball is on a frame, in pixels."""
    return np.array([30.5 + 22 * (number - 1001), 80.5])


def ball(number: int) -> np.ndarray:
    """Where it is on a frame, with hard edges."""
    y, x = np.mgrid[0 : SIZE[0], 0 : SIZE[1]] + 0.5
    return np.asarray(np.hypot(x - centre(number)[0], y - centre(number)[1]) < 24.2)


def matte_of(client: TestClient, shot: str, number: int) -> np.ndarray:
    answer = client.get(f"/api/shots/{shot}/looks/matte/{number}?width=240")
    assert answer.status_code == 200, answer.text
    decoded = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_GRAYSCALE)
    assert decoded is not None
    return np.asarray(decoded)


def off_the_ball(line: np.ndarray, number: int) -> float:
    """Mean distance in pixels of places (N, 2) from the ball's edge; those on the pane's border do not count."""
    inside = line[(line[:, 0] > 44) & (line[:, 0] < 196)]
    return float(np.abs(np.linalg.norm(inside - centre(number), axis=1) - 24.2).mean())


@pytest.fixture
def screened(client: TestClient, rolled: str) -> str:
    edit(client, rolled, type="add-pane", frame=1001, corners=CORNERS, id="screen", name="Screen")
    return rolled


def held(client: TestClient, work: Callable[[], None], shot: str, **what: Any) -> dict[str, Any]:
    ordered = client.post(f"/api/shots/{shot}/differing", json=what)
    assert ordered.status_code == 201, ordered.text
    work()
    return next(j for j in client.get("/api/jobs").json() if j["id"] == ordered.json()["id"])


def elements(client: TestClient, shot: str, kind: str) -> list[dict[str, Any]]:
    return [e for e in client.get(f"/api/shots/{shot}").json()["elements"].values() if e["kind"] == kind]


def test_what_covers_a_pane_is_proposed_frame_by_frame(
    client: TestClient, screened: str, work: Callable[[], None]
) -> None:
    where = f"/api/shots/{screened}/differing"
    before = client.get(f"{where}/1004?pane=screen")
    assert before.status_code == 422
    assert "make the clean pane first" in before.json()["detail"]
    made(client, work, screened, pane="screen")
    for number in (1003, 1004, 1006):
        found = client.get(f"{where}/{number}?pane=screen").json()
        (line,) = found["borders"]
        assert off_the_ball(np.reshape(line, (-1, 2)), number) < 0.8  # by the display copy
        assert "of Screen is covered" in found["words"]
    whole = np.pi * 24.2**2 / (160 * 100)
    assert client.get(f"{where}/1004?pane=screen").json()["share"] == pytest.approx(whole, rel=0.05)
    assert client.get(f"{where}/900?pane=screen").status_code == 422


def test_it_is_kept_as_a_matte_without_the_frames_left_out(
    client: TestClient, screened: str, work: Callable[[], None]
) -> None:
    made(client, work, screened)  # the clean plate serves a pane too
    kept = [n for n in range(1001, 1010) if n != 1005]
    job = held(client, work, screened, pane="screen", frames=kept, form="matte")
    assert job["state"] == "done", job["message"]
    assert "on 8 of 9 frames" in job["message"]
    (subject,) = elements(client, screened, "subject")
    assert subject["pane"] == "screen"
    shot = client.get(f"/api/shots/{screened}").json()
    depth = shot["elements"]["settings"]["depth"]
    assert depth.index(subject["id"]) < depth.index("screen")

    y, x = np.mgrid[0:160, 0:240] + 0.5
    within = (x > 40) & (x < 200) & (y > 30) & (y < 130)
    seen = matte_of(client, screened, 1004) / 255.0
    assert np.abs(seen - ball(1004) * within)[within].mean() < 0.01
    assert matte_of(client, screened, 1005).max() < 8
    client.post(f"/api/shots/{screened}/undo", json={"revision": shot["revision"]})
    assert elements(client, screened, "subject") == []


def test_it_is_kept_as_outlines_that_go_on_where_a_frame_is_left_out(
    client: TestClient, screened: str, work: Callable[[], None]
) -> None:
    made(client, work, screened)
    kept = [n for n in range(1002, 1009) if n != 1005]
    job = held(client, work, screened, frames=kept, form="outlines")
    assert job["state"] == "done", job["message"]
    (cover,) = elements(client, screened, "cover")
    assert cover["name"] == "Passing"
    (outline,) = elements(client, screened, "outline")
    frames = [k["frame"] for k in outline["keys"]]
    assert 1005 not in frames
    for number in range(1002, 1009):
        seen = matte_of(client, screened, number) / 255.0
        assert np.abs(seen - ball(number)).mean() < 0.004, number


def test_what_holds_nothing_out_changes_nothing(client: TestClient, screened: str, work: Callable[[], None]) -> None:
    made(client, work, screened)
    low = [[40, 115], [200, 115], [200, 155], [40, 155]]  # where the ball never comes
    edit(client, screened, type="add-pane", frame=1001, corners=low, id="low", name="Low")
    far = {"pane": "screen", "frames": [900], "form": "matte"}
    assert client.post(f"/api/shots/{screened}/differing", json=far).status_code == 422
    gone = {"pane": "nowhere", "frames": [1001], "form": "matte"}
    assert client.post(f"/api/shots/{screened}/differing", json=gone).status_code == 422
    before = client.get(f"/api/shots/{screened}").json()
    job = held(client, work, screened, pane="low", frames=[1003, 1004], form="matte")
    assert job["state"] == "failed"
    assert "Nothing was changed" in job["message"]
    assert client.get(f"/api/shots/{screened}").json() == before
