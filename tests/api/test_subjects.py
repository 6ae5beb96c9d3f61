"""Subjects over HTTP: sampled, keyed, tried, judged and delivered."""

from __future__ import annotations

import io
import json
import shutil
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.api.conftest import edit
from tests.builders import write_movie
from tests.core.keying.scene import off, stage
from wiseglove.core.compositing.colour import encode
from wiseglove.settings import Settings

FIRST, COUNT = 1001, 4
WIDTH, HEIGHT = 480, 360
BACKING = [20.0, 20.0, 40.0, 40.0]


@pytest.fixture(scope="module")
def pictures() -> tuple[np.ndarray, np.ndarray, dict[str, np.ndarray]]:
    linear, truth, where = stage("green", seed=6)
    return np.round(np.asarray(encode(np.clip(linear, 0, 1))) * 255).astype(np.uint8), truth, where


def write(folder: Path, name: str, pixels: np.ndarray, numbers: range) -> list[Path]:
    folder.mkdir(exist_ok=True)
    paths = [folder / f"{name}.{n}.png" for n in numbers]
    for path in paths:
        Image.fromarray(pixels).save(path)
    return paths


@pytest.fixture
def stage_shot(take_in: Callable[..., dict[str, Any]], tmp_path: Path, pictures: Any) -> str:
    done = take_in(write(tmp_path / "stage", "stage", pictures[0], range(FIRST, FIRST + COUNT)))
    return str(done["job"]["result"]["shot"])


def subject(client: TestClient, shot: str) -> dict[str, Any]:
    return dict(client.get(f"/api/shots/{shot}").json()["elements"]["who"])


def sample(client: TestClient, shot: str, box: list[float] = BACKING, **more: Any) -> Any:
    return client.post(f"/api/shots/{shot}/samples", json={"frame": FIRST, "box": box, **more})


def add(client: TestClient, shot: str, **more: Any) -> None:
    taken = sample(client, shot).json()["sample"]
    edit(client, shot, type="add-subject", id="who", frame=FIRST, sample=taken, **more)


def matte(client: TestClient, shot: str, **query: Any) -> np.ndarray:
    answer = client.get(f"/api/shots/{shot}/looks/matte/{FIRST}", params={"size": "full", **query})
    assert answer.status_code == 200, answer.text
    return np.array(Image.open(io.BytesIO(answer.content))) / 255


def test_the_backing_is_sampled_and_the_plate_keyed(client: TestClient, stage_shot: str, pictures: Any) -> None:
    answer = sample(client, stage_shot).json()
    assert answer["doubt"] is None
    assert answer["sample"]["colour"][1] > 2 * answer["sample"]["colour"][0]
    add(client, stage_shot)
    seen = matte(client, stage_shot)
    assert off(seen, pictures[1], pictures[2]["solid"]) < 0.01
    assert off(seen, pictures[1], pictures[2]["edge"]) < 0.07
    values = client.get(f"/api/shots/{stage_shot}/values/{FIRST}", params={"x": 240, "y": 150}).json()
    assert values["alpha"] == pytest.approx(1, abs=0.02)
    assert np.abs(np.array(values["plate"]) * 255 - pictures[0][150, 240]).max() < 12
    assert client.get(f"/api/shots/{stage_shot}/values/{FIRST}", params={"x": -1, "y": 5}).status_code == 404
    small = client.get(f"/api/shots/{stage_shot}/thumbnails/who/{FIRST}")
    assert np.array(Image.open(io.BytesIO(small.content))).max() == 255


def test_bad_samples_are_refused_or_doubted_and_change_nothing(client: TestClient, stage_shot: str) -> None:
    outside = sample(client, stage_shot, [4000, 10, 20, 20])
    assert outside.status_code == 422
    assert "outside the picture" in outside.json()["detail"]
    mixed = sample(client, stage_shot, [20, 20, 260, 200])
    assert mixed.status_code == 422
    assert "Nothing was changed" in mixed.json()["detail"]
    skin = sample(client, stage_shot, [225, 130, 30, 30]).json()
    assert "sample lay on the subject" in skin["doubt"]
    assert sample(client, stage_shot, [225, 130, 30, 30], limited=True).json()["doubt"] is None
    assert client.get(f"/api/shots/{stage_shot}").json()["revision"] == 0


def test_a_change_can_be_looked_at_without_being_kept(client: TestClient, stage_shot: str) -> None:
    add(client, stage_shot)
    kept = matte(client, stage_shot)
    key = {**subject(client, stage_shot)["key"], "low": 0.6}
    tried = matte(client, stage_shot, trial=json.dumps({"type": "set-subject", "subject": "who", "key": key}))
    assert tried.sum() < kept.sum() - 100
    assert (matte(client, stage_shot) == kept).all()
    edit(client, stage_shot, type="set-subject", subject="who", key=key)
    assert (matte(client, stage_shot) == tried).all()
    nonsense = client.get(f"/api/shots/{stage_shot}/looks/matte/{FIRST}", params={"trial": "{"})
    assert nonsense.status_code == 422
    assert "cannot be read" in nonsense.json()["detail"]


