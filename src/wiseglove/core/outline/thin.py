"""Thinning out: the fewest keys that keep every frame as it is, within a tolerance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.inbetween import Animation, Ease, in_between

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Thinned:
    """Frames that stay keys, rising, and by how much any frame differs then (pixels)."""

    frames: tuple[int, ...]
    error: float


def thin_out(frames: Sequence[int], shapes: Array, tolerance: float, pivot: tuple[float, float] | None) -> Thinned:
    """Choose keys out of an animation given on every frame, shapes (T, N, 8), eased smoothly.

    The error of a frame is the largest distance between places of the two curves at the same parameter, which is
    never less than that between the curves. Keys are added where it is worst until the tolerance holds, then those
    are taken out again that have become needless.
    """
    dense = _places(shapes)

    def errors(chosen: list[int]) -> Array:
        eases: tuple[Ease, ...] = tuple("smooth" for _ in chosen)
        held = Animation(np.array([frames[i] for i in chosen], np.float64), shapes[chosen], eases, pivot)
        return np.asarray(np.abs(_places(in_between(held, np.array(frames, np.float64))) - dense).max(axis=1))

    chosen = sorted({0, len(frames) - 1})
    found = errors(chosen)
    while found.max() > tolerance:
        chosen = sorted({*chosen, int(found.argmax())})
        found = errors(chosen)
    for index in list(chosen[1:-1]):
        fewer = [i for i in chosen if i != index]
        if errors(fewer).max() <= tolerance:
            chosen = fewer
    if len(chosen) == 2 and errors(chosen[:1]).max() <= tolerance:
        chosen = chosen[:1]
    return Thinned(tuple(frames[i] for i in chosen), float(errors(chosen).max()))


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
