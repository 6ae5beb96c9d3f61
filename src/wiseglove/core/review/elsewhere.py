"""Where an outline's inside is looked for when it is not where the outline is: as a whole, and then stretch by stretch.

An outline that lies elsewhere looks as its keys do inside of it, and unlike that outside of it. Both count: the inside of a thing
of one colour looks alike wherever in it the outline lies. Looked for in a small picture, coarsely over the whole reach, then
around the best, and then each stretch around what all have in common. Where it lies far off, that is not enough: a limb turns, and the
other one looks the same. There it is followed, from a key that it is near on, frame by frame.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache
from typing import NamedTuple

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.kept import kept
from wiseglove.core.outline.edges import averaged, roots_of
from wiseglove.core.outline.normals import Normals
from wiseglove.core.outline.snap import SMEARED, crop

Array = NDArray[np.float64]
Layer = NDArray[np.float32]
Picture = NDArray[np.uint8]
Costs = Callable[[Array], Layer]
INSIDE, OUTSIDE = (4.0, 9.0), (-5.0, -9.0)
"""How far inside and outside colours are compared, in pixels."""
FAR, STEP, FINE, SMALLER = 72, 8, 2, 0.25
"""How far the whole outline is looked for elsewhere, in which steps, first and then, in pixels; in a picture of which size."""
APART, PIECE = 48, 0.25
"""How far a stretch may lie from the rest, in pixels, and how long it is, in shares of the outline."""
MOST_COMPARED = 100
"""The most places of an outline that are compared; of more every second is, or every third."""
MOST_UNLIKE = 0.5
"""Unlikeness, in shares of the range of colours inside, that counts as no worse than this."""
LACKS = 0.3
"""What it costs that the outside looks too much like the inside, beside that the inside looks unlike it."""
ALIKE, NEARER = 0.03, 0.0006
"""Mean cost up to which nothing is looked for, and what each pixel of the way counts as."""
ELSEWHERE, ELSEWHERE_ITSELF = 0.02, 0.015
"""By how much less an outline, and a stretch of it, has to cost elsewhere."""
BY_ITSELF = 0.7
"""What a pixel of a stretch's own way counts as, beside one of the whole outline's."""
FAR_OFF = 16.0
"""Pixels off, in the mean, from which it is followed on from frame to frame."""
NEAR, OWN, OWN_STEP, CALM = 16, 8, 4, 4
"""Pixels around where it was expected in which all of it is looked for then, around that each stretch, in which steps, and how often what was
expected is averaged along it."""
KEEPS_ON = 0.005
"""By how much less alike it may be where it was followed to."""


class Found(NamedTuple):
    """How far each of K places of an outline seems to lie from where its surroundings are seen, (K, 2), and what is unlike there."""

    shift: Array
    cost: float

    @property
    def far(self) -> bool:
        """Whether it lies so far off that it is to be followed from frames where it does less."""
        return bool(np.hypot(*self.shift.T).mean() > FAR_OFF)


class Search:
    """Looks on one frame for where an outline's keys' surroundings are seen."""

    def __init__(
        self, picture: Picture, along: Normals, travel: Array, inside: Array, beyond: Array, scale: float
    ) -> None:
        """picture: RGB (H, W, 3); travel (M,): pixels across the edge in a frame; inside (M, 2, 3): roots of linear light at INSIDE
        on the keys; beyond (M,): how unlike that the outside is on the keys, and scale: the range of the inside, both in such roots.
        """
        self._count = len(along.t)
        left, top, part = crop(picture, along.places, FAR + 24)
        self._few = few = np.arange(0, self._count, -(-self._count // MOST_COMPARED))
        self._nothing = min(part.shape[:2]) < STEP / SMALLER
        if self._nothing:
            return
        small = cv2.resize(part, None, fx=SMALLER, fy=SMALLER, interpolation=cv2.INTER_AREA)
        self._layer = np.ascontiguousarray(roots_of(np.asarray(small, np.uint8)), np.float32)
        self._edge, self._outward = along.places[few] - (left, top), along.outward[few]
        self._depths = np.concatenate([INSIDE + SMEARED * travel[few, None], np.tile(OUTSIDE, (len(few), 1))], axis=1)
        want = inside[few].astype(np.float32)
        outer = np.repeat(want.mean(axis=1, keepdims=True), len(OUTSIDE), axis=1)
        self._want = np.concatenate([want, outer], axis=1)
        self._beyond = np.minimum(beyond[few] / scale, MOST_UNLIKE).astype(np.float32)
        self._scale = scale

    @kept
    def alone(self) -> Found:
        """By this frame alone: as a whole, then stretch by stretch."""
        still = Found(np.zeros((len(self._few), 2)), 0.0)
        if self._nothing:
            return still
        costs = self._costs_at(self._edge, self._outward)
        here = float(costs(np.zeros((1, 2))).mean())
        if here < ALIKE:
            return still
        common = np.zeros(2)
        for reach, step in ((FAR, STEP), (STEP - FINE, FINE)):
            tried = _around(common, reach, step)
            found = costs(tried).mean(axis=1) + NEARER * np.linalg.norm(tried, axis=1)
            common, least = tried[int(found.argmin())], float(found.min())
        if least > here - ELSEWHERE:
            common = np.zeros(2)
        return _stretches(costs, common, len(self._few), APART, STEP)

    def beside(self, base: Array) -> Found:
        """Near where it lies if each of its places is off by so much, (K, 2): it may be turned and bent there."""
        if self._nothing:
            return Found(base, np.inf)
        base = averaged(base, CALM, closed=True)
        there = self._edge + base
        was, now = (np.roll(p, -2, axis=0) - np.roll(p, 2, axis=0) for p in (self._edge, there))
        angle = np.arctan2(now[:, 1], now[:, 0]) - np.arctan2(was[:, 1], was[:, 0])
        cos, sin = np.cos(angle), np.sin(angle)
        x, y = self._outward.T
        costs = self._costs_at(there, np.stack([cos * x - sin * y, sin * x + cos * y], axis=1))
        tried = _around(np.zeros(2), NEAR, STEP)
        found = costs(tried).mean(axis=1) + NEARER * np.linalg.norm(tried, axis=1)
        near = _stretches(costs, tried[int(found.argmin())], len(base), OWN, OWN_STEP)
        return Found(base + near.shift, near.cost)

    def everywhere(self, found: Found) -> Array:
        """What was found, for all M places, (M, 2)."""
        ends, own = np.append(self._few, self._count), found.shift
        every = np.arange(self._count)
        return np.stack([np.interp(every, ends, np.append(own[:, c], own[0, c])) for c in range(2)], axis=1)

    def _costs_at(self, edge: Array, outward: Array) -> Costs:
        """What shifts (S, 2) of an edge (K, 2) cost each of its places, (S, K)."""
        places = edge[:, None] - outward[:, None] * self._depths[..., None]
        small = np.asarray(places * SMALLER - 0.5, np.float32)  # OpenCV's pixel centres lie on whole numbers
        share, lacks = np.float32(1 / self._scale), np.float32(LACKS)

        def costs(shifts: Array) -> Layer:
            out = np.empty((len(shifts), len(edge)), np.float32)
            by = (shifts * SMALLER).astype(np.float32)
            _costs(self._layer, small, self._want, self._beyond, by, share, lacks, out)
            return out

        return costs


def followed(searches: Sequence[Search]) -> list[Found]:
    """Where an outline lies on neighbouring frames in order: by each alone, or followed on from the one before where that is less unlike."""
    out: list[Found] = []
    for search in searches:
        best = search.alone
        bases = [out[-1].shift] if out and out[-1].far else []
        if bases and len(out) > 1:
            bases.append(2 * out[-1].shift - out[-2].shift)
        for base in bases:
            found = search.beside(base)
            if found.cost < best.cost + KEEPS_ON:
                best = found
        out.append(best)
    return out


def _stretches(costs: Costs, common: Array, count: int, apart: float, step: float) -> Found:
    """Where the stretch around each of some places lies near where all of them lie in common."""
    shifts = _around(common, apart, step)
    each = costs(shifts)
    reach = max(round(PIECE * count) // 2, 2)
    share = np.hanning(2 * reach + 3)[1:-1].astype(np.float32)
    around = np.concatenate([each[:, -reach:], each, each[:, :reach]], axis=1)
    calm = cv2.sepFilter2D(around, -1, share / share.sum(), np.ones(1, np.float32))[:, reach : reach + count]
    far = BY_ITSELF * NEARER * np.linalg.norm(shifts - common, axis=1)
    best = (calm + far[:, None]).argmin(axis=0)
    middle, least = calm[len(shifts) // 2], calm[best, np.arange(count)]
    alone = middle - least > ELSEWHERE_ITSELF
    return Found(np.where(alone[:, None], shifts[best], common), float(np.where(alone, least, middle).mean()))


def _around(middle: Array, reach: float, step: float) -> Array:
    """Shifts (S, 2) in steps around one, which is the middle of them."""
    return np.asarray(middle + _steps(reach, step))


@cache
def _steps(reach: float, step: float) -> Array:
    ticks = np.arange(-reach, reach + 1, step, dtype=np.float64)
    return np.stack(np.meshgrid(ticks, ticks), axis=-1).reshape(-1, 2)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _costs(layer, places, want, beyond, shifts, scale, lacks, out):  # type: ignore[no-untyped-def]
    """What each shift (S, 2) costs each of K places, (S, K), where colours want (K, D, 3) are looked for at places (K, D, 2).

    Of the D places of each the first half is to look alike, and the others are to look `beyond` (K,) unlike, at least. All shifts of a
    place are looked up in one loop, which the compiler does eight at a time.
    """
    right, bottom = np.float32(layer.shape[1] - 1.001), np.float32(layer.shape[0] - 1.001)
    depths, row, zero = places.shape[1], np.int32(3 * layer.shape[1]), np.float32(0)
    half = depths // 2
    flat, by_x, by_y = layer.reshape(-1), np.ascontiguousarray(shifts[:, 0]), np.ascontiguousarray(shifts[:, 1])
    unlike, outside = np.empty(len(shifts), np.float32), np.empty(len(shifts), np.float32)
    for k in range(len(places)):
        unlike[:] = 0
        outside[:] = 0
        for d in range(depths):
            px, py = places[k, d, 0], places[k, d, 1]
            total = unlike if d < half else outside
            for s in range(len(shifts)):
                x = min(max(px + by_x[s], zero), right)
                y = min(max(py + by_y[s], zero), bottom)
                i, j = np.int32(x), np.int32(y)
                across, down = x - np.float32(i), y - np.float32(j)
                at = j * row + i * np.int32(3)
                square = zero
                for c in range(3):
                    above = flat[at + c] + (flat[at + 3 + c] - flat[at + c]) * across
                    below = flat[at + row + c] + (flat[at + row + 3 + c] - flat[at + row + c]) * across
                    off = above + (below - above) * down - want[k, d, c]
                    square += off * off
                total[s] += min(np.sqrt(square) * scale, np.float32(MOST_UNLIKE))
        for s in range(len(shifts)):
            missing = max(beyond[k] - outside[s] / np.float32(depths - half), zero)
            out[s, k] = unlike[s] / np.float32(half) + lacks * missing
