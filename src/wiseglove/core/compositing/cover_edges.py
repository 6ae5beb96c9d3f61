"""Edges of covers over an insert: without the old screen's colour in the soft band."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import kernels
from wiseglove.core.matte.coverage import Matte

Layer = NDArray[np.float32]
SOLID, CLEAR = 0.98, 0.02
"""Matte from which a pixel is the cover alone, and up to which it is what lies behind alone."""
CLOSE, FAR = 5, 16
"""Pixels within which colours are taken for their neighbours in the band, and where none is known there."""
ENOUGH = 12.0
"""One over the share of a window that must be known for it to count wholly."""


def own_share(plate: Layer, matte: Matte) -> Layer:
    """What a cover itself gives to each pixel of the plate, premultiplied (h, w, 3): plate = own + (1 - matte) behind.

    In the band what lies behind is carried on from the clear side, and the cover's colour from the solid side; own is the
    plate without the first, kept between nothing and twice the second, and that is mixed in where the matte is low
    and the difference would be noise (as for keyed subjects, whose backing is known).
    """
    out = np.empty(plate.shape, np.float32)
    kernels.times(plate, matte, out)
    band = (matte > CLEAR) & (matte < SOLID)
    rows, columns = np.nonzero(band.any(1))[0], np.nonzero(band.any(0))[0]
    if not len(rows):
        return out
    part = np.s_[max(rows[0] - FAR, 0) : rows[-1] + FAR + 1, max(columns[0] - FAR, 0) : columns[-1] + FAR + 1]
    picture = plate[part]
    cover = _carried_on(picture, matte[part] >= SOLID)
    behind = _carried_on(picture, matte[part] <= CLEAR)
    solid = bool((matte[part] >= SOLID).any())
    kernels.own_in_band(
        np.ascontiguousarray(picture), np.ascontiguousarray(matte[part]), cover, behind, solid, out[part]
    )
    return out


def _carried_on(picture: Layer, known: NDArray[np.bool_]) -> Layer:
    """A picture where it is known, and around there the mean of what is known near: of the nearer window that has some."""
    share = known.astype(np.float32)
    own = picture * share[..., None]
    out: Layer | None = None
    for wide in (2 * FAR + 1, 2 * CLOSE + 1):
        sums, weights = cv2.boxFilter(own, -1, (wide, wide)), cv2.boxFilter(share, -1, (wide, wide))
        mean = sums / np.maximum(weights, 1e-6)[..., None]
        sure = np.clip(weights * ENOUGH, 0, 1)[..., None]
        out = np.asarray(mean if out is None else out + (mean - out) * sure, np.float32)
    assert out is not None
    return out
