"""How well an outline agrees with the edge in the plate, place by place, judged by what its other keys show there.

Along normals of the curve the edge is looked for as snapping does, between what lay inside on the outline's other keys and
what does not look like it. How far that edge is off is the fault in pixels. Where nothing nearby looks like the inside
any more, the outline is farther off than was searched: what is inside then is unlike what the keys show, and the
unlikeness stands for the distance. A key is never its own witness, so a key that is wrong is found by the others.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.edges import linear_light, roots_of, seen_at
from wiseglove.core.outline.normals import Normals, follow, normals_at, spread
from wiseglove.core.outline.snap import BLUR, SMEARED, Likeness, crop, offsets

Array = NDArray[np.float64]
Layer = NDArray[np.float32]
Picture = NDArray[np.uint8]
SPACING, MOST_PLACES = 4.0, 200
"""Pixels between the places that are looked at, and the most of them on one outline."""
REACH, STEP = 14.0, 1.0
"""How far an edge is looked for to both sides, and in which steps, in pixels."""
PULL, COLOUR = 0.5, 0.5
"""What snapping takes for these in its second look."""
DEPTHS = (2.0, 4.0, 6.0, 9.0, 13.0)
"""How far inside the colours are that keys are compared by, in pixels."""
EDGE = (-5.0, -4.0, -3.0, -2.0, -1.0)
"""The same, for what lies along the edge itself."""
WITNESSES = 5
"""Keys near a frame by whose middle it is judged."""
NARROWEST = 1.25
"""The least that the range of colours inside counts as, in roots of linear light (0..16)."""
SPREAD, PIXELS = 0.1, 40.0
"""Unlikeness, in shares of that range, that says nothing, and the pixels that stand for each whole range beyond it."""
FAR, SHIFT_STEP, SMALLER = 72, 4, 0.25
"""How far the whole outline is looked for elsewhere, in which steps, in pixels, and in a picture of which size."""
MOST_COMPARED = 300
ELSEWHERE, NEARER = 0.03, 0.0006
"""By how much an outline has to look better elsewhere, and what each pixel of the way there costs, in shares."""
CLEAR = 0.2
"""Contrast, in shares of how much colours differ around, of an edge that is as clear as any."""
BORDER = 5.0
"""Pixels from the border of the picture within which nothing can be said."""


@dataclass(frozen=True)
class Fit:
    """An outline on one frame, at M places along it.

    places and outward (M, 2), pixels; `off` (M,) how far outwards the edge seems to be; `fault` (M,) how far the outline
    seems to be off, in pixels, 0 where it fits; seen (M,): whether there is anything to see there. segment and t (M,) say where
    on the outline the places are.
    """

    places: Array
    outward: Array
    off: Array
    fault: Array
    seen: NDArray[np.bool_]
    segment: NDArray[np.int64]
    t: Array
    clear: Array
    """How clear the edge is that was found, 0..1, (M,)."""

    @property
    def agrees(self) -> Array:
        """How well it agrees, 0 to 1, (M,); a half at two pixels."""
        return np.asarray(1 / (1 + (self.fault / 2) ** 2))

    @property
    def ghost(self) -> Array:
        """Where the edge seems to be instead, (M, 2)."""
        return self.places + self.outward * self.off[:, None]


@dataclass(frozen=True)
class _Seen:
    """What is inside along an outline: along its edge (M, 5, 3), deeper in (M, 5, 3), as roots of linear light."""

    edge: Array
    deep: Array


def onto_edge(points: Array, fit: Fit, movable: NDArray[np.bool_], kinds: list[str]) -> Array:
    """An outline (N, 8) put where its edge seems to be; movable (N,): which of its points may move.

    First it is shifted as a whole by what the offsets across it have in common, which alone tells a slip along it; then it is
    bent by what is left. Both by least squares, weighed by how clear the edge is.
    """
    weight = 0.02 + fit.clear
    out = points.copy()
    if movable.all():
        shift: Array = np.zeros(2)
        for _ in range(4):
            rest = fit.off - fit.outward @ shift
            robust = weight / (1 + (rest / 3) ** 2)
            normal = fit.outward.T @ (robust[:, None] * fit.outward) + 1e-3 * np.eye(2)
            shift = np.asarray(np.linalg.solve(normal, fit.outward.T @ (robust * fit.off)))
        out[:, :2] += shift
    along = normals_at(out, fit.segment, fit.t)
    left = fit.off - ((along.places - fit.places) * fit.outward).sum(axis=1)
    return follow(out, along, along.places + along.outward * left[:, None], movable, kinds, weight)


class OutlineFit:
    """Judges one outline of which all frames are known."""

    def __init__(self, points: Array, first: int, keys: Sequence[int], picture_at: Callable[[int], Picture]) -> None:
        """points: (T, N, 8) on the frames from `first` on; keys: frames on which it was set; picture_at: RGB (H, W, 3)."""
        self._points, self._first = points, first
        self._keys = [k for k in keys if first <= k < first + len(points)]
        self._picture_at = picture_at
        longest = int(np.ptp(points[..., :2], axis=1).sum(axis=1).argmax())
        along, _ = spread(points[longest], SPACING, MOST_PLACES)
        self._segment, self._t = along.segment, along.t
        self._witnesses: dict[int, _Seen] = {}

    def witnesses(self, frame: int) -> list[int]:
        """The keys that a frame is judged by, nearest first; never the frame itself, unless it is all there is."""
        others = [k for k in self._keys if k != frame] or [frame]
        return sorted(others, key=lambda k: (abs(k - frame), k))[:WITNESSES]

    def look_at(self, key: int) -> None:
        """Look at one of the keys now, which is done anyway when a frame is judged by it."""
        self._witness(key)

    def on(self, frame: int) -> Fit:
        """How well it agrees on a frame."""
        along, travel = self.along(frame), self._travel(frame)
        seen = [self._witness(k) for k in self.witnesses(frame)]
        want = np.median([s.deep for s in seen], axis=0)
        edge = np.median([s.edge for s in seen], axis=0)
        scale = max(float(np.ptp(want.reshape(-1, 3), axis=0).max()), NARROWEST)
        picture = self._picture_at(frame)
        shift = _elsewhere(picture, along, travel, want, scale)
        left, top, layer = _layer(picture, np.concatenate([along.places, along.places + shift]), REACH + 14)
        if layer.size == 0:
            nothing, unseen = np.zeros(len(self._t)), np.zeros(len(self._t), np.bool_)
            return Fit(along.places, along.outward, nothing, nothing, unseen, self._segment, self._t, nothing)
        here = Normals(along.places + shift - (left, top), along.outward, self._segment, self._t)
        like = Likeness(self._segment, self._t, edge, SMEARED * travel)
        found, contrast = offsets(layer, here, REACH, STEP, COLOUR, PULL, True, like)
        there = Normals(here.places + here.outward * found[:, None], here.outward, self._segment, self._t)
        unlike = np.linalg.norm(_inside(layer, there, travel, DEPTHS) - want, axis=2).mean(axis=1) / scale
        beside = np.abs(shift @ np.array([along.outward[:, 0], along.outward[:, 1]]))
        fault = np.abs(found) + np.where(shift.any(), np.maximum(beside, np.hypot(*shift) / 2), 0)
        fault = fault + PIXELS * np.maximum(unlike - SPREAD, 0)
        off = np.clip(found + along.outward @ shift, -2 * REACH, 2 * REACH)
        height, width = picture.shape[:2]
        shown = np.asarray(
            ((along.places > BORDER) & (along.places < np.array([width, height]) - BORDER)).all(axis=1), np.bool_
        )
        fault = np.where(shown, fault, 0.0)
        off = np.where(shown, off, 0.0)
        clear = np.where(shown, np.clip(contrast / CLEAR, 0, 1) * np.clip(1.5 - unlike / (2 * SPREAD), 0, 1), 0.0)
        return Fit(along.places, along.outward, off, fault, shown, self._segment, self._t, clear)

    def along(self, frame: int) -> Normals:
        """The places that are looked at on a frame."""
        index = min(max(frame - self._first, 0), len(self._points) - 1)
        return normals_at(self._points[index], self._segment, self._t)

    def _travel(self, frame: int) -> Array:
        """How far each place travels across the edge in a frame, in pixels."""
        before, now, after = (self.along(frame + d) for d in (-1, 0, 1))
        return np.asarray(np.abs(((after.places - before.places) * now.outward).sum(axis=1)) / 2)

    def _witness(self, key: int) -> _Seen:
        if key not in self._witnesses:
            along, travel = self.along(key), self._travel(key)
            left, top, layer = _layer(self._picture_at(key), along.places, 18 + SMEARED * float(travel.max()))
            size = (len(self._t), len(DEPTHS), 3)
            if layer.size == 0:
                self._witnesses[key] = _Seen(np.zeros(size), np.zeros(size))
            else:
                here = Normals(along.places - (left, top), along.outward, self._segment, self._t)
                depths = tuple(-d for d in EDGE)
                self._witnesses[key] = _Seen(_inside(layer, here, travel, depths), _inside(layer, here, travel, DEPTHS))
        return self._witnesses[key]


def _inside(layer: Layer, along: Normals, travel: Array, depths: Sequence[float]) -> Array:
    """Values at depths below the edge, deeper where it travels, (M, D, 3)."""
    deeper = np.asarray(depths) + SMEARED * travel[:, None]
    return np.asarray(seen_at(layer, along.places[:, None] - along.outward[:, None] * deeper[..., None]), np.float64)


def _layer(picture: Picture, places: Array, margin: float) -> tuple[int, int, Layer]:
    """The picture around places as roots of linear light, with its left and top."""
    left, top, part = crop(picture, places, margin)
    if part.size == 0:
        return left, top, np.zeros((0, 0, 3), np.float32)
    return left, top, np.sqrt(linear_light(part, BLUR) + 1.0)


def _elsewhere(picture: Picture, along: Normals, travel: Array, want: Array, scale: float) -> Array:
    """The shift (2,) of the whole outline by which its inside looks clearly more like the keys', or none.

    Looked for in a small picture, coarsely over the whole reach and then around the best.
    """
    left, top, part = crop(picture, along.places, FAR + 20)
    if min(part.shape[:2]) < 8 / SMALLER:
        return np.zeros(2)
    small = cv2.resize(part, None, fx=SMALLER, fy=SMALLER, interpolation=cv2.INTER_AREA)
    layer = roots_of(np.asarray(small, np.uint8))
    deeper = np.asarray(DEPTHS) + SMEARED * travel[:, None]
    places = (along.places[:, None] - along.outward[:, None] * deeper[..., None]).reshape(-1, 2) - (left, top)
    few = slice(None, None, max(len(places) // MOST_COMPARED, 1))
    spots, colours = places[few], want.reshape(-1, 3)[few].astype(np.float32)

    def unlike(shifts: Array) -> Array:
        seen = seen_at(layer, (spots + shifts[:, None]) * SMALLER)
        rest = np.sqrt(((seen - colours) ** 2).sum(axis=2)) / np.float32(scale)
        return np.asarray(np.minimum(rest, 0.5).mean(axis=1) + NEARER * np.linalg.norm(shifts, axis=1), np.float64)

    here = float(unlike(np.zeros((1, 2)))[0])
    if here < SPREAD:
        return np.zeros(2)
    best = np.zeros(2)
    for step, reach in ((2 * SHIFT_STEP, FAR), (SHIFT_STEP, SHIFT_STEP)):
        ticks = np.arange(-reach, reach + 1, step, dtype=np.float64)
        shifts = best + np.stack(np.meshgrid(ticks, ticks), axis=-1).reshape(-1, 2)
        found = unlike(shifts)
        best, least = shifts[int(found.argmin())], float(found.min())
    return best if least < here - ELSEWHERE else np.zeros(2)
