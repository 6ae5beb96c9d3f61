"""Outlines as formats of others hold them: closed cubic curves by cover, frame by frame, without soft edges."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
Mode = Literal["adds", "cuts", "limits"]
MOST_POINTS = 2000
"""Points of one outline that are read."""
MOST_OUTLINES = 2000
"""Outlines of one file that are read."""
FAR = 100_000.0
"""Farthest coordinate that is read."""


class UnreadableError(ValueError):
    """A file that cannot be read, in words: what is wrong, what is safe, what to do."""


@dataclass(frozen=True)
class Curve:
    """One outline on one or more frames.

    frames: (T,) numbers, rising. points: (T, N, 6) x, y and both handles relative to their point, in plate pixels.
    strength: (T,) how much of it is there, 0..1.
    """

    mode: Mode
    frames: NDArray[np.int64]
    points: Points
    strength: NDArray[np.float64]

    @property
    def still(self) -> bool:
        """Whether it is the same on all of its frames."""
        return bool(np.ptp(self.points, axis=0).max() == 0 and np.ptp(self.strength) == 0)


@dataclass(frozen=True)
class Layer:
    """A cover: its name, its colour, and its outlines in the order in which they add, cut and limit."""

    name: str
    curves: list[Curve]
    colour: str = "#ffffff"


@dataclass(frozen=True)
class Sheet:
    """What the layers lie on: size in pixels, first frame, number of frames, rate."""

    width: int
    height: int
    first: int = 1001
    count: int = 1
    rate: Fraction = field(default_factory=lambda: Fraction(25))


def curve(mode: Mode, frames: list[int], points: list[Points], strength: list[float] | None = None) -> Curve:
    """A curve from shapes that were read. Raises UnreadableError for ones that no outline can have."""
    counts = {len(p) for p in points}
    if len(counts) != 1:
        raise UnreadableError(
            "An outline of this file has another number of points on some frames, which cannot be in-betweened. Nothing was "
            "brought in. Write it with the same points on all frames, or bring it in as mattes."
        )
    shapes = np.array(points, np.float64)
    if shapes.shape[1] > MOST_POINTS:
        raise UnreadableError(
            f"An outline of this file has {shapes.shape[1]} points; at most {MOST_POINTS} are read. Nothing was brought in. "
            "Thin it out first."
        )
    if not np.isfinite(shapes).all() or np.abs(shapes).max(initial=0) > FAR:
        raise UnreadableError(
            "A point of this file lies farther away than any picture reaches, or is not a number. Nothing was brought in. "
            "Check the file's units: they are read as plate pixels."
        )
    there = np.ones(len(frames)) if strength is None else np.clip(np.array(strength, np.float64), 0, 1)
    return Curve(mode, np.array(frames, np.int64), shapes, there)
