"""Easing by a cubic curve, as CSS does it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def cubic_progress(curves: Array, share: Array) -> Array:
    """How far on a stretch is at a share (T,) of its time, by curves (T, 4): x1, y1, x2, y2.

    CSS Easing Functions Level 1, "cubic-bezier()": the curve runs from (0, 0) to (1, 1), x is time and y is
    progress; x1 and x2 lie in 0..1, so time never runs back. Solved by bisection, which cannot fail there.
    """
    x1, y1, x2, y2 = curves.T
    low, high = np.zeros_like(share), np.ones_like(share)
    for _ in range(44):
        t = (low + high) / 2
        early = _cubic(x1, x2, t) < share
        low, high = np.where(early, t, low), np.where(early, high, t)
    return np.asarray(np.where(share >= 1.0, 1.0, np.where(share <= 0.0, 0.0, _cubic(y1, y2, (low + high) / 2))))


def _cubic(first: Array, second: Array, t: Array) -> Array:
    s = 1 - t
    return np.asarray(3 * s * s * t * first + 3 * s * t * t * second + t**3)
