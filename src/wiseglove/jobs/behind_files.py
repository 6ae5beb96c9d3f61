"""The clean picture behind what passes, and mattes of what covers it, straight from files."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.clean import FEWEST, Behind, clean_picture
from wiseglove.core.behind.difference import held_out
from wiseglove.core.behind.locked import moved
from wiseglove.core.motion.path import homographies
from wiseglove.core.motion.regions import filled
from wiseglove.core.motion.solve import is_cut
from wiseglove.core.parallel import each
from wiseglove.interchange import motion
from wiseglove.jobs.key_files import save_png
from wiseglove.jobs.solve_files import WrongUseError
from wiseglove.media.plate import PlateFiles, to_float

Matrix = NDArray[np.float64]
Picture = NDArray[np.float32]
MOST_FRAMES = 40
"""Frames from which a clean picture is made at most, spread evenly over the range."""
LARGEST_PANE = 4096
KEPT_NOISE = 1.5
"""Noise of a plate, of 255, beside a picture behind that was kept."""
STANDS = 2.0
"""Pixels by which a camera may move between two looks and still be called locked."""


class UnknownBehindError(WrongUseError):
    """What is behind cannot be known: why, and what would help on the command line."""

    def __init__(self, why: str, instead: str) -> None:
        super().__init__(f"{why} Nothing was written. {instead}")
        self.why = why


@dataclass(frozen=True)
class Request:
    """What is wanted. corners: a pane's motion by frame, (4, 2) in plate pixels; None for the whole plate, camera locked."""

    plate: str
    corners: dict[int, Matrix] | None = None
    first: int | None = None
    last: int | None = None


def read_motion(where: Path) -> dict[int, Matrix]:
    """Corners of each frame that has some, from a table as `wiseglove solve` writes it. Raises WrongUseError."""
    try:
        rows = motion.read(where.read_text())
    except (OSError, ValueError, IndexError, UnicodeDecodeError) as error:
        raise WrongUseError(
            f"{where} is not a table of a pane's corners as `wiseglove solve` writes it: {error}."
        ) from error
    return {row.frame: row.corners for row in rows if row.corners is not None and row.status != "lost"}


class Frames(Protocol):
    """What a view needs of a plate."""

    @property
    def first(self) -> int:
        """The first frame's number."""

    @property
    def last(self) -> int:
        """The last one's."""

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""

    def missing(self, frame: int) -> bool:
        """Whether a frame is not there."""

    def read(self, frame: int) -> NDArray[Any]:
        """Its pixels; may be called from several threads."""


class View:
    """The plate's frames as seen from one place: unrolled from a pane, or as they are."""

    def __init__(self, request: Request, plate: Frames | None = None) -> None:
        """plate: where the frames come from; None for the request's files."""
        self.plate = plate or PlateFiles(request.plate)
        first, last = request.first or self.plate.first, request.last or self.plate.last
        if not self.plate.first <= first <= last <= self.plate.last:
            raise WrongUseError(
                f"The range {first}:{last} does not lie in the plate, whose frames are {self.plate.first} to {self.plate.last}."
            )
        self.corners = request.corners
        frames = [f for f in range(first, last + 1) if not self.plate.missing(f)]
        if self.corners is not None:
            frames = [f for f in frames if f in request.corners] if request.corners else []
        if len(frames) < FEWEST:
            raise UnknownBehindError(
                f"Only {len(frames)} frames of the range can be used; a clean picture needs at least {FEWEST}.",
                "Make the range longer, or solve the pane on more frames.",
            )
        self.frames = frames
        self.size = self.plate.size if self.corners is None else _pane_size(self.corners, frames)

    def read(self, frame: int) -> Picture:
        """The plate's frame, (h, w, 3), 0..255."""
        return in_colours(self.plate.read(frame))

    def to_plate(self, frame: int) -> Matrix:
        """From the view's pixels (corners of the first at 0, 0) to the plate's, (3, 3)."""
        if self.corners is None:
            return np.eye(3)
        w, h = self.size
        sheet = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
        return np.asarray(homographies(sheet, self.corners[frame][None])[0])

    def seen(self, frame: int) -> tuple[NDArray[np.uint8], NDArray[np.bool_]]:
        """The view on a frame, (h, w, 3), and where the frame shows it."""
        picture = self.read(frame)
        if self.corners is None:
            return np.round(np.clip(picture, 0, 255)).astype(np.uint8), np.ones(picture.shape[:2], bool)
        matrix = _indexed(self.to_plate(frame))
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        there = cv2.warpPerspective(picture, matrix, self.size, flags=flags)
        ones = np.ones(picture.shape[:2], np.float32)
        inside = cv2.warpPerspective(ones, matrix, self.size, flags=flags) > 0.99
        return np.round(np.clip(there, 0, 255)).astype(np.uint8), inside

    def laid(self, behind: Behind, frame: int) -> Behind:
        """The picture behind as a frame of the plate would show it."""
        return behind if self.corners is None else laid_on(behind, self.corners[frame], self.plate.size)


def laid_on(behind: Behind, corners: Matrix, size: tuple[int, int]) -> Behind:
    """The unrolled picture behind, of any size, as a plate of a size (width, height) shows it between a pane's corners (4, 2)."""
    h, w = behind.known.shape
    sheet = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
    matrix = _indexed(homographies(sheet, corners[None])[0])
    picture = cv2.warpPerspective(behind.picture, matrix, size, flags=cv2.INTER_CUBIC)
    known = cv2.warpPerspective(behind.known.astype(np.float32), matrix, size) > 0.99
    return Behind(np.clip(picture, 0, 255), known, behind.noise)


