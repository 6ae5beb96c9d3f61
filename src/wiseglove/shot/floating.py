"""A pane that floats before another: where its corners are follows from that one's."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.aspect import aspect_of
from wiseglove.core.geometry.floating import BehindCameraError, floating_quad
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.shot.pane import Pane
from wiseglove.shot.rider import Rider, Times
from wiseglove.shot.valued import pane_at

Array = NDArray[np.float64]
USUAL = 1.2
"""Focal length in widths of the picture where nothing tells it: that of a usual lens. Common practice, no source."""


@dataclass(frozen=True, eq=False)
class FloatingRider(Rider[Pane]):
    """A floating pane with the pane that it floats before, on a picture of `size`."""

    base: Rider[Pane] | None = None
    size: tuple[int, int] = (1, 1)
    pixel_aspect: float = 1.0

    def points_at(self, frames: Times) -> Array:
        """Points at frames (T,) as they are seen, (T, 4, 8); all at one place where they cannot be seen."""
        assert self.base is not None
        times = np.asarray(frames, np.float64)
        out = np.zeros((len(times), 4, 8))
        quads = self.base.points_at(times)[:, :, :2]
        base, square = self.base.element, np.array([self.pixel_aspect, 1.0])
        width, height = self.size[0] * self.pixel_aspect, float(self.size[1])
        for row, frame, quad in zip(out, times, quads * square, strict=True):
            where = pane_at(self.element, float(frame)).floats
            assert where is not None
            aspect = base.aspect or aspect_of(quad, width, height)[0]
            with suppress(DegenerateQuadError, BehindCameraError):
                seen = floating_quad(quad, aspect, where.focal or USUAL * width, width, height, where.where)
                row[:, :2] = seen / square
        return out

    def to_stored(self, frame: float, points: Array) -> Array:
        """Its keys are not looked at, so they stay as they come."""
        return points

    @property
    def span(self) -> tuple[int, int]:
        """First and last frame beyond which it stands still."""
        assert self.base is not None
        frames = [k.frame for path, keys in self.element.values.items() if path.startswith("floats.") for k in keys]
        first, last = self.base.span
        return min([first, *frames]), max([last, *frames])