def test_garbage_that_cuts_is_found_on_every_frame(client: TestClient, stage_shot: str) -> None:
    add(client, stage_shot)
    points = [[x, y, 0, 0, 0, 0] for x, y in ((200, 260), (420, 260), (420, 350), (200, 350))]
    made = edit(
        client,
        stage_shot,
        type="add-cover",
        frame=FIRST,
        outline={"kinds": ["corner"] * 4, "points": points},
        name="Rag",
    )["made"]
    edit(client, stage_shot, type="set-subject", subject="who", garbage=[made])
    found = client.get(f"/api/shots/{stage_shot}/subjects/who/nearness").json()["found"]
    assert [(n["frame"], n["name"], n["what"]) for n in found] == [(FIRST + i, "Rag", "cuts") for i in range(COUNT)]


def test_what_is_doubtful_about_a_matte_clip_is_said(
    client: TestClient, stage_shot: str, take_in: Callable[..., dict[str, Any]], tmp_path: Path, pictures: Any
) -> None:
    add(client, stage_shot)
    white = np.full((HEIGHT // 2, WIDTH // 2, 3), 255, np.uint8)
    clip = take_in(write(tmp_path / "white", "white", white, range(1, 3)), purpose="insert", shot=stage_shot)
    media = clip["job"]["result"]["clip"]
    key = {**subject(client, stage_shot)["key"], "source": "alpha", "matte": media}
    edit(client, stage_shot, type="set-subject", subject="who", key=key)
    notes = client.get(f"/api/shots/{stage_shot}/subjects/who/notes").json()["notes"]
    assert any("frames 1001 to 1002, the shot has 1001 to 1004" in n and "held on the rest" in n for n in notes)
    assert any("alpha is white everywhere" in n and "Choose another channel" in n for n in notes)
    other = write_movie(tmp_path / "fast.mp4", 6, "-r", "30")
    fast = take_in([other], purpose="insert", shot=stage_shot)["job"]["result"]["clip"]
    edit(client, stage_shot, type="set-subject", subject="who", key={**key, "source": "luma", "matte": fast})
    notes = client.get(f"/api/shots/{stage_shot}/subjects/who/notes").json()["notes"]
    assert any("runs at 30 frames a second, the plate at 25" in n for n in notes)


def test_a_matte_clip_of_half_the_size_cuts_the_plate(
    client: TestClient,
    stage_shot: str,
    take_in: Callable[..., dict[str, Any]],
    tmp_path: Path,
    pictures: Any,
    settings: Settings,
) -> None:
    add(client, stage_shot)
    small = cv2.resize(pictures[1], (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
    grey = np.round(np.repeat(small[..., None], 3, 2) * 255).astype(np.uint8)
    taken = take_in(
        write(tmp_path / "small", "small", grey, range(FIRST, FIRST + COUNT)), purpose="insert", shot=stage_shot
    )
    key = {"source": "luma", "matte": taken["job"]["result"]["clip"], "low": 0.0, "high": 1.0}
    edit(client, stage_shot, type="set-subject", subject="who", key=key)
    assert off(matte(client, stage_shot), pictures[1], pictures[2]["edge"]) < 0.03
    gone = {**key, "matte": "0" * 24}
    refused = client.post(
        f"/api/shots/{stage_shot}/edits",
        json={"revision": 2, "edit": {"type": "set-subject", "subject": "who", "key": gone}},
    )
    assert "was not taken in for this shot" in refused.json()["detail"]
    shutil.rmtree(settings.media / key["matte"])
    lost = client.get(f"/api/shots/{stage_shot}/looks/matte/{FIRST + 1}")  # one that was not rendered before
    assert lost.status_code == 422
    assert "not on the server's disk" in lost.json()["detail"]


def test_a_delivery_holds_the_subject_cut_out(
    client: TestClient, stage_shot: str, work: Callable[[], None], pictures: Any
) -> None:
    add(client, stage_shot, name="Gardener")
    order = {"items": [{"what": "subject", "form": "png8"}, {"what": "cut", "form": "png16"}]}
    made = client.post(f"/api/shots/{stage_shot}/deliveries", json=order)
    assert made.status_code == 201, made.text
    work()
    package = client.get(f"/api/deliveries/{made.json()['id']}.zip")
    with zipfile.ZipFile(io.BytesIO(package.content)) as files:
        names = [n for n in files.namelist() if n.endswith(f".{FIRST}.png")]
        alone = next(n for n in names if "subject_Gardener/" in n)
        cut = next(n for n in names if "cut_Gardener/" in n)
        pixels = cv2.imdecode(np.frombuffer(files.read(cut), np.uint8), cv2.IMREAD_UNCHANGED)
        grey = cv2.imdecode(np.frombuffer(files.read(alone), np.uint8), cv2.IMREAD_UNCHANGED)
    assert pixels.dtype == np.uint16
    assert pixels.shape == (HEIGHT, WIDTH, 4)
    alpha = pixels[..., 3] / 65535
    assert np.abs(alpha - grey / 255).max() < 0.003
    assert off(alpha, pictures[1], pictures[2]["edge"]) < 0.07
    solid = pictures[2]["solid"] > 0.5
    assert np.abs(pixels[..., 2::-1][solid] / 257 - pictures[0][solid]).mean() < 3
