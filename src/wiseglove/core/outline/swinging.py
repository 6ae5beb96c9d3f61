"""What sticks out of an outline and swings faster than what is inside it can be followed: a plait, a hand, a foot.

A limb is a stretch of the outline that begins and ends close together. Where one no longer looks as it did on the frame on which the
outline is right, inside of it and by how much it differs from what is beyond its edge, it is looked for by turning it about where it
sticks out. It is taken for found only where it looks much more as it did there.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.edges import NARROWEST, averaged, length, roots_of, seen_at
from wiseglove.core.outline.normals import Normals, follow, normals_at, normals_of

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Which = NDArray[np.int64]
SPACING, MOST_PLACES = 4.0, 320
"""Pixels between the places along an outline; on a long one they are farther apart, so that there are no more than about so many."""
SHORTEST, LONGEST = 36.0, 0.6
"""Of a limb along the curve: pixels, and share of the whole outline."""
STICKS_OUT = 2.5
"""How many times longer than the way across it a limb is along the curve."""
MOST, LARGER = 4, 1.6
"""How many limbs of a size there are at most, and how much larger the next size's are."""
INSIDE, BEYOND = np.array([3.0, 5.0]), np.array([3.0])
"""Where colours are compared, in pixels inside and outside the edge."""
LEAST_STEP = 0.3
"""What differs less across the edge, in shares of what does so in the middle of a limb, tells nothing."""
LACKING = 0.5
"""How much a lacking edge counts beside colours inside that are others."""
ASTRAY, MUCH_MORE, MOST_UNLIKE = 0.2, 0.75, 0.4
"""How unlike it is a limb that is looked for, what share of that one has that is taken for it, and how unlike that is at most."""
ANGLES = np.deg2rad(np.concatenate([np.arange(-50.0, 0.0, 5.0), np.arange(5.0, 55.0, 5.0)]))
FINER = np.deg2rad([2.5, 1.25, 0.6])
"""By how much limbs are turned at first, and by how much less and less then: half of the last is a pixel 200 pixels from the root."""
TRIED = 6
"""How many of the limbs that are lost are looked for on a frame, the most lost first."""
ROOT = 4
"""Places on each side of a limb whose motion it hangs on."""
MARGIN = 12
"""Pixels around all of the places that are seen besides where limbs may turn to."""


@dataclass(frozen=True)
class Swung:
    """An outline (N, 8) with limbs turned, and places of these on the first frame and now, (M, 2) each."""

    points: Points
    first: Array
    now: Array


class Swinging:
    """The limbs of an outline that is right on one frame, and how they look there."""

    def __init__(self, picture: Picture, points: Points, kinds: list[str]) -> None:
        """picture: RGB (H, W, 3), encoded; points (N, 8)."""
        self._kinds = kinds
        everywhere = list(range(len(points)))
        along = normals_of(points, everywhere, SPACING)
        if len(along.t) > MOST_PLACES:
            along = normals_of(points, everywhere, SPACING * len(along.t) / MOST_PLACES)
        self._segment, self._t, self._first = along.segment, along.t, along.places
        self._limbs: list[_Limb] = []
        stretches = stretches_out(along.places)
        if stretches:
            inner, step = _Seen(picture, [along.places]).along(along.places, along.outward)
            self._limbs = [_Limb(places, inner[places], step[places]) for places in stretches]

    def on(self, picture: Picture, before: Points, points: Points) -> Swung | None:
        """Limbs that are lost on this outline (N, 8), turned to where they seem to be; None where none is, or none is found.

        before: the outline (N, 8) on the frame before.
        """
        if not self._limbs:
            return None
        now, was = (normals_at(p, self._segment, self._t) for p in (points, before))
        seen = _Seen(picture, [now.places, was.places])
        inner, step = seen.along(now.places, now.outward)
        lost = [(float(limb.unlike(inner[limb.which], step[limb.which])), limb) for limb in self._limbs]
        target, turned = now.places.copy(), np.zeros(len(now.t), np.bool_)
        for unlike, limb in sorted(lost, key=lambda one: -one[0])[:TRIED]:
            if unlike < ASTRAY:
                break
            if turned[limb.which].any():
                continue
            least, places = _turned(seen, was, now, limb)
            if least < min(MUCH_MORE * unlike, MOST_UNLIKE):
                target[limb.which] = places
                turned[limb.which] = True
        if not turned.any():
            return None
        shift = averaged(target - now.places, 1, closed=True)
        swung = follow(points, now, now.places + shift, np.ones(len(points), bool), self._kinds)
        return Swung(swung, self._first[turned], target[turned])


