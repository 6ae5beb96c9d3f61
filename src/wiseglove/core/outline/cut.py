"""Outlines that end on the picture's border, because what they are round goes on beyond it: an arm that reaches in.

Followed as it is, such an outline's end on the border would come into the picture with the arm, and what comes in behind it
would lie outside. So it is followed as if it went on beyond the border, in the directions in which its sides leave the picture,
and what is found is cut at the border again, with the points it had.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from wiseglove.core.geometry.bezier import Points, lengths_along, places_along, places_at, stretch_of
from wiseglove.core.geometry.fitting import fit_one
from wiseglove.core.outline.carry import Carried
from wiseglove.core.outline.edges import seen_at
from wiseglove.core.outline.snap import layer_around

Array = NDArray[np.float64]
Shape = tuple[int, ...]
Picture = NDArray[np.uint8]
Ways = tuple[Array | None, Array | None]
ON = 2.0
"""How far inside the border what lies on it may be, in pixels: contours of mattes end half a pixel to one before it."""
PROBES = (0.25, 0.5, 0.75)
"""Where on a segment it is asked whether it lies on the border."""
LEAVES = 14.0
"""Pixels of a side before the border that say in which direction it leaves."""
ROUNDED = 2.0
"""The last ones of a side that do not say it: a contour is rounded where it meets the border."""
STEEP = 0.4
"""The least that a side goes outwards, in pixels for each."""
REACH = (40.0, 100.0)
"""How far an outline goes on beyond the border, in pixels: as far as it is wide there, within these bounds."""
OUT = 2.0
"""How far beyond the border what is found is cut, in pixels."""
CAME_IN = 12.0
"""Pixels of what lay beyond the border that have come in, from which on what is doubted there counts."""
DEEP, BESIDE = 16.0, (4.0, 7.0, 10.0, 13.0, 16.0)
"""How far from the border, and how far to both sides, it is looked at how a key's end looks, in pixels."""
TELLS, MOSTLY = 3.0, 0.75
"""Pixels that have to have come in before their looks tell anything; the share of them that looks like what is beside it, from
which on it was only the end of a thing that touched the border."""
EVERY = 2.0
"""Pixels apart that a lengthened side is looked at."""


@dataclass(frozen=True)
class _End:
    """The point at which a side meets the border, and whether the side comes to it, in the points' order, or leaves from it."""

    point: int
    comes: bool

    @property
    def before(self) -> int:
        """From the point one back along the side."""
        return -1 if self.comes else 1


