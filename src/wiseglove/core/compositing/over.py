"""Porter & Duff's "over" with a holdout."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import kernels
from wiseglove.core.matte.coverage import Matte

Layer = NDArray[np.float32]


def over_with_holdout(back: Layer, front: Layer, alpha: Matte, nearer: Matte) -> Layer:
    """Lay a front picture over a back one, held out by what is nearer to the camera.

    out = F A (1 - m) + B (1 - A (1 - m)), with F the unpremultiplied front (h, w, 3), A its alpha and m the
    union of all nearer mattes, both (h, w) in 0..1 (Porter & Duff 1984, "over" after "held out by").
    """
    out = np.array(back, np.float32, order="C")
    kernels.laid(out, *(np.ascontiguousarray(each) for each in (front, alpha, nearer)))
    return out


def cut_out(picture: Layer, matte: Matte, ground: Layer) -> Layer:
    """What a matte keeps of a picture, over a ground: picture m + ground (1 - m)."""
    m = matte[..., None]
    return np.asarray(picture * m + ground * (1.0 - m), np.float32)


def checks(height: int, width: int, size: int, light: float = 0.62, dark: float = 0.48) -> Layer:
    """A grey chequered ground (height, width, 3), encoded values, squares of `size` pixels."""
    rows, columns = np.arange(height) // size, np.arange(width) // size
    odd = (rows[:, None] + columns[None, :]) % 2
    return np.repeat(np.where(odd, dark, light).astype(np.float32)[..., None], 3, axis=2)
