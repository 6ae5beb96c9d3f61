"""Edges of covers over an insert: without the old screen's colour in the soft band."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import sit_kernels
from wiseglove.core.matte.coverage import Matte

Layer = NDArray[np.float32]
SOLID, CLEAR = 0.98, 0.02
"""Matte from which a pixel is the cover alone, and up to which it is what lies behind alone."""
EDGES = (np.float32(CLEAR), np.float32(SOLID))
CLOSE, FAR = 5, 16
"""Pixels within which colours are taken for their neighbours in the band, and where none is known there (from means of two by two)."""
ENOUGH = 12.0
"""One over the share of a window that must be known for it to count wholly."""


def own_share(plate: Layer, matte: Matte) -> Layer:
    """What a cover itself gives to each pixel of the plate, premultiplied (h, w, 3): plate = own + (1 - matte) behind.

    In the band what lies behind is carried on from the clear side, and the cover's colour from the solid side; own is the
    plate without the first, kept between nothing and twice the second, and that is mixed in where the matte is low
    and the difference would be noise (as for keyed subjects, whose backing is known).
    """
    out = np.empty(plate.shape, np.float32)
    plate, matte = np.ascontiguousarray(plate), np.ascontiguousarray(matte)
    sit_kernels.times(plate, matte, out)
    band = (matte > CLEAR) & (matte < SOLID)
    rows, columns = np.nonzero(band.any(1))[0], np.nonzero(band.any(0))[0]
    if not len(rows):
        return out
    part = np.s_[max(rows[0] - FAR, 0) : rows[-1] + FAR + 1, max(columns[0] - FAR, 0) : columns[-1] + FAR + 1]
    picture, alpha = np.ascontiguousarray(plate[part]), np.ascontiguousarray(matte[part])
    even = (alpha.shape[0] + 1 & ~1, alpha.shape[1] + 1 & ~1, 4)
    sides = np.zeros(even, np.float32), np.zeros(even, np.float32)  # of the cover, and of what lies behind
    sit_kernels.told_apart(picture, alpha, EDGES[0], EDGES[1], sides[0], sides[1])
    close = [cv2.boxFilter(side, -1, (2 * CLOSE + 1, 2 * CLOSE + 1)) for side in sides]
    halves = [cv2.resize(side, (even[1] // 2, even[0] // 2), interpolation=cv2.INTER_AREA) for side in sides]
    far = [cv2.boxFilter(half, -1, (FAR + 1, FAR + 1)) for half in halves]
    solid = bool((alpha >= SOLID).any())
    own = np.ascontiguousarray(out[part])
    sit_kernels.own_in_band(
        picture, alpha, close[0], far[0], close[1], far[1], np.float32(ENOUGH), EDGES[0], EDGES[1], solid, own
    )
    out[part] = own
    return out
