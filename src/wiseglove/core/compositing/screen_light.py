"""Light of the screen: the glow round it, and what falls on the things near it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.wide import blurred

Layer = NDArray[np.float32]
COARSE = (16, 8, 4, 2)
"""Times smaller in which light is spread: it is smooth. The first in which its width is at least `FINEST` pixels."""
FINEST = 1.5
OWN = 0.25
"""Variance, in pixels, that is added by the mean over a pixel (1/12) and by going straight between them (1/6)."""


def step_for(width: float) -> int:
    """Times smaller in which light over a width in px can be spread."""
    return next((step for step in COARSE if width >= FINEST * step), 1)


def spread_light(shown: Layer, width: float, step: int = 1) -> Layer:
    """Light (h, w, 3) that what a pane shows (h, w, 3; premultiplied, held out) throws around it, over a width in px.

    step: times smaller than the picture that both are. Two Gaussians, one narrow and one four times as wide, half each:
    bright close by and with a long tail, as light that is scattered in a lens and by the air. Common practice, no source.
    """
    near, far = (
        blurred(
            shown, float(np.sqrt(max((deviation / step) ** 2 - (OWN if step > 1 else 0), 0.25))), cv2.BORDER_CONSTANT
        )
        for deviation in (width, 4 * width)
    )
    return np.asarray(cv2.addWeighted(near, 0.5, far, 0.5, 0), np.float32)
