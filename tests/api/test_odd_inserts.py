"""Inserts as they really come: portrait clips with rotation metadata, float pictures with holes, odd sizes, broken frames, too short."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.api.conftest import edit
from tests.builders import ffmpeg

TakeIn = Callable[..., dict[str, Any]]
QUAD = [[30.0, 20.0], [130.0, 20.0], [130.0, 90.0], [30.0, 90.0]]
MIDDLE = (55, 80)


@pytest.fixture
def placed(client: TestClient, shot: str) -> str:
    edit(client, shot, type="add-pane", frame=1001, corners=QUAD, id="screen")
    return shot


def put_in(client: TestClient, take_in: TakeIn, shot: str, path: Path, **how: Any) -> dict[str, Any]:
    """A file as the pane's insert; what was understood of it."""
    taken = take_in([path], purpose="insert", shot=shot)
    assert taken["state"] == "done", taken["message"]
    media = taken["job"]["result"]["clip"]
    insert = {"source": "media", "media": media, "start": 1001, **how}
    edit(client, shot, type="set-pane", pane="screen", insert=insert)
    return dict(taken["understood"])


def composite(client: TestClient, shot: str, frame: int = 1001) -> np.ndarray:
    answer = client.get(f"/api/shots/{shot}/looks/composite/{frame}?size=full")
    assert answer.status_code == 200, answer.text
    return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), int)


def test_a_portrait_clip_is_shown_upright(client: TestClient, placed: str, take_in: TakeIn, tmp_path: Path) -> None:
    # A telephone held upright records lying pictures and says by how much they are to be turned. The ffmpeg program turns
    # them by itself when it reads them: that is the reference.
    lying, upright, turned = (tmp_path / name for name in ("lying.mp4", "upright.mp4", "turned.png"))
    ffmpeg(
        "-f", "lavfi", "-i", "color=red:size=32x48:rate=25", "-f", "lavfi", "-i", "color=blue:size=64x48:rate=25",
        "-filter_complex", "hstack", "-frames:v", "4", "-pix_fmt", "yuv420p", "-crf", "1", lying,
    )  # fmt: skip
    ffmpeg("-i", lying, "-metadata:s:v:0", "rotate=90", "-c", "copy", upright)
    ffmpeg("-i", upright, "-frames:v", "1", turned)
    reference = np.asarray(Image.open(turned).convert("RGB"), int)
    assert reference.shape == (96, 48, 3)
    understood = put_in(client, take_in, placed, upright)
    assert (understood["width"], understood["height"]) == (48, 96)
    seen = composite(client, placed)
    for share in (0.1, 0.5, 0.9):
        expected = reference[round(share * 95), 24]
        assert np.abs(seen[round(20 + share * 70), 80] - expected).max() < 25


@pytest.mark.parametrize("where", ["nan", "inf", "-inf"])
def test_holes_in_float_pictures_are_no_light_and_spoil_nothing_around(
    client: TestClient, placed: str, take_in: TakeIn, tmp_path: Path, where: str
) -> None:
    grey = np.full((60, 90), 0.2, np.float32)
    grey[10:14, 10:14] = float(where)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, {name: OpenEXR.Channel(grey.copy()) for name in "RGB"}) as file:
        file.write(str(tmp_path / "holes.exr"))
    put_in(client, take_in, placed, tmp_path / "holes.exr")
    seen = composite(client, placed)[MIDDLE]
    expected = 255 * (1.055 * 0.2 ** (1 / 2.4) - 0.055)  # IEC 61966-2-1
    assert np.abs(seen - expected).max() < 4
    edit(client, placed, type="set-pane", pane="screen", sit={"sharp": {"on": True, "soft": 1.5, "defocus": 0.0}})
    assert np.abs(composite(client, placed)[MIDDLE] - expected).max() < 4


def test_odd_sizes_are_put_in_whole(client: TestClient, placed: str, take_in: TakeIn, tmp_path: Path) -> None:
    picture = np.zeros((77, 333, 3), np.uint8)
    picture[:, 111:222] = (40, 200, 60)  # the middle third, BGR
    cv2.imwrite(str(tmp_path / "odd.png"), picture)
    understood = put_in(client, take_in, placed, tmp_path / "odd.png")
    assert (understood["width"], understood["height"]) == (333, 77)
    row = composite(client, placed)[55, 30:130]
    green = (row[:, 1] > 120).nonzero()[0] + 30
    assert abs(green[0] - (30 + 100 / 3)) < 2
    assert abs(green[-1] - (30 + 200 / 3)) < 2


def test_a_clip_with_damage_in_the_middle_is_refused_or_taken_in_with_all_its_frames(
    client: TestClient, placed: str, take_in: TakeIn, tmp_path: Path
) -> None:
    whole = tmp_path / "whole.mp4"
    ffmpeg(
        "-f", "lavfi", "-i", "testsrc2=size=96x64:rate=25", "-frames:v", "12", "-g", "4", "-bf", "0", "-pix_fmt", "yuv420p", whole,
    )  # fmt: skip
    data = bytearray(whole.read_bytes())
    start = data.find(b"mdat") + 4
    middle = start + (len(data) - start) // 3
    data[middle : middle + 400] = bytes(400)
    (tmp_path / "broken.mp4").write_bytes(data)
    before = client.get(f"/api/shots/{placed}").json()["revision"]
    taken = take_in([tmp_path / "broken.mp4"], purpose="insert", shot=placed)
    if taken["state"] == "done":
        clips = {c["id"]: c["info"] for c in client.get(f"/api/shots/{placed}/clips").json()}
        assert clips[taken["job"]["result"]["clip"]]["count"] == 12
    else:
        assert taken["message"]
        assert "Traceback" not in taken["message"]
    assert client.get(f"/api/shots/{placed}").json()["revision"] == before


def test_a_clip_that_is_shorter_than_its_piece_holds_loops_or_ends(
    client: TestClient, placed: str, take_in: TakeIn, tmp_path: Path
) -> None:
    short = tmp_path / "short.mp4"
    ffmpeg(
        "-f", "lavfi", "-i", "color=red:size=64x48:rate=25", "-f", "lavfi", "-i", "color=blue:size=64x48:rate=25",
        "-filter_complex", "[0]trim=end_frame=2[a];[1]trim=end_frame=1[b];[a][b]concat", "-pix_fmt", "yuv420p", "-crf", "1", short,
    )  # fmt: skip
    media = take_in([short], purpose="insert", shot=placed)["job"]["result"]["clip"]

    def shown(ends: str) -> list[str]:
        piece = {
            "id": "short",
            "name": "Short",
            "source": "media",
            "media": media,
            "start": 1002,
            "first": 1002,
            "last": 1008,
        }
        edit(client, placed, type="set-pane", pane="screen", insert={"source": "solid", "colours": ["#00ff00", "#00ff00"]},
             pieces=[{**piece, "ends": ends}])  # fmt: skip
        return ["rgb"[int(composite(client, placed, f)[MIDDLE].argmax())] for f in range(1001, 1010)]

    assert "".join(shown("hold")) == "grrbbbbbg"
    assert "".join(shown("loop")) == "grrbrrbrg"
    assert "".join(shown("nothing")) == "grrbggggg"
