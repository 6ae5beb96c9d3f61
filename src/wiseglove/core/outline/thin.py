"""Thinning out: the fewest keys that keep every frame as it is, within a tolerance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.inbetween import Animation, Ease, in_between
from wiseglove.core.patience import go_on

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Thinned:
    """Frames that stay keys, rising, and by how much any frame differs then (pixels)."""

    frames: tuple[int, ...]
    error: float


def thin_out(frames: Sequence[int], shapes: Array, tolerance: float, pivot: tuple[float, float] | None) -> Thinned:
    """Choose keys out of an animation given on every frame, shapes (T, N, 8), eased smoothly.

    The error of a frame is the largest distance between places of the two curves at the same parameter, which is
    never less than that between the curves. Keys are added where it is worst until the tolerance holds, or every frame is
    a key, then those are taken out again that have become needless. Raises TooLongError (see `core.patience`).
    """
    errors = _Errors(frames, shapes, pivot)
    chosen = sorted({0, len(frames) - 1})
    found = errors.all(chosen)
    while found.max() > tolerance and (worst := int(found.argmax())) not in chosen:
        chosen = sorted({*chosen, worst})
        found = errors.changed(found, chosen, chosen.index(worst))
    for index in list(chosen[1:-1]):
        place = chosen.index(index)
        fewer = chosen[:place] + chosen[place + 1 :]
        without = errors.changed(found, fewer, place)
        if without.max() <= tolerance:
            chosen, found = fewer, without
    if len(chosen) == 2 and errors.all(chosen[:1]).max() <= tolerance:
        chosen = chosen[:1]
    return Thinned(tuple(frames[i] for i in chosen), float(errors.all(chosen).max()))


REACH = 3
"""Keys to both sides up to which a key has a say: a tangent depends on its neighbours' neighbours."""


class _Errors:
    """By how much each frame (T,) differs where only some are keys."""

    def __init__(self, frames: Sequence[int], shapes: Array, pivot: tuple[float, float] | None) -> None:
        self._frames = np.array(frames, np.float64)
        self._shapes, self._pivot = shapes, pivot
        self._dense = _places(shapes)

    def all(self, chosen: list[int]) -> Array:
        """Of all frames."""
        return self._of(chosen, 0, len(self._frames))

    def changed(self, before: Array, chosen: list[int], place: int) -> Array:
        """The same after a key was put in or taken out at a place among the chosen, from what was known before.

        With a pivot put by hand all later frames are looked at, for it travels from key to key.
        """
        first = chosen[max(place - REACH, 0)]
        last = len(self._frames) if self._pivot else chosen[min(place + REACH, len(chosen) - 1)] + 1
        after = before.copy()
        after[first:last] = self._of(chosen, first, last)
        return after

    def _of(self, chosen: list[int], first: int, last: int) -> Array:
        go_on()
        eases: tuple[Ease, ...] = tuple("smooth" for _ in chosen)
        held = Animation(self._frames[chosen], self._shapes[chosen], eases, self._pivot)
        there = _places(in_between(held, self._frames[first:last]))
        return np.asarray(np.abs(there - self._dense[first:last]).max(axis=1))


def _places(shapes: Array) -> NDArray[np.complex128]:
    """Places along the curves and the widths there, (T, M)."""
    start = shapes[..., 0] + 1j * shapes[..., 1]
    end = np.roll(start, -1, axis=1)
    leaving = start + shapes[..., 4] + 1j * shapes[..., 5]
    arriving = end + np.roll(shapes[..., 2] + 1j * shapes[..., 3], -1, axis=1)
    parts = [shapes[..., 6] + 1j * shapes[..., 7]] if shapes.shape[2] > 6 else []
    for t in (0.0, 0.25, 0.5, 0.75):
        s = 1 - t
        parts.append(s**3 * start + 3 * s * s * t * leaving + 3 * s * t * t * arriving + t**3 * end)
    return np.concatenate(parts, axis=1)
