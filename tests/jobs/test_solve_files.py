"""`wiseglove solve` on real files: what it writes, what it says, and what it refuses."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from typer.testing import CliRunner

from tests.core.motion.test_plane import QUAD, SIZE, clip, texture, truth_at
from wiseglove.cli import app
from wiseglove.core.geometry.homography import apply
from wiseglove.interchange import motion

PATCH = " ".join(f"{x},{y}" for x, y in QUAD)
COUNT, FIRST = 6, 101


def write(folder: Path, count: int = COUNT, first: int = FIRST) -> Path:
    folder.mkdir()
    picture_at = clip(count)
    for n in range(count):
        cv2.imwrite(str(folder / f"door.{first + n:04d}.png"), picture_at(n + 1).astype(np.uint8))
    return folder


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write(tmp_path_factory.mktemp("plate") / "door")


def run(*arguments: str | Path, out: Path, pane: str = PATCH) -> tuple[int, str]:
    result = CliRunner().invoke(app, ["solve", *map(str, arguments), "--pane", pane, "--out", str(out)])
    assert result.exception is None or isinstance(result.exception, SystemExit)
    return result.exit_code, result.stderr


@pytest.mark.parametrize("how", ["folder", "percent", "hashes", "star"])
def test_corners_are_written_for_every_frame_with_the_plates_own_numbers(plate: Path, tmp_path: Path, how: str) -> None:
    names = {"folder": "", "percent": "door.%04d.png", "hashes": "door.####.png", "star": "door.*.png"}
    where = plate / names[how] if names[how] else plate
    code, said = run(where, "--patch", PATCH, out=tmp_path / "corners.csv")
    assert code == 0, said
    rows = motion.read((tmp_path / "corners.csv").read_text())
    assert [r.frame for r in rows] == list(range(FIRST, FIRST + COUNT))
    for row in rows:
        assert row.status == "solved"
        assert row.corners == pytest.approx(apply(truth_at(row.frame - FIRST + 1), QUAD), abs=0.15)
    assert (tmp_path / "corners.csv").read_text().splitlines()[0] == "frame,status,confidence,x1,y1,x2,y2,x3,y3,x4,y4"


def test_the_corners_come_from_the_frame_that_was_named_over_the_range_that_was_named(
    plate: Path, tmp_path: Path
) -> None:
    at = FIRST + 3
    there = apply(truth_at(4), QUAD)
    places = " ".join(f"{x:.3f},{y:.3f}" for x, y in there)
    code, _ = run(
        plate,
        "--patch",
        places,
        "--at",
        str(at),
        "--range",
        f"{FIRST + 1}:{FIRST + 4}",
        out=tmp_path / "c.csv",
        pane=places,
    )
    assert code == 0
    rows = motion.read((tmp_path / "c.csv").read_text())
    assert [r.frame for r in rows] == list(range(FIRST + 1, FIRST + 5))
    assert rows[0].corners == pytest.approx(apply(truth_at(2), QUAD), abs=0.15)


def test_blind_spots_and_mattes_keep_it_from_looking(plate: Path, tmp_path: Path) -> None:
    mattes = tmp_path / "mattes"
    mattes.mkdir()
    for n in range(COUNT):
        matte = np.zeros(SIZE, np.uint8)
        matte[100:140, 60:100] = 255
        cv2.imwrite(str(mattes / f"m.{n:04d}.png"), matte)
    code, said = run(
        plate, "--patch", PATCH, "--blind", "150,80 200,80 200,120 150,120", "--ignore", mattes, out=tmp_path / "c.csv"
    )
    assert code == 0, said
    assert {r.status for r in motion.read((tmp_path / "c.csv").read_text())} == {"solved"}


def test_a_stretch_that_is_not_solved_has_no_numbers_and_says_why(tmp_path: Path) -> None:
    folder = write(tmp_path / "hidden")
    blind = texture(5, SIZE)
    for n in (3, 4):
        path = folder / f"door.{FIRST + n:04d}.png"
        picture = cv2.imread(str(path), cv2.IMREAD_GRAYSCALE)
        assert picture is not None
        picture[30:215, 40:290] = blind[30:215, 40:290]
        cv2.imwrite(str(path), picture)
    code, said = run(folder, "--patch", PATCH, out=tmp_path / "c.csv")
    assert code == 0
    assert f"Frames {FIRST + 3} to {FIRST + 4} lost" in said
    rows = motion.read((tmp_path / "c.csv").read_text())
    assert [r.corners is None for r in rows] == [False, False, False, True, True, False]


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["--patch", "900,900 990,900 990,990"], "outside the plate"),
        (["--patch", "10,10 20,10 30,10"], "no area"),
        (["--patch", "10,10 20"], "at least 3 places"),
        ([], "no patch"),
        (["--patch", PATCH, "--range", "101:900"], "does not lie in the plate"),
        (["--patch", PATCH, "--range", "103:103"], "one frame only"),
        (["--patch", PATCH, "--range", "now"], "two frame numbers"),
        (["--patch", PATCH, "--at", "5"], "not in the range"),
        (["--patch", PATCH, "--model", "wobble"], "not one of"),
        (["--patch", PATCH, "--channel", "infrared"], "not one of"),
        (["--patch", PATCH, "--blind", "0,0 320,0 320,240 0,240"], "leave nothing"),
        (["--patch", PATCH, "--ignore", "nowhere"], "no file or folder"),
    ],
)
def test_wrong_use_is_said_plainly_and_writes_nothing(
    plate: Path, tmp_path: Path, arguments: list[str], says: str
) -> None:
    code, said = run(plate, *arguments, out=tmp_path / "c.csv")
    assert code == 2
    assert says in " ".join(said.replace("│", " ").split())
    assert list(tmp_path.iterdir()) == []


def test_a_plate_of_one_frame_and_mattes_that_do_not_fit_are_refused(plate: Path, tmp_path: Path) -> None:
    single = write(tmp_path / "single", 1)
    code, said = run(single, "--patch", PATCH, out=tmp_path / "c.csv")
    assert code == 2
    assert "one frame only" in said
    short = tmp_path / "short"
    short.mkdir()
    for n in range(2):
        cv2.imwrite(str(short / f"m.{n}.png"), np.zeros(SIZE, np.uint8))
    code, said = run(plate, "--patch", PATCH, "--ignore", short, out=tmp_path / "c.csv")
    assert code == 2
    assert "a picture for each frame" in said
    small = tmp_path / "small"
    small.mkdir()
    for n in range(COUNT):
        cv2.imwrite(str(small / f"m.{n}.png"), np.zeros((20, 30), np.uint8))
    code, said = run(plate, "--patch", PATCH, "--ignore", small, out=tmp_path / "c.csv")
    assert code == 2
    assert "need the plate's size" in said
    covered = tmp_path / "covered"
    covered.mkdir()
    for n in range(COUNT):
        cv2.imwrite(str(covered / f"m.{n}.png"), np.full(SIZE, 255, np.uint8))
    code, said = run(plate, "--patch", PATCH, "--ignore", covered, out=tmp_path / "c.csv")
    assert code == 2
    assert "wholly covered" in said
    assert not (tmp_path / "c.csv").exists()
