"""A closed line matched with another one in order, both all round: dynamic time warping (Sakoe & Chiba 1978)."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FARTHEST = 60.0
"""Pixels beyond which a distance counts no more."""
TURNED = 12.0
"""Pixels that facing the other way counts as, half of it for sideways."""
JUMP, SPREAD = 4, 24
"""Places that a match may skip and be left alone; over how many places on each side a longer jump is spread."""


def matched(places: Array, outward: Array, line: Array, facing: Array) -> Array:
    """For each place (N, 2) of a closed curve its position (N,) along a closed line (M, 2), counted in the line's places.

    outward (N, 2), facing (M, 2): which way is out of both. Positions never run back; they may go beyond M, which means round
    again. Where a long part of the line has no counterpart, the places around it are spread along that part.
    """
    cost = _costs(places, outward, line, facing)
    begin = int(cost.min(axis=1).argmin())
    there = int(cost[begin].argmin())
    n, m = cost.shape
    turned = np.roll(np.roll(cost, -begin, axis=0), -there, axis=1)
    # Back to the first place of both at the end, once round.
    closed = np.pad(turned, ((0, 1), (0, 1)), mode="wrap")
    low, high = _warped(np.ascontiguousarray(closed))
    middle = ((low + high) / 2)[:n]
    return np.asarray(np.roll(_spread(middle, float(m)), begin) + there)


def _spread(position: Array, whole: float) -> Array:
    """Positions whose jumps are spread over the places around them."""
    step = np.diff(np.concatenate([position, position[:1] + whole]))
    jumps = np.flatnonzero(step > JUMP)
    if not len(jumps):
        return position
    count = len(position)
    near = np.zeros(count)
    for jump in jumps:
        reach = min(SPREAD, count // 4)
        near[np.arange(jump - reach + 1, jump + reach + 1) % count] = 1
    wide = min(SPREAD, count // 4)
    around = np.concatenate([position[-wide:] - whole, position, position[:wide] + whole])
    total = np.cumsum(np.concatenate([[0.0], around]))
    smooth = (total[2 * wide + 1 :] - total[: -2 * wide - 1]) / (2 * wide + 1)
    return np.asarray(np.where(near > 0, smooth, position))


@nb.njit(cache=True, nogil=True, fastmath=True)
def _costs(places, outward, line, facing):  # type: ignore[no-untyped-def]
    """What it costs to match each place (N,) with each of a line's (M,): distance, and how they face."""
    n, m = len(places), len(line)
    cost = np.empty((n, m), np.float32)
    for i in range(n):
        x, y, ax, ay = places[i, 0], places[i, 1], outward[i, 0], outward[i, 1]
        for j in range(m):
            dx, dy = x - line[j, 0], y - line[j, 1]
            away = min(np.sqrt(dx * dx + dy * dy), FARTHEST)
            cost[i, j] = away + TURNED / 2 * (1 - ax * facing[j, 0] - ay * facing[j, 1])
    return cost


@nb.njit(cache=True, nogil=True)
def _warped(cost):  # type: ignore[no-untyped-def]
    """The first and the last column (n,) that each row is matched with on the cheapest way from corner to corner."""
    n, m = cost.shape
    total = np.empty((n, m), np.float32)
    came = np.zeros((n, m), np.uint8)
    total[0, 0] = cost[0, 0]
    for j in range(1, m):
        total[0, j], came[0, j] = total[0, j - 1] + cost[0, j], 1
    for i in range(1, n):
        total[i, 0], came[i, 0] = total[i - 1, 0] + cost[i, 0], 2
        for j in range(1, m):
            best, way = total[i - 1, j - 1], 0
            if total[i, j - 1] < best:
                best, way = total[i, j - 1], 1
            if total[i - 1, j] < best:
                best, way = total[i - 1, j], 2
            total[i, j], came[i, j] = best + cost[i, j], way
    low, high = np.zeros(n), np.zeros(n)
    i, j = n - 1, m - 1
    high[i] = j
    while True:
        low[i] = j
        if i == 0 and j == 0:
            return low, high
        way = came[i, j]
        if way == 1:
            j -= 1
            continue
        i -= 1
        if way == 0:
            j -= 1
        high[i] = j
