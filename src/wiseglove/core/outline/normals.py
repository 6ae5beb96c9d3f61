"""Normals along an outline, and outlines that follow places found along them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points, control_polygon, places_at, signed_area
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
    curves = control_polygon(points)[segments]
    lengths = np.linalg.norm(np.diff(curves, axis=1), axis=2).sum(axis=1)
    counts = np.maximum((lengths / spacing).astype(int), 2)
    which = np.repeat(np.arange(len(segments)), counts)
    t = (np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts) + 0.5) / counts[which]
    return normals_at(points, np.asarray(segments)[which], t)


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
    turned = np.stack([way[:, 1], -way[:, 0]], 1) * (1 if signed_area(points) > 0 else -1)
    outward = turned / np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-9)
    return Normals(places, outward, segment, t)


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
    count = len(points)
    t, s = along.t, 1 - along.t
    start, end = along.segment, (along.segment + 1) % count
    # A point carries its handles along, so the curve moves by (w0 + w1) of one end and (w2 + w3) of the other.
    w = (s**3, 3 * s * s * t, 3 * s * t * t, t**3)
    unknown = np.stack([start, end, 2 * count + start, count + end], axis=1)
    factor = np.stack([w[0] + w[1], w[2] + w[3], w[1], w[2]], axis=1)
    handles = np.linalg.norm(points[:, 2:6].reshape(count, 2, 2), axis=2)
    free = np.concatenate([movable, movable & (handles[:, 0] > 1e-6), movable & (handles[:, 1] > 1e-6)])
    rising = np.argsort(unknown, axis=1)
    unknown, factor = np.take_along_axis(unknown, rising, 1), np.take_along_axis(factor, rising, 1)
    return unknown, np.where(free[unknown], factor, 0.0)


def line_up(points: Points, smooth: NDArray[np.bool_]) -> None:
    """Bring the two handles of smooth points into one line again, each with its length."""
    incoming, outgoing = np.hypot(*points[:, 2:4].T), np.hypot(*points[:, 4:6].T)
    chosen = smooth & (incoming > 1e-6) & (outgoing > 1e-6)
    arriving, leaving = incoming[chosen, None], outgoing[chosen, None]
    way = points[chosen, 4:6] / leaving - points[chosen, 2:4] / arriving
    length = np.hypot(*way.T)[:, None]
    way = np.where(length > 1e-6, way / np.maximum(length, 1e-6), points[chosen, 4:6] / leaving)
    points[chosen, 2:4], points[chosen, 4:6] = -way * arriving, way * leaving
