"""Boil: movement of an outline's edge that is left after its smooth motion, and keys that do nothing but make it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from wiseglove.core.outline.normals import normals_at, spread

Array = NDArray[np.float64]
SPACING, MOST_PLACES = 4.0, 200
"""Pixels between places along the outline, and the most of them."""
WINDOW, ORDER = 7, 3
"""Frames and order of the polynomial that stands for smooth motion (Savitzky & Golay 1964)."""
OVER = 5
"""Frames over which boil is told as one number."""
NOTABLE = 0.15
"""Pixels of boil from which it is worth a look."""
LEAST_CALMING = 0.3
"""Pixels that fewer keys may always change a frame by."""
CROWDED, WITHIN = 4, 8
"""Keys within so many frames from which on they may be too many."""


@dataclass(frozen=True)
class Boil:
    """Movement across the edge that is left, in pixels, (T, M): root of its mean square over a few frames, at M places.

    shaken (T, M) is that movement itself, signed; segment and t (M,) say where on the outline the places are, spacing how many
    pixels they are apart.
    """

    amount: Array
    shaken: Array
    segment: NDArray[np.int64]
    t: Array
    spacing: float

    @property
    def by_frame(self) -> Array:
        """Root of the mean square along the outline, (T,)."""
        return np.asarray(np.sqrt((self.amount**2).mean(axis=1)))

    @property
    def calming(self) -> float:
        """By how many pixels a frame may change where fewer keys are to take the boil out and nothing else."""
        return max(2 * float(self.by_frame.max(initial=0.0)), LEAST_CALMING)

    def worst(self) -> tuple[int, int]:
        """Frame (as an index) and place where it is worst."""
        along = np.sqrt((self.amount**2).mean(axis=0))
        place = int(along.argmax())
        return int(self.amount[:, place].argmax()), place


def boil(points: Array) -> Boil:
    """What is left of the movement of an outline (T, N, 8), against what it rides on, after its smooth part.

    Places keep their parameter on the curve. What all of them do together across a frame (a carrier that trembles with the
    plate) is not the edge's own, so the similarity common to all is taken out.
    """
    count = len(points)
    along, spacing = spread(points[count // 2], SPACING, MOST_PLACES)
    seen = [normals_at(p, along.segment, along.t) for p in points]
    if count < WINDOW:
        nothing = np.zeros((count, len(along.t)))
        return Boil(nothing, nothing, along.segment, along.t, spacing)
    from scipy.signal import savgol_filter  # takes a second to load

    places = np.stack([s.places for s in seen])
    outward = np.stack([s.outward for s in seen])
    left = places - savgol_filter(places, WINDOW, ORDER, axis=0, mode="interp")
    shaken = ((left - _together(places, left)) * outward).sum(axis=2)
    amount = np.sqrt(np.maximum(uniform_filter1d(shaken**2, OVER, axis=0, mode="nearest"), 0))
    return Boil(np.asarray(amount), np.asarray(shaken), along.segment, along.t, spacing)


def _together(places: Array, left: Array) -> Array:
    """The part of what is left (T, M, 2) that is one similarity of all places of a frame, by robust least squares."""
    z = places[..., 0] + 1j * places[..., 1]
    z = z - z.mean(axis=1, keepdims=True)
    w = left[..., 0] + 1j * left[..., 1]
    weight = np.ones(z.shape)
    for _ in range(4):
        total = weight.sum(axis=1, keepdims=True)
        z0, w0 = (np.sum(weight * v, axis=1, keepdims=True) / total for v in (z, w))
        turn = np.sum(weight * np.conj(z - z0) * (w - w0), axis=1, keepdims=True)
        turn = turn / np.maximum(np.sum(weight * np.abs(z - z0) ** 2, axis=1, keepdims=True), 1e-9)
        common = w0 + turn * (z - z0)
        away = np.abs(w - common)
        weight = 1 / np.maximum(away, np.median(away, axis=1, keepdims=True) + 1e-6)
    return np.stack([common.real, common.imag], axis=2)


def overworked(keys: Sequence[int], first: int, found: Boil) -> list[tuple[int, int]]:
    """Runs of keys, first and last frame, that stand close together where the edge boils."""
    frames = sorted(keys)
    shaken = found.by_frame
    worst = found.amount.max(axis=1, initial=0.0)
    runs: list[tuple[int, int]] = []
    for i in range(len(frames) - CROWDED + 1):
        start, end = frames[i], frames[i + CROWDED - 1]
        if end - start >= WITHIN:
            continue
        part = slice(max(start - first, 0), end - first + 1)
        if max(float(shaken[part].max(initial=0.0)), float(worst[part].max(initial=0.0)) / 2) < NOTABLE:
            continue
        if runs and start <= runs[-1][1]:
            runs[-1] = (runs[-1][0], end)
        else:
            runs.append((start, end))
    return runs
