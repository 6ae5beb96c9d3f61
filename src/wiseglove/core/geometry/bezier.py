"""Closed outlines made of cubic Bezier segments.

An outline's points are one array of shape (N, 8): x, y of the point, its incoming and its outgoing handle
*relative to the point* (dx, dy each), and the widths of its soft edge inwards and outwards, all in plate pixels.
Relative handles make moving a point or turning the whole outline one operation. Segment i runs from point i to
point (i + 1) mod N. What needs no widths takes (N, 6) as well.
"""

from __future__ import annotations

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]

FLATNESS = 0.005
"""Largest distance, in pixels, between a curve and the polyline that stands for it."""

KAPPA = 4.0 * (math.sqrt(2.0) - 1.0) / 3.0
"""Handle length over radius for a quarter circle (the usual four-cubic circle, error 0.027 %)."""


def control_polygon(points: Points) -> Points:
    """Absolute control points, shape (N, 4, 2): start, two handles' ends, end of each segment."""
    start = points[:, 0:2]
    end = np.roll(start, -1, axis=0)
    return np.stack([start, start + points[:, 4:6], end + np.roll(points[:, 2:4], -1, axis=0), end], axis=1)


@nb.njit(cache=True, fastmath=True, inline="always")
def pieces_for(ox, oy, ix, iy, wx, wy, tolerance):  # type: ignore[no-untyped-def]
    """Equal parts of a cubic (outgoing and incoming handle, way to its end) whose chords stay within a tolerance.

    Wang 1984: the chord error of a cubic cut into m equal parts is at most (3/4) M / m^2, where M is the larger second
    difference of its control points.
    """
    ax, ay = ix + wx - 2.0 * ox, iy + wy - 2.0 * oy
    bx, by = wx - 2.0 * (wx + ix) + ox, wy - 2.0 * (wy + iy) + oy
    bend = math.sqrt(max(ax * ax + ay * ay, bx * bx + by * by))
    return int(math.ceil(math.sqrt(0.75 * bend / tolerance)))


@nb.njit(cache=True, fastmath=True)
def _flatten(points, tolerance, scale, left, top):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    counts = np.empty(n, np.int64)
    total = 0
    for i in range(n):
        j = (i + 1) % n
        ox, oy = points[i, 4] * scale, points[i, 5] * scale
        ix, iy = points[j, 2] * scale, points[j, 3] * scale
        wx, wy = (points[j, 0] - points[i, 0]) * scale, (points[j, 1] - points[i, 1]) * scale
        m = pieces_for(ox, oy, ix, iy, wx, wy, tolerance)
        counts[i] = min(max(m, 1), 4096)
        total += counts[i]
    line = np.empty((total + 1, 2), np.float64)
    at = 0
    for i in range(n):
        j = (i + 1) % n
        x0, y0 = points[i, 0], points[i, 1]
        x1, y1 = x0 + points[i, 4], y0 + points[i, 5]
        x3, y3 = points[j, 0], points[j, 1]
        x2, y2 = x3 + points[j, 2], y3 + points[j, 3]
        m = counts[i]
        for k in range(m):
            t = k / m
            s = 1.0 - t
            a, b, c, d = s * s * s, 3.0 * s * s * t, 3.0 * s * t * t, t * t * t
            line[at, 0] = (a * x0 + b * x1 + c * x2 + d * x3 - left) * scale
            line[at, 1] = (a * y0 + b * y1 + c * y2 + d * y3 - top) * scale
            at += 1
    line[at, 0], line[at, 1] = line[0, 0], line[0, 1]  # by numbers: assigning a row takes five seconds to compile
    return line


def flatten(
    points: Points, tolerance: float = FLATNESS, scale: float = 1.0, origin: tuple[float, float] = (0.0, 0.0)
) -> Points:
    """The outline as a closed polyline, shape (M, 2), first vertex repeated at the end.

    Vertices are (p - origin) * scale; no point of the curve is farther than `tolerance` (in scaled pixels)
    from it (Wang 1984, the bound from the second differences of the control points).
    """
    line: Points = _flatten(
        np.ascontiguousarray(points, np.float64), tolerance, scale, float(origin[0]), float(origin[1])
    )
    return line


def twice_area(line: Points) -> float:
    """Twice the signed area of a closed line (M, 2); positive where it runs clockwise as it is seen."""
    x, y = line.T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())


def lengths_along(line: Points) -> Points:
    """How far along a line (M, 2) each of its vertices is, (M,), from 0."""
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])


def places_along(line: Points, distances: Points) -> Points:
    """Places (K, 2) at distances (K,) along a line (M, 2); beyond its ends these."""
    along = lengths_along(line)
    return np.stack([np.interp(distances, along, line[:, k]) for k in (0, 1)], axis=1)


def signed_area(points: Points) -> float:
    """Exact area inside the outline, positive when it runs clockwise on screen (y down).

    Green's theorem over each cubic: x dy - y dx integrates to the cross products of its control points, in tenths.
    """
    return float(_area(np.ascontiguousarray(points)))


