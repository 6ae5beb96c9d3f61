"""A plane that floats before a pane: moved along its normal and tilted, in the pane's own perspective."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import unit_square_to_quad

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Float:
    """Where a plane lies before a pane. Lengths in heights of the pane, angles in degrees.

    distance: towards the camera along the pane's normal. across, down: of its middle from the pane's middle. tilt: its top
    away from the camera; swing: its right side away; turn: clockwise in itself. size: 1 as large as the pane.
    """

    distance: float = 0.0
    across: float = 0.0
    down: float = 0.0
    tilt: float = 0.0
    swing: float = 0.0
    turn: float = 0.0
    size: float = 1.0


class BehindCameraError(ValueError):
    """A corner comes to lie behind the camera."""


def floating_quad(quad: Array, aspect: float, focal: float, width: float, height: float, where: Float) -> Array:
    """Corners (4, 2) px of the floating plane, for a pane seen with corners `quad` (4, 2).

    aspect: the real pane's; focal: length in px; the lens's axis goes through the middle of a picture of width x height.
    The pane's pose is that of its homography, with the nearest rotation (Zhang 2000, appendix C).
    Raises DegenerateQuadError for a pane that folds over, BehindCameraError for a corner that cannot be seen.
    """
    rotation, middle, unit = _pose(quad, aspect, focal, width, height)
    a, b, c = (np.radians(v) for v in (where.tilt, where.swing, where.turn))
    about = [(np.array([1.0, 0, 0]), -a), (np.array([0, 1.0, 0]), -b), (np.array([0, 0, 1.0]), c)]
    own = np.eye(3)
    for axis, angle in about:
        own = own @ cv2.Rodrigues(axis * angle)[0]
    half = np.array([[-aspect, -1, 0], [aspect, -1, 0], [aspect, 1, 0], [-aspect, 1, 0]]) / 2 * where.size
    local = half @ own.T + (where.across, where.down, -where.distance)
    seen = (local * unit) @ rotation.T + middle
    if (seen[:, 2] < 0.02 * middle[2]).any():
        raise BehindCameraError("It floats so near that a corner lies behind the camera. Bring it closer to the pane.")
    return np.asarray(seen[:, :2] / seen[:, 2:] * focal + (width / 2, height / 2), np.float64)


def _pose(quad: Array, aspect: float, focal: float, width: float, height: float) -> tuple[Array, Array, float]:
    """The pane's rotation (3, 3), its middle in front of the camera (3,), and one height of it in the same unit."""
    h = unit_square_to_quad(np.asarray(quad, np.float64) - (width / 2, height / 2))
    k = np.diag([1 / focal, 1 / focal, 1.0])
    columns = k @ h
    if columns[2, 2] < 0:
        columns = -columns
    across, down, origin = columns.T
    unit = float(np.sqrt(np.linalg.norm(across) / aspect * np.linalg.norm(down)))
    first, second = across / np.linalg.norm(across), down / np.linalg.norm(down)
    u, _, vt = np.linalg.svd(np.stack([first, second, np.cross(first, second)], axis=1))
    return u @ vt, origin + across / 2 + down / 2, unit
