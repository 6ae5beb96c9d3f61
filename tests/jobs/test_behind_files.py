"""The commands that make the picture behind and mattes of what covers it."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from typer.testing import CliRunner

from tests.core.behind.test_behind import H, W, scene, wall
from wiseglove.cli import app
from wiseglove.interchange import motion


def written(folder: Path, frames: list[np.ndarray]) -> str:
    folder.mkdir()
    for number, frame in enumerate(frames, 1001):
        cv2.imwrite(str(folder / f"pass.{number}.png"), np.round(np.clip(frame, 0, 255)).astype(np.uint8)[..., ::-1])
    return str(folder)


def run(*words: str) -> tuple[int, str]:
    result = CliRunner().invoke(app, list(words))
    assert result.exception is None or isinstance(result.exception, SystemExit)
    return result.exit_code, result.output + (result.stderr if result.stderr_bytes else "")


def test_a_locked_plate_gives_its_clean_picture_and_mattes_numbered_like_it(tmp_path: Path) -> None:
    frames, covers = scene(40)
    plate = written(tmp_path / "plate", frames)
    code, said = run("behind", plate, "--out", str(tmp_path / "clean.png"))
    assert code == 0, said
    assert "40 frames between 1001 and 1040" in said
    clean = cv2.imread(str(tmp_path / "clean.png"), cv2.IMREAD_UNCHANGED)
    assert (clean.dtype, clean.shape) == (np.uint16, (H, W, 4))
    assert np.abs(clean[..., 2::-1] / 257 - wall()).mean() < 2
    code, said = run(
        "difference", plate, "--behind", str(tmp_path / "clean.png"), "--within", f"0,0 {W},0 {W},{H} 0,{H}",
        "--range", "1006:1010", "--out", str(tmp_path / "mattes"),
    )  # fmt: skip
    assert code == 0, said
    assert sorted(p.name for p in (tmp_path / "mattes").iterdir()) == [f"matte.{n}.png" for n in range(1006, 1011)]
    matte = cv2.imread(str(tmp_path / "mattes" / "matte.1010.png"), cv2.IMREAD_UNCHANGED)
    assert np.abs(matte / 65535 - covers[9]).mean() < 0.02


def test_a_pane_is_unrolled_by_its_motion(tmp_path: Path) -> None:
    frames, rows = [], []
    for time in range(16):
        shift = np.array([[1, 0, 3.0 * time], [0, 1, 1.5 * time]])
        wide = cv2.copyMakeBorder(wall(), 20, 40, 20, 60, cv2.BORDER_CONSTANT, value=(40, 40, 40))
        frames.append(cv2.warpAffine(wide, shift, (W + 80, H + 60), borderValue=(40, 40, 40)))
        corners = np.array([[20, 20], [20 + W, 20], [20 + W, 20 + H], [20, 20 + H]], float) + (3.0 * time, 1.5 * time)
        rows.append(motion.Row(1001 + time, "solved", 1.0, corners))
    plate = written(tmp_path / "plate", frames)
    (tmp_path / "pane.csv").write_text(motion.write(rows))
    code, said = run("behind", plate, "--motion", str(tmp_path / "pane.csv"), "--out", str(tmp_path / "pane.png"))
    assert code == 0, said
    clean = cv2.imread(str(tmp_path / "pane.png"), cv2.IMREAD_UNCHANGED)
    assert clean.shape[:2] == (H, W)
    assert np.abs(clean[..., 2::-1] / 257 - wall())[4:-4, 4:-4].mean() < 2


def test_what_cannot_be_done_is_said_and_nothing_is_written(tmp_path: Path) -> None:
    frames, _ = scene(12)
    few = written(tmp_path / "few", frames[:2])
    panned = written(tmp_path / "panned", [np.roll(wall(), 5 * k, axis=1) for k in range(8)])
    other = [255 - wall()[::-1] for _ in range(6)]
    cut = written(tmp_path / "cut", [*frames[:6], *other])
    plate = written(tmp_path / "plate", frames)
    (tmp_path / "wrong.csv").write_text("a,b\n1,2\n")
    out = tmp_path / "clean.png"
    for words, sentence in (
        ((few,), "needs at least 3"),
        ((panned,), "The camera is not locked"),
        ((cut,), "There is a cut before frame"),
        ((plate, "--motion", str(tmp_path / "wrong.csv")), "is not a table of a pane's corners"),
        ((plate, "--range", "900:950"), "does not lie in the plate"),
        ((str(tmp_path / "nothing"),), "There is no file or folder"),
    ):
        code, said = run("behind", *words, "--out", str(out))
        assert (code, sentence in said) == (2, True), said
        assert not out.exists()
    code, said = run("difference", plate, "--behind", str(tmp_path / "few"), "--out", str(tmp_path / "nowhere" / "d"))
    assert (code, "There is no folder" in said) == (2, True), said