@dataclass(frozen=True)
class Cut:
    """An outline as it goes on beyond the border of a picture (h, w, ...), with a further point beyond each end of a side.

    points (N + M, 8), kinds (N + M). `_own`: which of them the N points are; `_border`: which of the N segments lie on
    the border; `_shift` (N, 2): how far points between two ends were put outwards.
    """

    points: Points
    kinds: list[str]
    _own: NDArray[np.int64]
    _ends: list[_End]
    _border: NDArray[np.bool_]
    _shift: Array
    _shape: Shape

    def ways(self, points: Points) -> list[Ways]:
        """For each stretch of the border that an outline (N + M, 8) goes on beyond: its two sides from where they ended to where they
        leave the picture, (P, 2) and (Q, 2); None where a side ends outside."""
        ends = [
            [_way_out(points, int(self._own[end.point]), end, self._shape) for end in p] for p in _pairs(self._ends)
        ]
        return [(one, other) for one, other in ends]

    def at_the_border(self) -> Iterator[tuple[Array, Array]]:
        """For each stretch of the border that it goes on beyond: places inside it there, and beside it, (M, 2) each."""
        points = self.points
        for pair in _pairs(self._ends):
            ends = [points[self._own[end.point], :2] for end in pair]
            ways = [points[self._own[e.point] - e.before, :2] - at for e, at in zip(pair, ends, strict=True)]
            in_ = [-way / max(float(np.hypot(*way)), 1e-9) for way in ways]
            depth = np.linspace(ROUNDED, DEEP, 8)[:, None]
            one, other = (at + depth * way for at, way in zip(ends, in_, strict=True))
            aside = one - other
            aside = aside / np.maximum(np.linalg.norm(aside, axis=1, keepdims=True), 1e-9)
            beside = [line + way * far for line, way in ((one, aside), (other, -aside)) for far in BESIDE]
            yield _grid(one, other), np.concatenate(beside)

    def back(self, points: Points, doubt: Array, ways: list[Ways]) -> tuple[Points, Array]:
        """An outline (N + M, 8) and its doubt (N + M,) with the N points again, cut a little beyond the border.

        Its sides are led on by their ways (see `ways`); where none are given it ends as it did.
        """
        count = len(self._own)
        out = points[self._own].copy()
        out[:, :2] -= self._shift
        told = doubt[self._own]
        low, high = -OUT, np.array([self._shape[1], self._shape[0]]) + OUT
        for pair, led in zip(_pairs(self._ends), ways, strict=True):
            for end, way in zip(pair, led, strict=True):
                if way is None:
                    continue
                _lengthened(out, end, way)
                if lengths_along(way)[-1] > CAME_IN:
                    at, side = self._own[end.point], (end.point if end.comes else end.point + 1) - 1
                    told[side % count] = max(told[side % count], doubt[at if end.comes else at - 1])
            if any(way is not None for way in led):
                first, second = pair
                between = (first.point + 1 + np.arange((second.point - first.point - 1) % count)) % count
                shift, inner = self._shift[between], out[between, :2]
                inner = np.where(shift < 0, np.minimum(inner, low), inner)
                out[between, :2] = np.where(shift > 0, np.maximum(inner, high), inner)
        _straighten(out, self._border)
        return out, told


def _pairs(ends: list[_End]) -> list[tuple[_End, _End]]:
    """The ends of the sides on both sides of each stretch of the border, the one that comes to it first."""
    turned = ends if ends[0].comes else [*ends[1:], ends[0]]
    return list(zip(turned[::2], turned[1::2], strict=True))


def cut_by(points: Points, kinds: list[str], shape: Shape) -> Cut | None:
    """An outline (N, 8) as it goes on beyond the border of a picture (h, w, ...); None where no side of it ends there."""
    border = on_border(points, shape)
    comes, leaves = border & ~np.roll(border, 1), ~border & np.roll(border, 1)
    ends = [_End(int(i), bool(comes[i])) for i in np.flatnonzero(comes | leaves)]
    if not ends:
        return None
    reach = float(np.clip(_across(points, ends), *REACH))
    between = border & np.roll(border, 1)
    shift = np.where(between[:, None], _outward(points[:, :2], shape) * reach, 0.0)
    own = np.arange(len(kinds)) + np.cumsum(leaves) + np.concatenate([[0], np.cumsum(comes)[:-1]])
    longer = ["free"] * (len(kinds) + len(ends))
    for i in np.flatnonzero(~(comes | leaves)):
        longer[own[i]] = kinds[i]
    return Cut(_extended(points, ends, own, shift, reach, shape), longer, own, ends, border, shift, shape)


def on_border(points: Points, shape: Shape) -> NDArray[np.bool_]:
    """Which segments (N,) lie on the border of a picture, or beyond it, all along."""
    count = len(points)
    t = np.array(PROBES)
    places, _ = places_at(points, np.repeat(np.arange(count), len(t)), np.tile(t, count))
    there = _outward(places, shape).any(axis=1).reshape(count, -1).all(axis=1)
    ends = _outward(points[:, :2], shape).any(axis=1)
    return np.asarray(there & ends & np.roll(ends, -1))


def at_the_end(pixels: NDArray[Any], shape: Shape) -> tuple[NDArray[np.bool_], Array]:
    """Which pixels (M, 2) lie at the end of a matte (h, w), and the way in from there (M, 2): what is cut there has an edge there."""
    inward = (pixels == 0).astype(np.float64) - (pixels == (shape[1] - 1, shape[0] - 1))
    return np.asarray(inward.any(axis=1)), inward


