"""A hand that drags an outline to its place: what an artist who knows where each point belongs has to do."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from wiseglove.core.geometry.bezier import Points

HANDLE = 0.5
"""Pixels of the curve that a pixel of a handle's end moves, about."""
NOTHING = 0.01
"""Pixels of a drag that is none."""


def moved_if_better(
    points: Points, way: np.ndarray, off: Callable[[Points], float], right: float
) -> tuple[Points, int]:
    """The outline (N, 8) dragged as a whole by a way (2,) if it is not right and nearer then, and the number of drags."""
    now = off(points)
    whole = points.copy()
    whole[:, :2] += way
    return (whole, 1) if now > right and off(whole) < now else (points, 0)


def to_its_place(points: Points, aim: Points, off: Callable[[Points], float], right: float) -> tuple[Points, int]:
    """The outline (N, 8) dragged until it is `off` by `right` pixels at most, or lies where it belongs; the number of drags.

    What is farthest off first: points with their handles, and handles.
    """
    drags = 0
    while off(points) > right:
        far = np.linalg.norm((aim - points)[:, :6].reshape(-1, 3, 2), axis=2) * np.array([1.0, HANDLE, HANDLE])
        if far.max() < NOTHING:
            break
        point, which = divmod(int(far.argmax()), 3)
        points = points.copy()
        points[point, 2 * which : 2 * which + 2] = aim[point, 2 * which : 2 * which + 2]
        drags += 1
    return points, drags
