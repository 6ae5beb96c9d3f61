"""Where a frame's four corners go while the shutter is open, and the poses from which its blur is made."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import quad_to_quads

Matrix = NDArray[np.float64]
SHUTTER = 0.5
STILL, SHIFTED = 0.15, 0.02
"""Pixels of travel within the exposure, and of its mean place from where the frame is, below which a frame stands still."""
MOST_SAMPLES = 36
"""Sub-poses that a frame is rendered from at most."""


def course(places: Mapping[int, Matrix]) -> Matrix:
    """The path of corners through places (4, 2) by frame from this one (which is 0), as coefficients (n, 4, 2) of time.

    One neighbour is mirrored, so the path is straight; two on both sides make a parabola, four a curve of fourth order.
    """
    known = dict(places)
    if len(known) == 2:
        (other,) = (k for k in known if k != 0)
        known[-other] = 2 * known[0] - known[other]
    times = np.array(sorted(known), np.float64)
    powers = times[:, None] ** np.arange(len(times))
    values = np.stack([known[int(t)] for t in times]).reshape(len(times), -1)
    return np.asarray(np.linalg.solve(powers, values).reshape(len(times), 4, 2))


def at_times(path: Matrix, times: Matrix) -> Matrix:
    """The corners (T, 4, 2) of a path at times (T,)."""
    return np.asarray(np.einsum("tn,nab->tab", times[:, None] ** np.arange(len(path)), path))


def _mean(path: Matrix, shutter: float) -> Matrix:
    """The mean place (4, 2) over the exposure: even powers of time have a mean, odd ones none."""
    even = [0.0 if n % 2 else (shutter / 2) ** n / (n + 1) for n in range(len(path))]
    return np.asarray(np.tensordot(even, path, 1))


def travel(path: Matrix, shutter: float) -> float:
    """Pixels that the corner which moves most goes within the exposure."""
    places = at_times(path, np.linspace(-0.5, 0.5, 5) * shutter)
    return float(np.abs(np.diff(places, axis=0)).sum(0).max())


def between(path: Matrix, count: int, shutter: float = SHUTTER) -> Matrix:
    """Motions (count, 3, 3) within the exposure, relative to the frame's own place; one for a frame that stands still."""
    now, mean = path[0], _mean(path, shutter)
    if travel(path, shutter) < STILL and np.abs(mean - now).max() < SHIFTED:
        return np.eye(3)[None]
    if count == 1:
        places = mean[None]
    else:
        # Midpoints spread less than the exposure does: by so much more they have its mean square, and so its mean place.
        times = ((np.arange(count) + 0.5) / count - 0.5) * shutter / np.sqrt(1 - 1 / count**2)
        places = at_times(path, times)
    out = quad_to_quads(now, places)
    return out if np.isfinite(out).all() else np.eye(3)[None]


def apart(one: Matrix, other: Matrix, shutter: float) -> float:
    """Pixels by which two paths of the same corners differ most while the shutter is open."""
    times = np.linspace(-0.5, 0.5, 5) * shutter
    return float(np.abs(at_times(one, times) - at_times(other, times)).max())


def samples_for(travelled: float, reduction: float) -> int:
    """Sub-poses for a travel (px) within the exposure and a reference that is seen `reduction` times smaller."""
    return int(np.clip(np.ceil(max(travelled / 2, reduction * 2.5 if reduction > 1.25 else 1)), 1, MOST_SAMPLES))