@nb.njit(cache=True, nogil=True)
def _area(points):  # type: ignore[no-untyped-def]
    total, count = 0.0, len(points)
    for i in range(count):
        j = (i + 1) % count
        ax, ay, dx, dy = points[i, 0], points[i, 1], points[j, 0], points[j, 1]
        bx, by, cx, cy = ax + points[i, 4], ay + points[i, 5], dx + points[j, 2], dy + points[j, 3]
        total += 6 * (ax * by - ay * bx + cx * dy - cy * dx) + ax * dy - ay * dx
        total += 3 * (ax * cy - ay * cx + bx * cy - by * cx + bx * dy - by * dx)
    return total / 20


def _bernstein(t: Points) -> Points:
    s = 1 - t
    return np.stack([s**3, 3 * s * s * t, 3 * s * t * t, t**3], axis=-1)


@nb.njit(cache=True)
def _bounds(points):  # type: ignore[no-untyped-def]
    left, top, right, bottom = np.inf, np.inf, -np.inf, -np.inf
    for i in range(points.shape[0]):
        for j in range(0, 6, 2):
            x, y = points[i, j], points[i, j + 1]
            if j > 0:
                x, y = x + points[i, 0], y + points[i, 1]
            left, right = min(left, x), max(right, x)
            top, bottom = min(top, y), max(bottom, y)
    return left, top, right, bottom


def bounds(points: Points) -> tuple[float, float, float, float]:
    """A box (left, top, right, bottom) that holds the curve: that of its control points."""
    left, top, right, bottom = _bounds(np.ascontiguousarray(points, np.float64))
    return left, top, right, bottom


def insert_point(keys: Points, segment: int, t: float) -> Points:
    """Put a point on a segment of every key without changing any key's shape.

    Parameters: keys (K, N, 8), segment in 0..N-1, t in 0..1 (de Casteljau's subdivision).
    Returns (K, N + 1, 8). The soft edge gets the width that it has there. Raises ValueError when segment or t is out of range.
    """
    count = keys.shape[1]
    if not 0 <= segment < count or not 0.0 < t < 1.0:
        raise ValueError(f"no place {t} on segment {segment} of an outline with {count} points")
    following = (segment + 1) % count
    p0 = keys[:, segment, 0:2]
    p1 = p0 + keys[:, segment, 4:6]
    p3 = keys[:, following, 0:2]
    p2 = p3 + keys[:, following, 2:4]
    a, b, c = p0 + (p1 - p0) * t, p1 + (p2 - p1) * t, p2 + (p3 - p2) * t
    d, e = a + (b - a) * t, b + (c - b) * t
    middle = d + (e - d) * t
    u = t * t * (3 - 2 * t)
    soft = keys[:, segment, 6:] * (1 - u) + keys[:, following, 6:] * u
    out = np.insert(keys, segment + 1, np.concatenate([middle, d - middle, e - middle, soft], axis=-1), axis=1)
    out[:, segment, 4:6] = a - p0
    out[:, (segment + 2) % (count + 1), 2:4] = c - p3
    return out


def places_at(points: Points, segment: NDArray[np.int64], t: Points) -> tuple[Points, Points]:
    """Places (M, 2) on segments (M,) at t (M,), and the derivative there (M, 2)."""
    place, way = np.empty((len(t), 2)), np.empty((len(t), 2))
    _placed(np.ascontiguousarray(points), segment, t, place, way)
    return place, way


@nb.njit(cache=True, nogil=True)
def _placed(points, segment, t, place, way):  # type: ignore[no-untyped-def]
    count = len(points)
    for m in range(len(t)):
        i, u = segment[m], t[m]
        j, s = (i + 1) % count, 1 - t[m]
        for c in range(2):
            a, d = points[i, c], points[j, c]
            b, e = a + points[i, 4 + c], d + points[j, 2 + c]
            place[m, c] = s * s * s * a + 3 * s * s * u * b + 3 * s * u * u * e + u * u * u * d
            way[m, c] = 3 * (s * s * (b - a) + 2 * s * u * (e - b) + u * u * (d - e))


def stretch_of(points: Points, start: int, end: int, pieces: int = 24) -> Points:
    """Places (M, 2) along the curve from one point on to another one, `pieces` for each segment."""
    c = control_polygon(points)
    count = len(points)
    segments = [(start + k) % count for k in range((end - start - 1) % count + 1)]
    basis = _bernstein(np.arange(pieces) / pieces)
    return np.concatenate([*(basis @ c[i] for i in segments), points[end : end + 1, :2]])


def ellipse(cx: float, cy: float, rx: float, ry: float) -> Points:
    """Four smooth points on an ellipse, clockwise on screen from the rightmost, with hard edges; shape (4, 8)."""
    kx, ky = KAPPA * rx, KAPPA * ry
    return np.array(
        [
            [cx + rx, cy, 0, -ky, 0, ky, 0, 0],
            [cx, cy + ry, kx, 0, -kx, 0, 0, 0],
            [cx - rx, cy, 0, ky, 0, -ky, 0, 0],
            [cx, cy - ry, -kx, 0, kx, 0, 0, 0],
        ],
        np.float64,
    )
