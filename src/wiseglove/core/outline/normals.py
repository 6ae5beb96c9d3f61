"""Normals along an outline, and outlines that follow places found along them."""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points, places_at, signed_area
from wiseglove.core.outline.rows import Rows, solved

Array = NDArray[np.float64]
SPACING = 2.0
"""Distance of the normals along the curve, in pixels."""
STIFF_HANDLES = 0.4
"""How much handles would rather stay as they are, against a place on the edge."""


@dataclass(frozen=True)
class Normals:
    """Places along a stretch (M, 2), unit normals that point outwards (M, 2), and where on the outline they are."""

    places: Array
    outward: Array
    segment: NDArray[np.int64]
    t: Array


def normals_of(points: Points, segments: list[int], spacing: float = SPACING) -> Normals:
    """Normals of an outline (N, 8) along some of its segments."""
    which, counts = np.asarray(segments, np.int64), np.empty(len(segments), np.int64)
    total = _counted(np.ascontiguousarray(points), which, float(spacing), counts)
    segment, t = np.empty(total, np.int64), np.empty(total)
    _evenly(which, counts, segment, t)
    return normals_at(points, segment, t)


@nb.njit(cache=True, nogil=True)
def _counted(points, segments, spacing, counts):  # type: ignore[no-untyped-def]
    """How many places there are on each segment, by the length of its control polygon, two at least; and on all of them."""
    total = 0
    for k in range(len(segments)):
        i = segments[k]
        j = (i + 1) % len(points)
        ox, oy, ix, iy = points[i, 4], points[i, 5], points[j, 2], points[j, 3]
        wx, wy = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1]
        length = np.hypot(ox, oy) + np.hypot(wx + ix - ox, wy + iy - oy) + np.hypot(ix, iy)
        counts[k] = max(int(length / spacing), 2)
        total += counts[k]
    return total


@nb.njit(cache=True, nogil=True)
def _evenly(segments, counts, segment, t):  # type: ignore[no-untyped-def]
    """Write so many even places on each segment one after the other."""
    at = 0
    for k in range(len(segments)):
        for m in range(counts[k]):
            segment[at], t[at] = segments[k], (m + 0.5) / counts[k]
            at += 1


def spread(points: Points, spacing: float, most: int) -> tuple[Normals, float]:
    """Normals along a whole outline (N, 8), `spacing` pixels apart or so far that there are at most about `most`; how far that is."""
    everywhere = list(range(len(points)))
    along = normals_of(points, everywhere, spacing)
    if len(along.t) <= most:
        return along, spacing
    spacing *= len(along.t) / most
    return normals_of(points, everywhere, spacing), spacing


def normals_at(points: Points, segment: NDArray[np.int64], t: Array) -> Normals:
    """Normals of an outline (N, 8) on segments (M,) at t (M,)."""
    places, way = places_at(points, segment, t)
    _turned(way, 1.0 if signed_area(points) > 0 else -1.0)
    return Normals(places, way, segment, t)


@nb.njit(cache=True, nogil=True)
def _turned(way, side):  # type: ignore[no-untyped-def]
    """Ways (M, 2) along a curve into its unit normals, in place."""
    for m in range(len(way)):
        x, y = side * way[m, 1], -side * way[m, 0]
        length = max(np.sqrt(x * x + y * y), 1e-9)
        way[m, 0], way[m, 1] = x / length, y / length


def follow(
    points: Points,
    along: Normals,
    targets: Array,
    movable: NDArray[np.bool_],
    kinds: list[str],
    weights: Array | None = None,
) -> Points:
    """The outline (N, 8) whose curve runs through targets (M, 2) at the parameters of `along`, by least squares.

    Only movable points and their handles move, `weights` (M,) say how much each target counts; handles would rather stay as they are, those of corners and of
    smooth points keep to their kind.
    """
    count, t = len(points), along.t
    unknown, factor = touched(points, along, movable)
    loose = np.concatenate([np.full(count, 1e-3), np.full(2 * count, STIFF_HANDLES)]) * max(len(t) / max(count, 1), 1.0)
    rows = Rows(unknown, factor)
    matrix, right = np.diag(loose), np.zeros((3 * count, 2))
    rows.add(np.ones(len(t)) if weights is None else weights, targets - along.places, matrix, right)
    change = solved(matrix, right)
    out = points.copy()
    out[:, :2] += change[:count]
    out[:, 2:4] += change[count : 2 * count]
    out[:, 4:6] += change[2 * count :]
    line_up(out, movable & (np.array(kinds) == "smooth"))
    return out


def touched(points: Points, along: Normals, movable: NDArray[np.bool_]) -> tuple[NDArray[np.int64], Array]:
    """What moves each place of an outline (N, 8): its unknowns (M, 4), rising, of 3 N, and by how much of each it moves (M, 4).

    First come the points, which carry their handles along, then the handles that arrive at them, then those that leave. What is not
    movable (N,) and handles of no length move nothing.
    """
    unknown, factor = np.empty((len(along.t), 4), np.int64), np.empty((len(along.t), 4))
    _touched(np.ascontiguousarray(points), along.segment, along.t, movable, unknown, factor)
    return unknown, factor


@nb.njit(cache=True, nogil=True)
def _touched(points, segment, t, movable, unknown, factor):  # type: ignore[no-untyped-def]
    count = len(points)
    for m in range(len(t)):
        i, u, s = segment[m], t[m], 1 - t[m]
        j = (i + 1) % count
        # A point carries its handles along, so the curve moves by all of them.
        leaves, arrives = 3 * s * s * u, 3 * s * u * u
        first, second = (0, 1) if i < j else (1, 0)
        unknown[m, first], factor[m, first] = i, s * s * s + leaves if movable[i] else 0.0
        unknown[m, second], factor[m, second] = j, u * u * u + arrives if movable[j] else 0.0
        into = movable[j] and points[j, 2] ** 2 + points[j, 3] ** 2 > 1e-12
        out = movable[i] and points[i, 4] ** 2 + points[i, 5] ** 2 > 1e-12
        unknown[m, 2], factor[m, 2] = count + j, arrives if into else 0.0
        unknown[m, 3], factor[m, 3] = 2 * count + i, leaves if out else 0.0


@nb.njit(cache=True, nogil=True)
def line_up(points, smooth):  # type: ignore[no-untyped-def]
    """Bring the two handles of the points (N, 8) that are smooth (N,) into one line again, in place, each with its length."""
    for i in range(len(points)):
        ix, iy, ox, oy = points[i, 2], points[i, 3], points[i, 4], points[i, 5]
        arriving, leaving = np.hypot(ix, iy), np.hypot(ox, oy)
        if not smooth[i] or arriving <= 1e-6 or leaving <= 1e-6:
            continue
        x, y = ox / leaving - ix / arriving, oy / leaving - iy / arriving
        length = np.hypot(x, y)
        x, y = (x / length, y / length) if length > 1e-6 else (ox / leaving, oy / leaving)
        points[i, 2], points[i, 3] = -x * arriving, -y * arriving
        points[i, 4], points[i, 5] = x * leaving, y * leaving
