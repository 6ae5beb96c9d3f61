"""`wiseglove key` on real files: what it writes, what it says, and what it refuses."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from typer.testing import CliRunner

from tests.core.keying.scene import off, stage
from wiseglove.cli import app
from wiseglove.core.compositing.colour import encode

FIRST, COUNT = 1001, 2
SAMPLE = "20,20,40,40"


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("stage") / "plate"
    folder.mkdir()
    for n in range(COUNT):
        picture, _, _ = stage(seed=n)
        shown = np.round(encode(picture) * 255).astype(np.uint8)
        cv2.imwrite(str(folder / f"seeds.{FIRST + n}.png"), shown[..., ::-1])
    return folder


def run(plate: Path, out: Path, *more: str | Path) -> tuple[int, str]:
    result = CliRunner().invoke(app, ["key", str(plate), "--out", str(out), *map(str, more)])
    assert result.exception is None or isinstance(result.exception, SystemExit)
    return result.exit_code, result.stderr


def masks(
    folder: Path, value: int, part: slice = slice(None), count: int = COUNT, size: tuple[int, int] = (360, 480)
) -> Path:
    folder.mkdir()
    for n in range(count):
        picture = np.zeros(size, np.uint8)
        picture[:, part] = value
        cv2.imwrite(str(folder / f"mask.{FIRST + n}.png"), picture)
    return folder


def test_mattes_of_16_bits_and_the_subject_are_written_numbered_like_the_plate(plate: Path, tmp_path: Path) -> None:
    out, own = tmp_path / "mattes", tmp_path / "own"
    code, said = run(plate, out, "--sample", SAMPLE, "--despilled", own)
    assert (code, "2 mattes" in said) == (0, True)
    assert sorted(p.name for p in out.iterdir()) == ["matte.1001.png", "matte.1002.png"]
    for n in range(COUNT):
        matte = cv2.imread(str(out / f"matte.{FIRST + n}.png"), cv2.IMREAD_UNCHANGED)
        assert (matte.dtype, matte.shape) == (np.uint16, (360, 480))
        _, truth, where = stage(seed=n)
        alpha = (matte / 65535).astype(np.float32)
        assert off(alpha, truth, where["edge"]) < 0.07
        assert off(alpha, truth, where["clear"]) < 0.002
        colours = cv2.imread(str(own / f"subject.{FIRST + n}.png"), cv2.IMREAD_UNCHANGED)
        assert (colours.dtype, colours.shape) == (np.uint16, (360, 480, 3))
        assert colours[300, 240, 2] > colours[300, 240, 1] > colours[300, 240, 0]  # skin, in OpenCV's order


def test_core_garbage_range_and_a_typed_backing_count(plate: Path, tmp_path: Path) -> None:
    core = masks(tmp_path / "core", 255, slice(230, 250))
    garbage = masks(tmp_path / "garbage", 255, slice(300, None))
    out = tmp_path / "mattes"
    code, _ = run(plate, out, "--backing", "#3fae56", "--core", core, "--garbage", garbage, "--range", "1002:1002")
    assert code == 0
    assert [p.name for p in out.iterdir()] == ["matte.1002.png"]
    matte = cv2.imread(str(out / "matte.1002.png"), cv2.IMREAD_UNCHANGED)
    assert matte[:, 230:250].min() == 65535
    assert matte[:, 300:].max() == 0


def test_shrinking_takes_the_edge_in(plate: Path, tmp_path: Path) -> None:
    widths = []
    for name, pixels in (("a", "0"), ("b", "1.5")):
        run(plate, tmp_path / name, "--sample", SAMPLE, "--shrink", pixels, "--range", "1001:1001")
        matte = cv2.imread(str(tmp_path / name / "matte.1001.png"), cv2.IMREAD_UNCHANGED)
        widths.append(float(matte[330].sum()) / 65535)
    assert widths[0] - widths[1] == pytest.approx(3.0, abs=0.4)


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ([], "either --sample"),
        (["--sample", SAMPLE, "--backing", "#00ff00"], "either --sample"),
        (["--backing", "green"], "not a colour"),
        (["--backing", "#777777"], "nearly grey"),
        (["--sample", "2000,20,40,40"], "holds no pixel"),
        (["--sample", "2,2"], "4 numbers"),
        (["--sample", SAMPLE, "--range", "5:9"], "does not lie in the plate"),
        (["--sample", SAMPLE, "--low", "0.9", "--high", "0.2"], "less than --high"),
        (["--sample", SAMPLE, "--clean-plate", "nowhere.png"], "nowhere"),
    ],
)
def test_wrong_use_is_said_plainly_and_writes_nothing(plate: Path, tmp_path: Path, more: list[str], said: str) -> None:
    code, told = run(plate, tmp_path / "mattes", *more)
    assert (code, said in told.replace("\n", " ")) == (2, True)
    assert not (tmp_path / "mattes").exists()


def test_a_sample_on_the_subject_and_a_backing_that_turns_are_told(plate: Path, tmp_path: Path) -> None:
    code, told = run(plate, tmp_path / "mattes", "--sample", "220,250,40,40")
    assert (code, "as if the sample lay on the subject" in told) == (0, True)
    turning = tmp_path / "turning"
    turning.mkdir()
    for n, backing in enumerate(("green", "blue")):
        shown = np.round(encode(stage(backing)[0]) * 255).astype(np.uint8)
        cv2.imwrite(str(turning / f"seeds.{FIRST + n}.png"), shown[..., ::-1])
    _, told = run(turning, tmp_path / "others", "--sample", SAMPLE)
    assert "changes in time" in told.replace("\n", " ")


def test_masks_of_another_size_or_length_are_refused(plate: Path, tmp_path: Path) -> None:
    small = masks(tmp_path / "small", 255, size=(90, 120))
    code, told = run(plate, tmp_path / "mattes", "--sample", SAMPLE, "--core", small)
    assert (code, "need the plate's size" in told.replace("\n", " ")) == (2, True)
    short = masks(tmp_path / "short", 255, count=1)
    code, told = run(plate, tmp_path / "mattes", "--sample", SAMPLE, "--garbage", short)
    assert (code, "a picture for each frame" in told.replace("\n", " ")) == (2, True)
    assert not (tmp_path / "mattes").exists()