def _outward(places: Array, shape: Shape) -> Array:
    """Which way (M, 2) is out of a picture where places (M, 2) lie on its border or beyond, -1, 0 or 1; 0 well inside."""
    size = np.array([shape[1], shape[0]])
    return np.where(places <= ON, -1.0, 0.0) + np.where(places >= size - ON, 1.0, 0.0)


def _across(points: Points, ends: list[_End]) -> float:
    """How wide an outline is where it meets the border: the widest stretch between two of its sides' ends."""
    places = points[[end.point for end in ends], :2]
    return float(np.hypot(*(places - np.roll(places, -1, axis=0)).T).max())


def _extended(
    points: Points, ends: list[_End], own: NDArray[np.int64], shift: Array, reach: float, shape: Shape
) -> Points:
    """The outline with points (N, 8) as it goes on beyond the border."""
    out = np.zeros((len(points) + len(ends), 8))
    out[own] = points
    out[own, :2] += shift
    ways = {end: _leaving(points, end, shape) for end in ends}
    for a, b in _pairs(ends):  # the two sides of what is cut: where they would cross they go on side by side
        apart = points[b.point, :2] - points[a.point, :2]
        if apart @ (apart + (ways[b] - ways[a]) * reach) <= 0:
            both = ways[a] + ways[b]
            ways[a] = ways[b] = both / max(float(np.hypot(*both)), 1e-9)
    beyond = np.zeros(len(out), bool)
    for end, way in ways.items():
        at = int(own[end.point])
        further = at - end.before
        out[further] = out[at]
        out[further, :2] += way * reach
        beyond[at if end.comes else further] = True
    lone = np.ones(len(out), bool)
    lone[own] = False
    lone[own[shift.any(axis=1)]] = True  # all that lies beyond: straight from one to the next
    _straighten(out, beyond | (lone & np.roll(lone, -1)))
    return out


def _leaving(points: Points, end: _End, shape: Shape) -> Array:
    """The unit direction in which a side leaves the picture, outwards."""
    line, at, length = points[end.point, None, :2], end.point, 0.0  # from the end backwards
    for _ in range(len(points)):
        near, at = at, (at + end.before) % len(points)
        piece = stretch_of(points, at, near)[::-1] if end.comes else stretch_of(points, near, at)
        line = np.concatenate([line, piece[1:]])
        length = float(lengths_along(line)[-1])
        if length >= LEAVES:
            break
    last = ROUNDED if length > 2 * ROUNDED else 0.0
    far, close = places_along(line, np.array([LEAVES, last]))
    way = (close - far) / max(float(np.hypot(*(close - far))), 1e-9)
    out = _outward(points[end.point, None, :2], shape)[0]
    out = out / max(float(np.hypot(*out)), 1e-9)
    way = way + out * max(STEEP - float(way @ out), 0.0)
    return np.asarray(way / max(float(np.hypot(*way)), 1e-9))


def _straighten(points: Points, which: NDArray[np.bool_]) -> None:
    """Make some segments (N,) of an outline straight, in place."""
    start = np.flatnonzero(which)
    end = (start + 1) % len(points)
    third = (points[end, :2] - points[start, :2]) / 3
    points[start, 4:6], points[end, 2:4] = third, -third


def _way_out(points: Points, at: int, end: _End, shape: Shape) -> Array | None:
    """Places (M, 2) from a side's end to where it leaves the picture; None where the end is outside."""
    if _beyond(points[[at], :2], shape).max() >= 0:
        return None
    further = at - end.before
    line = stretch_of(points, at, further) if end.comes else stretch_of(points, further, at)[::-1]
    if _beyond(line, shape).max() < 0:  # all of it came in: it goes on as it was going
        way = line[-1] - line[0]
        line = np.vstack([line, line[-1] + way * (2 * sum(shape[:2]) / max(float(np.hypot(*way)), 1e-9))])
    beyond = _beyond(line, shape)
    if beyond.max() < 0:
        return None
    first = int(np.argmax(beyond.max(axis=1) >= 0))
    before, after = beyond[first - 1], beyond[first]
    share = np.min(before[after >= 0] / (before - after)[after >= 0])
    return np.vstack([line[:first], line[first - 1] + share * (line[first] - line[first - 1])])


