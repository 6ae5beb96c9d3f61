"""Models of motion, as growing sets of small changes of a homography."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]
Model = Literal["shift", "shift_scale", "similarity", "affine", "perspective"]
MODELS: tuple[Model, ...] = get_args(Model)
FREEDOMS: dict[Model, int] = {"shift": 2, "shift_scale": 3, "similarity": 4, "affine": 6, "perspective": 8}
"""Numbers that each model leaves free. The first n directions of `directions` are those of a model with n."""


def directions(points: Matrix, centre: Matrix, size: float, freedoms: int = 8) -> Matrix:
    """How points (N, 2) move with each small change, (N, 2, freedoms), in the unit of `size` pixels."""
    x, y = ((np.asarray(points, np.float64) - centre) / size).T
    one, none = np.ones_like(x), np.zeros_like(x)
    rows = [
        (one, none),  # shift right
        (none, one),  # shift down
        (x, y),  # scale
        (-y, x),  # turn
        (x, -y),  # stretch
        (y, x),  # shear
        (-x * x, -x * y),  # perspective, right
        (-x * y, -y * y),  # perspective, down
    ]
    return np.stack([np.stack(r, axis=-1) for r in rows[:freedoms]], axis=-1)


def changed(change: Matrix, centre: Matrix, size: float) -> Matrix:
    """The 3x3 matrix of a small change (n,), in the order of `directions`; acts on plate coordinates."""
    tx, ty, scale, turn, stretch, shear, px, py = np.concatenate([change, np.zeros(8 - len(change))])
    small = np.array([[1 + scale + stretch, shear - turn, tx], [shear + turn, 1 + scale - stretch, ty], [px, py, 1.0]])
    into = np.array([[1 / size, 0, -centre[0] / size], [0, 1 / size, -centre[1] / size], [0, 0, 1]])
    back = np.array([[size, 0, centre[0]], [0, size, centre[1]], [0, 0, 1]])
    out: Matrix = back @ small @ into
    return np.asarray(out / out[2, 2])


def fitted(model: Model, source: Matrix, target: Matrix, weights: Matrix | None = None) -> Matrix | None:
    """The motion of a model that takes source to target points (N, 2), by least squares; None if they fix none.

    Shift, scale and turn in closed form (Umeyama 1991); affine and perspective by the linear method on
    normalised coordinates (Hartley 1997, "In defense of the eight-point algorithm").
    """
    source, target = np.asarray(source, np.float64), np.asarray(target, np.float64)
    w = np.ones(len(source)) if weights is None else np.asarray(weights, np.float64)
    needed = (FREEDOMS[model] + 1) // 2
    if int((w > 0).sum()) < needed:
        return None
    w = w / w.sum()
    a, b = w @ source, w @ target
    p, q = source - a, target - b
    spread_p, spread_q = np.sqrt(w @ (p * p).sum(1)), np.sqrt(w @ (q * q).sum(1))
    out = np.eye(3)
    if model == "shift":
        out[:2, 2] = b - a
        return out
    if spread_p < 1e-9 or spread_q < 1e-9:
        return None
    if model in ("shift_scale", "similarity"):
        along = float(w @ (p * q).sum(1))
        across = float(w @ (p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0])) if model == "similarity" else 0.0
        c, s = np.array([along, across]) / spread_p**2
        out[:2, :2] = [[c, -s], [s, c]]
        out[:2, 2] = b - out[:2, :2] @ a
        return out
    p, q = p / spread_p, q / spread_q
    into = np.array([[1 / spread_p, 0, -a[0] / spread_p], [0, 1 / spread_p, -a[1] / spread_p], [0, 0, 1]])
    back = np.array([[spread_q, 0, b[0]], [0, spread_q, b[1]], [0, 0, 1]])
    root = np.sqrt(w)[:, None]
    one, none = np.ones((len(p), 1)), np.zeros((len(p), 1))
    if model == "affine":
        left = np.hstack([p, one]) * root
        solution, _, rank, _ = np.linalg.lstsq(left, q * root, rcond=1e-9)
        if rank < 3:
            return None
        linear = np.vstack([solution.T, [0, 0, 1]])
    else:
        rows_x = np.hstack([p, one, none, none, none, -q[:, :1] * p, -q[:, :1]])
        rows_y = np.hstack([none, none, none, p, one, -q[:, 1:] * p, -q[:, 1:]])
        _, values, axes = np.linalg.svd(np.vstack([rows_x * root, rows_y * root]), full_matrices=len(p) == 4)
        if values[7] < 1e-9 * values[0]:
            return None
        linear = axes[8].reshape(3, 3)
    out = back @ linear @ into
    return out / out[2, 2] if abs(out[2, 2]) > 1e-12 else None
