"""Joints: an outline whose points ride on several motions, blended along it, as skin over two bones.

Linear blend skinning (Magnenat-Thalmann, Laperriere and Thalmann 1988): a point is where each motion would carry it
from the frame of rest, mixed by the point's own weights.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.motion.path import Motion, applied

Array = NDArray[np.float64]
STEPS = 12
"""Newton steps for the way back at most; two or three do, as the blend is nearly affine."""
CLOSE = 1e-9


def weights_beyond(places: Array, line: Array, width: float) -> Array:
    """How far places (N, 2) lie beyond a line (2, 2), to its right on the picture, as 0..1 (N,).

    The line goes on beyond its ends. Over `width` pixels about it the weight rises smoothly (a cubic without slope
    at its ends). Raises ValueError for a line without length.
    """
    along = line[1] - line[0]
    length = float(np.hypot(*along))
    if length < 1e-6:
        raise ValueError("the line has no length")
    right = np.array([-along[1], along[0]]) / length
    t = np.clip((places - line[0]) @ right / max(width, 1e-6) + 0.5, 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def shares(beyond: list[Array]) -> Array:
    """Weights (N, M + 1) of the first motion and those of M joints, from how far points lie beyond each joint (N,)."""
    columns = [np.ones_like(beyond[0])]
    for there in beyond:
        columns = [c * (1 - there) for c in columns] + [there]
    return np.stack(columns, axis=1)


@dataclass(frozen=True, eq=False)
class Jointed:
    """What an outline of N points rides on: motions, and each point's share of each, (N, M), rows of sum 1.

    Places are stored as they are at `rest`, a frame on which all motions agree by definition.
    """

    motions: tuple[Motion, ...]
    rest: float
    weights: Array

    @property
    def first(self) -> int:
        """The first frame on which anything moves."""
        return min(m.first for m in self.motions)

    @property
    def last(self) -> int:
        """The last frame on which anything moves."""
        return max(m.last for m in self.motions)

    def matrices(self, times: Array) -> Array:
        """Each motion from rest to times (T,): (M, T, 3, 3)."""
        at_rest = np.array([self.rest])
        return np.stack([m.matrices(times) @ np.linalg.inv(m.matrices(at_rest)[0]) for m in self.motions])

    def carry(self, times: Array, points: Array) -> Array:
        """Points (T, N, 8) at rest as they are seen at times (T,): places and handles; edges keep their width."""
        matrices = self.matrices(np.asarray(times, np.float64))
        return self._through(lambda places: self._blended(matrices, places), points)

    def back(self, time: float, points: Array) -> Array:
        """Points (N, 8) seen at a time, as they are at rest."""
        matrices = self.matrices(np.array([time], np.float64))
        return np.asarray(self._through(lambda places: self._solved(matrices, places), points[None])[0])

    def of_places(self) -> Jointed:
        """The same for a single place that belongs to no point: it gets the mean share of the points."""
        return Jointed(self.motions, self.rest, self.weights.mean(0, keepdims=True))

    @staticmethod
    def _through(move: Callable[[Array], Array], points: Array) -> Array:
        out = np.array(points, np.float64)
        place = move(points[..., :2])
        out[..., :2] = place
        for k in (2, 4):
            handle = points[..., k : k + 2]
            if np.any(handle):
                out[..., k : k + 2] = move(points[..., :2] + handle) - place
        return out

    def _blended(self, matrices: Array, places: Array) -> Array:
        each = np.stack([applied(m, places) for m in matrices])
        return np.asarray(np.einsum("nm,mtnc->tnc", self.weights, each))

    def _solved(self, matrices: Array, seen: Array) -> Array:
        """Where places (1, N, 2) come from, by Newton's method from what an even blend of the ways back says."""
        ways = np.stack([applied(np.linalg.inv(m), seen) for m in matrices])
        places: Array = np.einsum("nm,mtnc->tnc", self.weights, ways)
        small = 1e-3
        for _ in range(STEPS):
            off = self._blended(matrices, places) - seen
            if np.abs(off).max() < CLOSE:
                break
            across = (self._blended(matrices, places + (small, 0)) - self._blended(matrices, places - (small, 0))) / (2 * small)  # fmt: skip
            down = (self._blended(matrices, places + (0, small)) - self._blended(matrices, places - (0, small))) / (2 * small)  # fmt: skip
            det = across[..., 0] * down[..., 1] - across[..., 1] * down[..., 0]
            det = np.where(np.abs(det) < 1e-6, 1e-6, det)
            step = np.stack([down[..., 1] * off[..., 0] - down[..., 0] * off[..., 1], across[..., 0] * off[..., 1] - across[..., 1] * off[..., 0]], axis=-1)  # fmt: skip
            places = places - step / det[..., None]
        return places