def _beyond(places: Array, shape: Shape) -> Array:
    """How far places (M, 2) are beyond where outlines are cut on each of the four sides, (M, 4); negative in the picture."""
    return np.concatenate([-OUT - places, places - (shape[1], shape[0]) - OUT], axis=1)


def _lengthened(points: Points, end: _End, way: Array) -> None:
    """Lead a side's last segment on along `way` (M, 2), which begins where it ends, in place."""
    q = (end.point + end.before) % len(points)
    side = stretch_of(points, q, end.point) if end.comes else stretch_of(points, end.point, q)[::-1]
    line = np.concatenate([side, way[1:]])
    length = float(lengths_along(line)[-1])
    cubic = fit_one(places_along(line, np.linspace(0.0, length, max(int(length / EVERY), 8) + 1)))
    to, away = (slice(4, 6), slice(2, 4)) if end.comes else (slice(2, 4), slice(4, 6))
    was, now = points[q, to], cubic[1] - cubic[0]
    handle = float(np.hypot(*was))
    points[q, to] = now if handle < 1e-6 else was * (float(np.hypot(*now)) / handle)
    points[end.point, :2], points[end.point, away] = cubic[3], cubic[2] - cubic[3]


class Follower(Protocol):
    """What follows an outline from a frame that is right; see `OutlineFollower`."""

    accumulates: bool

    def anyway(self, picture: Picture) -> Carried | None: ...

    def settled(self, picture_at: Callable[[int], Picture], frame: int, points: Points) -> Points: ...


class CutFollower:
    """Follows an outline that ends on the border by one that goes on beyond, as far as what comes in looks like it."""

    def __init__(self, cut: Cut, picture: Picture, follower: Follower) -> None:
        """picture: RGB (H, W, 3) of the frame on which the outline is right."""
        self._cut, self._follower = cut, follower
        self.accumulates = follower.accumulates
        self._colours = [(_seen(picture, places), _seen(picture, beside)) for places, beside in cut.at_the_border()]

    def anyway(self, picture: Picture) -> Carried | None:
        """As the follower's, cut at the border."""
        found = self._follower.anyway(picture)
        if found is None or found.doubt is None:
            return found
        ways = [
            led if _goes_on(picture, led, *colours) else (None, None)
            for led, colours in zip(self._cut.ways(found.points), self._colours, strict=True)
        ]
        points, doubt = self._cut.back(found.points, found.doubt, ways)
        return replace(found, points=points, doubt=doubt, inside=None)

    def settled(self, picture_at: Callable[[int], Picture], frame: int, points: Points) -> Points:
        """A blended outline as it is; a part is never settled."""
        return points


def _goes_on(picture: Picture, ways: Ways, inside: Array, beside: Array) -> bool:
    """Whether what came in between two sides looks like what was inside there, rather than like what was beside it."""
    one, other = ways
    if one is None or other is None or not len(inside) or not len(beside):
        return True  # it still ends outside
    lengths = [lengths_along(way)[-1] for way in (one, other)]
    if max(lengths) < TELLS:
        return True
    along = np.linspace(0.1, 0.9, 9)
    there = _seen(picture, _grid(places_along(one, along * lengths[0]), places_along(other, along * lengths[1])))
    unlike = cdist(there, beside).min(axis=1) < cdist(there, inside).min(axis=1)
    return bool(unlike.mean() < MOSTLY) if len(there) else True


def _grid(one: Array, other: Array) -> Array:
    """Places (M, 2) between two lines (K, 2), well between them."""
    across = np.linspace(0.15, 0.85, 8)[:, None, None]
    return np.asarray((one * (1 - across) + other * across).reshape(-1, 2))


def _seen(picture: Picture, places: Array) -> Array:
    """Roots of linear light (M, 3) at those of some places that are in the picture."""
    size = np.array([picture.shape[1], picture.shape[0]])
    there = places[((places >= 0) & (places < size)).all(axis=1)]
    if not len(there):
        return np.zeros((0, 3))
    left, top, layer = layer_around(picture, there, 4)
    return seen_at(layer, there - (left, top)).astype(np.float64)
