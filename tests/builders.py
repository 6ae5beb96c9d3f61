"""Small shots, pictures and movies for tests."""

from __future__ import annotations

import subprocess
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from tests.strategies import blob
from wiseglove.shot.basics import Plate
from wiseglove.shot.edits import AddCover, AddPane, Edit, OutlineDraft
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Insert, new_shot

WIDTH, HEIGHT = 128, 96


def small_plate(count: int = 20, first: int = 1001) -> Plate:
    return Plate(media="0" * 24, width=WIDTH, height=HEIGHT, first=first, count=count, rate_num=25, rate_den=1)


def draft(seed: int = 1, **where: Any) -> OutlineDraft:
    points = blob(seed, **where)
    return OutlineDraft(kinds=["smooth"] * len(points), points=as_points(points))


def after(shot: EvaluatedShot, *edits: Edit) -> EvaluatedShot:
    """The shot after some edits, as the store would leave it."""
    for edit in edits:
        shot = shot.advanced(shot.document.with_elements(edit.apply(shot).after, shot.revision + 1))
    return shot


def empty_shot(plate: Plate | None = None) -> EvaluatedShot:
    """A shot with nothing drawn."""
    return EvaluatedShot.of(new_shot("s1", "Tap", plate or small_plate()))


PANE, HAND = "pane0", "hand0"
SQUARE = ((20.0, 15.0), (105.0, 18.0), (100.0, 80.0), (22.0, 76.0))


def shot_with_hand_and_pane() -> EvaluatedShot:
    """Cover "Hand" (outline `HAND`) before the pane "Screen" (`PANE`), both keyed on frame 1001."""
    return after(
        empty_shot(),
        AddPane(type="add-pane", id=PANE, frame=1001, corners=SQUARE, name="Screen"),
        AddCover(type="add-cover", outline_id=HAND, frame=1001, outline=draft(), name="Hand"),
    )


class PlainPictures:
    """A plate with a ramp, and an insert of one colour."""

    exact = True

    def __init__(self, insert: tuple[float, ...] = (1.0, 0.0, 0.0)) -> None:
        self._insert = insert

    def plate(self, plate: Plate, frame: int, width: int, height: int) -> np.ndarray:
        rows, columns = np.mgrid[:height, :width]
        return np.stack([columns + 40, rows + 60, np.full_like(rows, frame % 100 + 50)], axis=2).astype(np.uint8)

    def insert(self, insert: Insert, frame: int, linear: bool) -> np.ndarray:
        return np.broadcast_to(np.array(self._insert, np.float32), (32, 48, len(self._insert))).copy()

    def pixel_aspect(self, media: str) -> float:
        """Square."""
        return 1.0


def numbered_picture(number: int, width: int = WIDTH, height: int = HEIGHT) -> np.ndarray:
    """RGB pixels that differ for every number, with edges and a gradient."""
    rows, columns = np.mgrid[:height, :width]
    picture = np.stack([columns * 2 % 256, rows * 2 % 256, (rows + columns) % 256], axis=2).astype(np.uint8)
    cv2.putText(picture, str(number), (8, height - 20), cv2.FONT_HERSHEY_SIMPLEX, 2, (255, 255, 255), 5)
    picture[: height // 8, : (number * 7) % width] = (255, 80, 0)
    return picture


def write_sequence(folder: Path, numbers: Sequence[int], suffix: str = ".png", stem: str = "tap.") -> list[Path]:
    """Numbered 8-bit pictures."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for number in numbers:
        path = folder / f"{stem}{number:04d}{suffix}"
        cv2.imwrite(str(path), numbered_picture(number)[..., ::-1])
        paths.append(path)
    return paths


def ffmpeg(*arguments: str | Path) -> bytes:
    """Run the ffmpeg program; what it printed."""
    command = ["ffmpeg", "-hide_banner", "-v", "error", "-y", *map(str, arguments)]
    return subprocess.run(command, check=True, capture_output=True).stdout


def write_movie(path: Path, count: int = 30, *options: str) -> Path:
    """An H.264 movie with B-frames, encoded by the ffmpeg program from numbered pictures."""
    write_sequence(path.parent / "frames", range(count))
    chosen = options or ("-c:v", "libx264", "-bf", "3", "-g", "12", "-pix_fmt", "yuv420p", "-crf", "12")
    ffmpeg("-framerate", "25", "-i", path.parent / "frames" / "tap.%04d.png", *chosen, path)
    return path


def quads(shot: EvaluatedShot, carrier: str, first: int, last: int) -> np.ndarray:
    """Where a carrier's base corners are on a span of frames, (T, 4, 2)."""
    motion = shot.motion(carrier)
    return np.asarray(motion.quads[first - motion.first : last - motion.first + 1])
