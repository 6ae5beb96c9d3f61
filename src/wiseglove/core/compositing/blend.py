"""How a picture's light meets what lies behind it: blend modes."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import sit_kernels

Layer = NDArray[np.float32]
Mode = Literal["normal", "screen", "multiply", "overlay", "add", "lighten", "darken", "soft-light"]
MODES: tuple[Mode, ...] = get_args(Mode)


def blended(back: Layer, front: Layer, mode: Mode, share: float = 1.0) -> Layer:
    """B(back, front) of two unpremultiplied pictures (h, w, 3), working values, by a share over the front.

    W3C Compositing and Blending Level 1, section 9 (separable blend modes); "add" is its plus-lighter without the limit
    at 1, which is laid on where the picture is shown. Where the formulas are made for 0..1, values above are kept in it.
    """
    if mode == "normal":
        return front
    out = np.empty(front.shape, np.float32)
    back, front = np.ascontiguousarray(back), np.ascontiguousarray(front)
    sit_kernels.blended(back, front, MODES.index(mode), np.float32(share), out)
    return out
