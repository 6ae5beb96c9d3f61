"""An outline fitted anew to a closed line, with its own points: they may slide along, and handles turn freely.

Least squares with parameter correction (Hoschek 1988): places of the curve are matched with the line in order all round, then
points and handles go where the places lie on it, each place takes the line's nearest place beside its own, and so on. Off the line
counts fully, along it little, so that few points can go where the line bends.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.inorder import matched
from wiseglove.core.outline.normals import Normals, line_up, normals_at, normals_of, touched
from wiseglove.core.outline.rows import Rows, solved

Array = NDArray[np.float64]
SPACING = 4.0
ROUNDS = 8
ALONG = 0.01
"""How much a place counts along the line, against off it."""
STAY, STIFF = 0.01, 0.05
"""How much points and handles would rather stay, against the places on both their sides."""
BESIDE = 6
"""Places of the line on each side of its own in which a place looks for the nearest."""
SIDEWAYS = 4.0
"""Pixels that facing sideways counts as."""
CLOSE, ENOUGH = 0.2, 0.97
"""Mean distance from the line, in pixels, that is close enough, and the share of it that another round has to leave at most."""


def refitted(points: Points, kinds: list[str], line: Array, facing: Array) -> Points:
    """An outline (N, 8) along a closed line (M, 2) that runs the same way round.

    facing (M, 2): which way is out of the line. `kinds` (N) as in `follow`: smooth points keep their handles in line.
    """
    along = normals_of(points, list(range(len(points))), SPACING)
    position = _rising(matched(along.places, along.outward, line, facing), len(line))
    best, least = points, np.inf
    for k in range(ROUNDS + 1):
        targets, normals = _at(line, facing, position)
        off = float(np.abs(((targets - along.places) * normals).sum(axis=1)).mean())
        done = k == ROUNDS or off < CLOSE or off > ENOUGH * least
        if k and off < least:
            best, least = points, off
        if k and done:
            break
        points = _fitted(points, kinds, along, targets, normals)
        along = normals_at(points, along.segment, along.t)
        _nearest_beside(along.places, along.outward, line, facing, position)
        position = np.maximum.accumulate(position)  # or the outline would fold back along the line
    return best


def _rising(position: Array, count: int) -> Array:
    """Positions once round a closed line of so many places, counted on from one to the next."""
    drop = int(np.argmax(position[:-1] - position[1:]))
    before = (np.arange(len(position)) <= drop) & (position[drop] - position[drop + 1] > count / 2)
    return np.asarray(position - count * before)


def _at(line: Array, facing: Array, position: Array) -> tuple[Array, Array]:
    """Places (N, 2) and unit normals (N, 2) of a closed line at positions counted in its places."""
    around = position % len(line)
    low = around.astype(np.int64) % len(line)
    share, after = (around - low)[:, None], (low + 1) % len(line)
    normals = facing[low] * (1 - share) + facing[after] * share
    length = np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-9)
    return line[low] * (1 - share) + line[after] * share, normals / length


def _fitted(points: Points, kinds: list[str], along: Normals, targets: Array, normals: Array) -> Points:
    """An outline whose curve runs through targets (M, 2), off along normals (M, 2) fully, across these a little."""
    count, places = len(points), len(along.t)
    unknown, factor = touched(points, along, np.ones(count, bool))
    both = np.concatenate([unknown, unknown + 3 * count], axis=1)
    matrix = np.diag(np.tile(np.repeat([STAY, STIFF, STIFF], count), 2)) * max(places / count, 1.0)
    right = np.zeros((6 * count, 1))
    for way, weight in ((normals, 1.0), (np.stack([-normals[:, 1], normals[:, 0]], axis=1), ALONG)):
        rows = Rows(both, np.concatenate([factor * way[:, :1], factor * way[:, 1:]], axis=1))
        rows.add(np.full(places, weight), ((targets - along.places) * way).sum(axis=1, keepdims=True), matrix, right)
    change = solved(matrix, right).reshape(2, 3, count).transpose(1, 2, 0)
    out = points.copy()
    for k, part in enumerate((slice(0, 2), slice(2, 4), slice(4, 6))):
        out[:, part] += change[k]
    line_up(out, np.array(kinds) == "smooth")
    return out


@nb.njit(cache=True, nogil=True, fastmath=True)
def _nearest_beside(places, outward, line, facing, position):  # type: ignore[no-untyped-def]
    """Move each place's position (N,) along a closed line to its nearest place there, a few of the line's away at most."""
    count = len(line)
    for i in range(len(places)):
        middle = int(np.round(position[i]))
        least, best = np.inf, middle
        for j in range(middle - BESIDE, middle + BESIDE + 1):
            k = j % count
            dx, dy = line[k, 0] - places[i, 0], line[k, 1] - places[i, 1]
            alike = outward[i, 0] * facing[k, 0] + outward[i, 1] * facing[k, 1]
            cost = np.sqrt(dx * dx + dy * dy) + SIDEWAYS * (1 - alike)
            if cost < least:
                least, best = cost, j
        position[i] = best