class _Limb:
    """Which places of an outline are a limb's, (L,) in their order, and how it looks where it is right."""

    def __init__(self, which: Which, inner: Array, step: Array) -> None:
        """inner: colours inside (L, 3); step: how much those beyond the edge differ, (L,)."""
        self.which, self._inner, self._step = which, inner, step
        self._scale = max(float(np.median(step)), NARROWEST)
        self._tells = step > LEAST_STEP * self._scale

    def unlike(self, inner: Array, step: Array) -> Array:
        """How unlike that is what is seen instead, (..., L, 3) and (..., L): 0 where it is the same, about 1 where it is something else."""
        other = np.minimum(length(inner - self._inner) / self._scale, 1.0)
        lacks = np.clip(1 - step / np.maximum(self._step, 1e-6), 0, 1) * self._tells
        return np.asarray((other + LACKING * lacks).mean(axis=-1))


def _turned(seen: _Seen, was: Normals, now: Normals, limb: _Limb) -> tuple[float, Array]:
    """How unlike it is a limb is where it is least so, and where that is, (L, 2): as on the frame before, gone with its root and turned."""
    ends, count = limb.which[[0, -1]], len(now.t)
    beside = np.concatenate([ends[0] - 1 - np.arange(ROOT), ends[1] + 1 + np.arange(ROOT)]) % count
    root = was.places[ends].mean(axis=0)
    there = root + (now.places[beside] - was.places[beside]).mean(axis=0)
    places, outward = was.places[limb.which] - root, was.outward[limb.which]

    def best_of(angles: Array) -> tuple[float, Array, float]:
        turns = np.stack([np.cos(angles), np.sin(angles), -np.sin(angles), np.cos(angles)], axis=1).reshape(-1, 2, 2)
        turned = places @ turns + there
        unlike = limb.unlike(*seen.along(turned, outward @ turns))
        best = int(unlike.argmin())
        return float(unlike[best]), turned[best], float(angles[best])

    found = best_of(ANGLES)
    for by in FINER:
        found = min(found, best_of(found[2] + np.array([-by, by])), key=lambda one: one[0])
    return found[:2]


class _Seen:
    """A picture around places, calmed."""

    def __init__(self, picture: Picture, around: list[Array]) -> None:
        every = np.concatenate(around)
        reach = MARGIN + np.ptp(every, axis=0).max() / 4
        self._low = np.clip((every.min(axis=0) - reach).astype(int), 0, np.array(picture.shape[1::-1]) - 1)
        high = np.maximum((every.max(axis=0) + reach).astype(int), self._low + 1)
        part = picture[self._low[1] : high[1], self._low[0] : high[0]]
        self._calm = np.asarray(cv2.GaussianBlur(part, (0, 0), 1.0), np.uint8)

    def along(self, places: Array, outward: Array) -> tuple[Array, Array]:
        """Colours inside (..., 3) of places (..., 2), as roots of linear light, and how much those beyond the edge differ, (...)."""
        ticks = np.concatenate([-INSIDE, BEYOND])
        spots = places[..., None, :] + outward[..., None, :] * ticks[:, None] - self._low
        seen = roots_of(seen_at(self._calm, spots)).astype(np.float64)
        inner, outer = seen[..., : len(INSIDE), :].mean(axis=-2), seen[..., len(INSIDE) :, :].mean(axis=-2)
        return inner, length(outer - inner)


def stretches_out(places: Array) -> list[Which]:
    """Stretches of a closed curve of places (M, 2) that stick out of it: of each size those that do so most."""
    count = len(places)
    steps = np.linalg.norm(np.diff(places, axis=0, append=places[:1]), axis=1)
    at = np.concatenate([[0.0], np.cumsum(steps)])
    begin, long = np.meshgrid(np.arange(count), np.arange(2, count), indexing="ij")
    end = (begin + long) % count
    along = at[end] - at[begin] + np.where(end < begin, at[-1], 0.0)
    across = cdist(places, places)[begin, end]
    ratio = along / (across + 2 * SPACING)
    limbs: list[Which] = []
    shortest = SHORTEST
    while shortest < LONGEST * at[-1]:
        longest = min(LARGER * shortest, LONGEST * at[-1])
        out = np.where((along >= shortest) & (along < longest), ratio, 0.0)
        for _ in range(MOST):
            i, k = np.unravel_index(out.argmax(), out.shape)
            if out[i, k] < STICKS_OUT:
                break
            limb = (i + np.arange(long[i, k] + 1)) % count
            limbs.append(limb)
            held = np.zeros(count + count, np.int64)
            held[limb], held[limb + count] = 1, 1
            total = np.concatenate([[0], np.cumsum(held)])
            out[total[begin + long + 1] - total[begin] > len(limb) / 3] = 0.0
        shortest = longest
    return limbs
