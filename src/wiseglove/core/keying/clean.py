"""Cleaning a matte up: steps that are done in one fixed order, each by itself on or off."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.keying.key import shrunk

Picture = NDArray[np.float32]
Mask = NDArray[np.uint8]
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
        alpha = alpha * gain
        alpha -= (gain - 1) / 2
        np.clip(alpha, 0, 1, out=alpha)
    return alpha


def filled(alpha: Picture, size: float) -> Picture:
    """A matte without the holes whose longest side is `size` pixels at most.

    A hole is measured with all of its soft rim, so a gap that is larger is never closed, however thin it is. What reaches
    the picture's border is no hole.
    """
    shut = (alpha >= SHUT).view(np.uint8)
    # A hole's border runs on what is shut around it, a pixel outside it on each side.
    return _with(alpha, _small(shut, size + 2, holes=True) & (shut ^ 1), 1.0)


def despecked(alpha: Picture, size: float) -> Picture:
    """A matte without the specks whose longest side is `size` pixels at most, measured with their soft rim."""
    dirt = (alpha > BARE).view(np.uint8)
    return _with(alpha, _small(dirt, size, holes=False) & dirt, 0.0)


def _small(mask: Mask, size: float, holes: bool) -> Mask:
    """What lies within the borders (Suzuki and Abe 1985) of parts of a mask, or of its holes, of a longest side at most."""
    borders, nesting = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
    out = np.zeros(mask.shape, np.uint8)
    for i, border in enumerate(borders):
        if (nesting[0, i, 3] >= 0) == holes and max(cv2.boundingRect(border)[2:]) <= size:
            cv2.drawContours(out, [border], 0, 1, cv2.FILLED)
    return out


def _with(alpha: Picture, where: NDArray[np.integer], value: float) -> Picture:
    """A matte with a value wherever a mask is 1."""
    if not where.any():
        return alpha
    out = alpha.copy()
    out[where.view(bool)] = value
    return out