def in_colours(pixels: NDArray[Any]) -> Picture:
    """Pixels of any kind as (h, w, 3), 0..255."""
    found = to_float(pixels)
    return found[..., :3] if found.shape[2] >= 3 else np.repeat(found[..., :1], 3, axis=2)


def _indexed(matrix: Matrix) -> Matrix:
    """A motion of coordinates whose first pixel's centre is (0.5, 0.5) as one of whole-numbered centres."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    return np.asarray(np.linalg.inv(half) @ matrix @ half)


def _pane_size(corners: dict[int, Matrix], frames: list[int]) -> tuple[int, int]:
    """Width and height of the unrolled pane: its sides where they are longest, so nothing of it is lost."""
    sides = np.array([np.linalg.norm(np.roll(corners[f], -1, axis=0) - corners[f], axis=1) for f in frames]).max(0)
    wide, tall = max(sides[0], sides[2]), max(sides[1], sides[3])
    return tuple(int(np.clip(round(side), 8, LARGEST_PANE)) for side in (wide, tall))  # type: ignore[return-value]


def behind_of(view: View, report: Callable[[str], None]) -> Behind:
    """The clean picture of a view, from frames spread over its range. Raises UnknownBehindError for a camera that moves or a cut."""
    picked = np.unique(np.linspace(0, len(view.frames) - 1, min(MOST_FRAMES, len(view.frames))).round().astype(int))
    frames = [view.frames[i] for i in picked]
    looks = each(view.seen, frames)
    pictures, seen = np.stack([p for p, _ in looks]), np.stack([s for _, s in looks])
    if view.corners is None:
        _check_locked(pictures, frames)
    behind = clean_picture(pictures, seen)
    share = float(behind.known.mean())
    report(f"Made from {len(frames)} frames between {frames[0]} and {frames[-1]}; {share:.1%} of it was seen.")
    if len(frames) < 8:
        report("So few frames tell little: what stands on most of them counts as what is behind.")
    if share < 0.98:
        report("What was never uncovered, or changes all the time, is left open.")
    return behind


def _check_locked(pictures: NDArray[np.uint8], frames: list[int]) -> None:
    greys = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY).astype(np.float32) for p in pictures]
    for one, other, at in zip(greys[:-1], greys[1:], frames[1:], strict=True):
        if is_cut(one, other):
            raise UnknownBehindError(f"There is a cut before frame {at}.", "Give a --range without it.")
    small = 640 / max(greys[0].shape[1], 640)
    first = cv2.resize(greys[0], None, fx=small, fy=small, interpolation=cv2.INTER_AREA)
    for grey, at in zip(greys[1:], frames[1:], strict=True):
        by = moved(first, cv2.resize(grey, None, fx=small, fy=small, interpolation=cv2.INTER_AREA)) / small
        if by > STANDS:
            raise UnknownBehindError(
                f"The camera is not locked: at frame {at} most of the picture has moved by {by:.0f} px.",
                "Solve a pane on what lies behind and give its corners with --motion.",
            )


def write_behind(behind: Behind, target: Path) -> None:
    """The picture as 16-bit PNG; alpha 0 where it was never seen."""
    colours = np.round(np.clip(behind.picture[..., ::-1] / 255, 0, 1) * 65535).astype(np.uint16)
    alpha = (behind.known * np.uint16(65535)).astype(np.uint16)
    save_png(target, np.dstack([colours, alpha]))


def read_behind(where: Path, size: tuple[int, int]) -> Behind:
    """What `write_behind` wrote, or any picture of that size. Raises WrongUseError."""
    there = PlateFiles(str(where))
    pixels = there.read(there.first)
    if (pixels.shape[1], pixels.shape[0]) != size:
        raise WrongUseError(
            f"{where} is {pixels.shape[1]}x{pixels.shape[0]}, but {size[0]}x{size[1]} is needed. Make it anew with `wiseglove behind`."
        )
    return as_behind(pixels)


def as_behind(pixels: NDArray[Any]) -> Behind:
    """A picture (h, w, 3 or 4) as what is behind; where its alpha is low it is not known."""
    colours = to_float(pixels)
    known = colours[..., 3] > 127 if colours.shape[2] == 4 else np.ones(colours.shape[:2], bool)
    return Behind(np.ascontiguousarray(colours[..., :3]), known, KEPT_NOISE)


def differences(view: View, behind: Behind, within: Matrix | None, out: Path, report: Callable[[str], None]) -> int:
    """A 16-bit matte of what covers the picture behind for each frame, numbered like the plate; how many. within: (N, 2)."""
    width, height = view.plate.size
    allowed = np.ones((height, width), np.float32) if within is None else filled(within, (height, width))
    out.mkdir(exist_ok=True)

    def one(frame: int) -> None:
        alpha = held_out(view.read(frame), view.laid(behind, frame), 0) * allowed
        save_png(out / f"matte.{frame:04d}.png", np.round(np.clip(alpha, 0, 1) * 65535).astype(np.uint16))

    each(one, view.frames)
    report(f"{len(view.frames)} mattes are in {out}.")
    return len(view.frames)
