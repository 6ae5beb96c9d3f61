"""Light of the screen: the glow round it, and what falls on the things near it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.wide import blurred

Layer = NDArray[np.float32]
COARSE = (8, 4, 2)
"""Times smaller in which light is spread: it is smooth. The first that is at most half of its width."""


def step_for(width: float) -> int:
    """Times smaller in which light over a width in px can be spread."""
    return next((step for step in COARSE if width >= 2 * step), 1)


def spread_light(shown: Layer, width: float, step: int = 1) -> Layer:
    """Light (h, w, 3) that what a pane shows (h, w, 3; premultiplied, held out) throws around it, over a width in px.

    step: times smaller than the picture that both are. Two Gaussians, one narrow and one four times as wide, half each:
    bright close by and with a long tail, as light that is scattered in a lens and by the air. Common practice, no source.
    """
    near, far = (blurred(shown, max(deviation / step, 0.5), cv2.BORDER_CONSTANT) for deviation in (width, 4 * width))
    return np.asarray((near + far) / 2, np.float32)
