"""Cleaning a matte up: steps that are done in one fixed order, each by itself on or off."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.keying.key import shrunk
from wiseglove.core.keying.rows import by_rows

Picture = NDArray[np.float32]
SHUT = 0.98
"""Alpha below which a pixel inside counts as open."""
BARE = 0.02
"""Alpha above which a pixel outside counts as dirt."""


@dataclass(frozen=True)
class Steps:
    """What is done to a matte, in this order. Lengths are in pixels; 0, or an empty contrast, leaves a step out.

    holes, specks: the longest side of an enclosed hole that is filled, and of a speck that is taken away. grow: by how
    much it grows, or shrinks where negative. soften: sigma of the softening. contrast: 0..1 of the edge, 1 leaves none
    of its width.
    """

    holes: float = 0.0
    specks: float = 0.0
    grow: float = 0.0
    soften: float = 0.0
    contrast: float = 0.0

    def at(self, scale: float) -> Steps:
        """The same for a picture of another size."""
        return Steps(self.holes * scale, self.specks * scale, self.grow * scale, self.soften * scale, self.contrast)


def clean(alpha: Picture, steps: Steps) -> Picture:
    """A matte (h, w) after all steps."""
    if steps.holes > 0:
        alpha = filled(alpha, steps.holes)
    if steps.specks > 0:
        alpha = despecked(alpha, steps.specks)
    if steps.grow:
        alpha = shrunk(alpha, -steps.grow)
    if steps.soften > 0:
        alpha = np.asarray(cv2.GaussianBlur(alpha, (0, 0), steps.soften), np.float32)
    if steps.contrast > 0:
        gain = np.float32(1 / max(1 - steps.contrast, 1e-3))
        alpha = np.clip((alpha - np.float32(0.5)) * gain + np.float32(0.5), 0, 1)
    return alpha


def filled(alpha: Picture, size: float) -> Picture:
    """A matte without the holes whose longest side is `size` pixels at most.

    A hole is measured with all of its soft rim, so a gap that is larger is never closed, however thin it is. What reaches
    the picture's border is no hole.
    """
    return _without(alpha, np.asarray(alpha < SHUT, np.uint8), size, 1.0, enclosed=True)


def despecked(alpha: Picture, size: float) -> Picture:
    """A matte without the specks whose longest side is `size` pixels at most, measured with their soft rim."""
    return _without(alpha, np.asarray(alpha > BARE, np.uint8), size, 0.0, enclosed=False)


def _without(alpha: Picture, mask: NDArray[np.uint8], size: float, value: float, enclosed: bool) -> Picture:
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask, connectivity=4 if enclosed else 8)
    width, height = stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]
    goes = np.maximum(width, height) <= size
    if enclosed:
        left, top = stats[:, cv2.CC_STAT_LEFT], stats[:, cv2.CC_STAT_TOP]
        goes &= (left > 0) & (top > 0) & (left + width < mask.shape[1]) & (top + height < mask.shape[0])
    goes[0] = False
    if count < 2 or not goes.any():
        return alpha
    out = np.empty_like(alpha)
    by_rows(_put, len(out), alpha, labels, goes, np.float32(value), out)
    return out


@nb.njit(cache=True, nogil=True)
def _put(alpha, labels, goes, value, out):  # type: ignore[no-untyped-def]
    """A value wherever a label goes, and the matte elsewhere."""
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            out[y, x] = value if goes[labels[y, x]] else alpha[y, x]
