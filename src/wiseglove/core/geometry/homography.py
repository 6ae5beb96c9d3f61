"""Homographies of the image plane, as 3x3 matrices acting on (x, y, 1); all that are made from corners are made here."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]


class DegenerateQuadError(ValueError):
    """Four corners that no picture can be laid on: three in a line, crossed, or folded inside out."""


def unit_square_to_quad(corners: Matrix) -> Matrix:
    """The homography that takes (0,0), (1,0), (1,1), (0,1) to four corners, shape (4, 2).

    Raises DegenerateQuadError when the corners do not bound a convex area.
    """
    quad = np.asarray(corners, np.float64)
    if quad.shape != (4, 2) or not np.isfinite(quad).all():
        raise DegenerateQuadError("a pane needs four finite corners")
    if not is_convex(quad):
        raise DegenerateQuadError("the four corners must go round a convex area without crossing")
    return np.asarray(_from_unit_square(quad[None])[0])


def quad_to_quads(base: Matrix, quads: Matrix) -> Matrix:
    """The homographies (T, 3, 3) that take four corners (4, 2) to four others, (T, 4, 2).

    No three of the corners may lie on a line, or what comes is not finite.
    """
    source = _from_unit_square(np.asarray(base, np.float64)[None])[0]
    with np.errstate(all="ignore"):
        out = _from_unit_square(np.asarray(quads, np.float64)) @ np.linalg.inv(source)
        return np.asarray(out / out[:, 2:, 2:])


def _from_unit_square(quads: Matrix) -> Matrix:
    """The unit square's homographies (T, 3, 3) to quads (T, 4, 2).

    Closed form of Heckbert 1989, "Fundamentals of texture mapping and image warping", section 2.2.3.
    """
    p0, p1, p2, p3 = np.moveaxis(quads, 1, 0)
    (sx, sy), (dx1, dy1), (dx2, dy2) = (p0 - p1 + p2 - p3).T, (p1 - p2).T, (p3 - p2).T
    with np.errstate(all="ignore"):
        det = dx1 * dy2 - dx2 * dy1
        g, h = (sx * dy2 - dx2 * sy) / det, (dx1 * sy - sx * dy1) / det
    out = np.empty((len(quads), 3, 3))
    out[:, :2, 0] = p1 - p0 + g[:, None] * p1
    out[:, :2, 1] = p3 - p0 + h[:, None] * p3
    out[:, :2, 2] = p0
    out[:, 2] = np.stack([g, h, np.ones_like(g)], axis=1)
    return out


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
