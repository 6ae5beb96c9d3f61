"""Homographies of the image plane, as 3x3 matrices acting on (x, y, 1)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]


class DegenerateQuadError(ValueError):
    """Four corners that no picture can be laid on: three in a line, crossed, or folded inside out."""


def unit_square_to_quad(corners: Matrix) -> Matrix:
    """The homography that takes (0,0), (1,0), (1,1), (0,1) to four corners, shape (4, 2).

    Closed form of Heckbert 1989, "Fundamentals of texture mapping and image warping", section 2.2.3.
    Raises DegenerateQuadError when the corners do not bound a convex area.
    """
    quad = np.asarray(corners, np.float64)
    if quad.shape != (4, 2) or not np.isfinite(quad).all():
        raise DegenerateQuadError("a pane needs four finite corners")
    if not is_convex(quad):
        raise DegenerateQuadError("the four corners must go round a convex area without crossing")
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = quad
    sx, sy = x0 - x1 + x2 - x3, y0 - y1 + y2 - y3
    dx1, dx2, dy1, dy2 = x1 - x2, x3 - x2, y1 - y2, y3 - y2
    det = dx1 * dy2 - dx2 * dy1
    g = (sx * dy2 - dx2 * sy) / det
    h = (dx1 * sy - sx * dy1) / det
    return np.array(
        [
            [x1 - x0 + g * x1, x3 - x0 + h * x3, x0],
            [y1 - y0 + g * y1, y3 - y0 + h * y3, y0],
            [g, h, 1.0],
        ]
    )


def is_convex(corners: Matrix, smallest: float = 1e-6) -> bool:
    """Whether four corners (4, 2) turn the same way everywhere, either way round."""
    edges = np.roll(corners, -1, axis=0) - corners
    following = np.roll(edges, -1, axis=0)
    turns = edges[:, 0] * following[:, 1] - edges[:, 1] * following[:, 0]
    return bool((turns > smallest).all() or (turns < -smallest).all())


def apply(matrix: Matrix, points: Matrix) -> Matrix:
    """Points (..., 2) moved by a homography."""
    xyw = points @ matrix[:, :2].T + matrix[:, 2]
    out: Matrix = xyw[..., :2] / xyw[..., 2:]
    return out
