"""A small matte brought to the size of its plate, its edges led by the plate's."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]
RADIUS = 1
"""Pixels of the small matte about each one in which matte and colours are compared."""
EVEN = 1e-3
"""Squared differences of encoded colours below which they count as even."""
BACKS = 3
"""How often what the result lacks, made small again, is put back."""


def enlarged(matte: Picture, plate: Picture) -> Picture:
    """A matte (h, w) at the size of a plate (H, W, 3; encoded, 0..1).

    In each small window the matte is taken as a linear function of the plate's colours (guided filter, He, Sun and Tang
    2013; on the small picture as in He and Sun 2015), whose coefficients are enlarged instead of the matte. What the
    result, made small again, lacks is put back.
    """
    height, width = plate.shape[:2]
    if matte.shape == (height, width):
        return matte
    if matte.shape[0] >= height or matte.shape[1] >= width:
        return np.asarray(cv2.resize(matte, (width, height), interpolation=cv2.INTER_AREA), np.float32)
    size = matte.shape[::-1]
    matte = np.asarray(matte, np.float32)
    small = np.asarray(cv2.resize(plate, size, interpolation=cv2.INTER_AREA), np.float32)
    lines = _lines(small, matte)
    large = np.asarray(cv2.resize(lines, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
    out = np.clip(np.einsum("hwc,hwc->hw", large[..., :3], plate) + large[..., 3], 0, 1).astype(np.float32)
    low = cv2.erode(matte, np.ones((3, 3), np.uint8))
    high = cv2.dilate(matte, np.ones((3, 3), np.uint8))
    low, high = (cv2.resize(b, (width, height), interpolation=cv2.INTER_LINEAR) for b in (low, high))
    for _ in range(BACKS):
        lacks = matte - cv2.resize(out, size, interpolation=cv2.INTER_AREA)
        out = out + cv2.resize(lacks, (width, height), interpolation=cv2.INTER_LINEAR)
        out = np.clip(out, low, high)
    return np.asarray(out, np.float32)


def _lines(picture: Picture, matte: Picture) -> Picture:
    """For each pixel, what a matte (h, w) is of the colours (h, w, 3) around: three factors and a constant, (h, w, 4)."""
    side = 2 * RADIUS + 1

    def mean(values: Picture) -> Picture:
        return np.asarray(cv2.blur(values, (side, side), borderType=cv2.BORDER_REFLECT), np.float32)

    pairs = [(0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2)]
    squares = mean(np.stack([picture[..., i] * picture[..., j] for i, j in pairs[:4]], axis=-1))
    more = mean(np.stack([picture[..., i] * picture[..., j] for i, j in pairs[4:]], axis=-1))
    colours, own = mean(picture), mean(matte)
    both = mean(picture * matte[..., None])
    out = np.empty((*matte.shape, 4), np.float32)
    _fitted(squares, more, colours, own, both, np.float32(EVEN), out)
    return mean(out)


@nb.njit(cache=True, nogil=True)
def _fitted(squares, more, colours, own, both, even, out):  # type: ignore[no-untyped-def]
    """The least-squares line of each window, by Cramer's rule."""
    for y in range(own.shape[0]):
        for x in range(own.shape[1]):
            r, g, b = colours[y, x, 0], colours[y, x, 1], colours[y, x, 2]
            m = own[y, x]
            rr = squares[y, x, 0] - r * r + even
            rg = squares[y, x, 1] - r * g
            rb = squares[y, x, 2] - r * b
            gg = squares[y, x, 3] - g * g + even
            gb = more[y, x, 0] - g * b
            bb = more[y, x, 1] - b * b + even
            u, v, w = both[y, x, 0] - r * m, both[y, x, 1] - g * m, both[y, x, 2] - b * m
            p, q, s = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
            inverse = np.float32(1.0) / max(rr * p + rg * q + rb * s, np.float32(1e-15))
            k = (p * u + q * v + s * w) * inverse
            n = (q * u + (rr * bb - rb * rb) * v + (rg * rb - rr * gb) * w) * inverse
            o = (s * u + (rg * rb - rr * gb) * v + (rr * gg - rg * rg) * w) * inverse
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = k, n, o
            out[y, x, 3] = m - k * r - n * g - o * b
