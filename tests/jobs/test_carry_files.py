"""`wiseglove carry` on real files."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from typer.testing import CliRunner

from tests.core.outline.test_towards import off, picture, thing
from wiseglove.cli import app


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("carry") / "plate"
    folder.mkdir()
    for frame in range(11):
        cv2.imwrite(str(folder / f"sleeve.{1001 + frame}.png"), picture(frame)[..., ::-1])
    return folder


def outline(where: Path, frame: int, count: int = 4) -> Path:
    where.write_text(json.dumps({"points": thing(frame)[:count, :6].tolist()}))
    return where


def run(plate: Path, *words: str | Path) -> tuple[int, str]:
    result = CliRunner().invoke(app, ["carry", str(plate), *map(str, words)])
    assert result.exception is None or isinstance(result.exception, SystemExit)
    return result.exit_code, result.stderr


def test_each_frame_of_the_range_has_its_outline_and_its_doubts(plate: Path, tmp_path: Path) -> None:
    out = tmp_path / "carried.json"
    key, later = outline(tmp_path / "key.json", 2), outline(tmp_path / "later.json", 8)
    code, said = run(
        plate, "--outline", key, "--at", "1003", "--also", f"{later}@1009", "--range", "1002:1010", "--out", out
    )
    assert code == 0, said
    assert "9 frames are in" in said
    frames = json.loads(out.read_text())["frames"]
    assert list(frames) == [str(n) for n in range(1002, 1011)]
    for number, told in frames.items():
        points = np.zeros((4, 8))
        points[:, :6] = told["points"]
        assert off(points, int(number) - 1001) < 1.5, number
        assert all(0 <= start < end <= 4 and 0 <= doubt <= 1 for start, end, doubt in told["doubt"])


def test_what_cannot_be_done_is_said_and_nothing_is_written(plate: Path, tmp_path: Path) -> None:
    key, few = outline(tmp_path / "key.json", 2), outline(tmp_path / "few.json", 8, 3)
    (tmp_path / "words.json").write_text('{"points": "none"}')
    out = tmp_path / "carried.json"
    usual = ("--at", "1003", "--range", "1002:1010")
    for words, sentence in (
        (("--outline", tmp_path / "nothing.json", *usual), "There is no outline file"),
        (("--outline", tmp_path / "words.json", *usual), "is not an outline"),
        (("--outline", key, "--at", "2000", "--range", "1002:1010"), "Frame 2000 is not in the plate"),
        (("--outline", key, "--at", "1003", "--range", "1010:1002"), "ends before it begins"),
        (("--outline", key, *usual, "--also", "key.json"), "is not a file and a frame"),
        (("--outline", key, *usual, "--also", f"{few}@1009"), "different numbers of points"),
    ):
        code, said = run(plate, *words, "--out", out)
        assert (code, sentence in said) == (2, True), said
        assert not out.exists()


def test_a_plate_too_short_to_know_what_is_behind_is_carried_by_itself(plate: Path, tmp_path: Path) -> None:
    short = tmp_path / "short"
    short.mkdir()
    for name in sorted(plate.iterdir())[:2]:
        (short / name.name).write_bytes(name.read_bytes())
    out = tmp_path / "carried.json"
    key = outline(tmp_path / "key.json", 0)
    code, said = run(short, "--outline", key, "--at", "1001", "--range", "1001:1002", "--out", out)
    assert code == 0, said
    assert "in the plate alone" in said
    assert list(json.loads(out.read_text())["frames"]) == ["1001", "1002"]
    code, said = run(
        short, "--outline", key, "--at", "1001", "--range", "1001:1002", "--out", out, "--behind", "no.png"
    )
    assert code == 2
    assert "no.png" in said
