"""How a picture's light meets what lies behind it: blend modes."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

Layer = NDArray[np.float32]
Mode = Literal["normal", "screen", "multiply", "overlay", "add", "lighten", "darken", "soft-light"]
MODES: tuple[Mode, ...] = get_args(Mode)


def blended(back: Layer, front: Layer, mode: Mode) -> Layer:
    """B(back, front) of two unpremultiplied pictures (h, w, 3), working values.

    W3C Compositing and Blending Level 1, section 9 (separable blend modes); "add" is its plus-lighter without the limit
    at 1, which is laid on where the picture is shown. Where the formulas are made for 0..1, values above are kept in it.
    """
    if mode == "normal":
        return front
    if mode == "add":
        return back + front
    if mode == "lighten":
        return np.maximum(back, front)
    if mode == "darken":
        return np.minimum(back, front)
    if mode == "multiply":
        return back * front
    b, s = np.clip(back, 0, 1), np.clip(front, 0, 1)
    if mode == "screen":
        return np.asarray(b + s - b * s, np.float32)
    if mode == "overlay":  # hard-light with the layers swapped
        return np.asarray(np.where(b <= 0.5, 2 * b * s, 1 - 2 * (1 - b) * (1 - s)), np.float32)
    bright = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
    return np.asarray(np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (bright - b)), np.float32)
