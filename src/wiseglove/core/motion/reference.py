"""A reference prepared for comparison."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from wiseglove.core.compositing.colour import decode, encode

Matrix = NDArray[np.float64]
Picture = NDArray[np.float32]
LEVELS = 4
"""Reductions by 1, 2, 4 and 8."""
SMALLEST = 20
"""A level is used where the patch is at least this many pixels wide and high in it."""
CURVE = (encode(np.linspace(0, 1, 512) ** 2) * 255).astype(np.float32)
"""Display encoding of linear light 0..1, at steps that are even in its square root."""


def pyramid(picture: Picture) -> list[Picture]:
    """A picture reduced by 1, 2, 4 and 8, by area; an odd last row or column is left out."""
    out = [np.ascontiguousarray(picture, np.float32)]
    for _ in range(LEVELS - 1):
        h, w = (max(side // 2, 1) for side in out[-1].shape)
        even = out[-1][: 2 * h, : 2 * w]  # an odd last row or column would shift everything by a fraction of a pixel
        out.append(np.asarray(cv2.resize(even, (w, h), interpolation=cv2.INTER_AREA)))
    return out


@dataclass(frozen=True)
class Window:
    """A part of a level's picture, in its pixels; sides are multiples of 4."""

    left: int
    top: int
    width: int
    height: int

    def of(self, picture: Picture) -> Picture:
        """The picture's part."""
        return np.ascontiguousarray(picture[self.top : self.top + self.height, self.left : self.left + self.width])


class Reference:
    """A picture (h, w) and what of it counts, 0..1 (h, w), prepared on all levels.

    Raises ValueError where nothing counts.
    """

    def __init__(self, picture: Picture, mask: Picture, ends: Matrix | None = None) -> None:
        """ends: the places (N, 2) whose motion is wanted; None for the corners of what counts."""
        if not (mask > 0.5).any():
            raise ValueError("nothing of the reference counts")
        self.offsets = []
        ys, xs = np.nonzero(mask > 0.5)
        self.box = (int(xs.min()), int(ys.min()), int(xs.max()) + 1, int(ys.max()) + 1)
        left, top, right, bottom = self.box
        self.corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]], np.float64)
        self.ends = self.corners if ends is None else ends
        step = 1 << (LEVELS - 1)
        x0, y0 = max(left - 4 * step, 0) // step * step, max(top - 4 * step, 0) // step * step
        part = picture[y0 : bottom + 4 * step, x0 : right + 4 * step]
        self._part = (slice(y0, bottom + 4 * step), slice(x0, right + 4 * step))
        pictures = pyramid(np.asarray(part, np.float32))
        self.masks = self.masks_of(mask)
        self._levels = pictures
        self._splines: dict[tuple[int, bool], Picture] = {}
        for level in range(len(pictures)):
            self.offsets.append((x0 / (1 << level), y0 / (1 << level)))
        self.picture, self.left, self.top = pictures[0], x0, y0
        hull = cv2.convexHull(np.stack([xs, ys], 1).astype(np.float32))[:, 0].astype(np.float64) + 0.5
        self.hull = hull
        self.extent = float(np.sqrt(cv2.contourArea(hull.astype(np.float32)) or 1.0))

    def masks_of(self, mask: Picture) -> list[Picture]:
        """What counts (h, w), as `masks` has it, for a frame on which that is something else."""
        return [np.ascontiguousarray(m) for m in pyramid(mask[self._part].astype(np.float32))]

    def spline(self, level: int, linear: bool) -> Picture:
        """Spline coefficients of a level, of the picture (0..255) or of its linear light (0..1); made when first asked for."""
        kept = self._splines.get((level, linear))
        if kept is None:
            picture = self._levels[level]
            if linear:
                picture = decode(np.clip(picture, 0, 255) / 255).astype(np.float32)
            kept = np.asarray(ndimage.spline_filter(picture, 3, output=np.float32, mode="mirror"))
            self._splines[level, linear] = kept
        return kept
