"""How well an outline agrees with the edge in the plate, place by place, judged by what its other keys show there.

Where the outline is not where its inside is seen, it is looked for elsewhere (`elsewhere`). From there the edge is looked for
along normals of the curve as snapping does, between what lay inside on the outline's other keys and what does not look like it.
How far that edge is off tells the fault, together with how unlike the keys the inside is where the outline lies, whether an
edge is lacking there that the keys show, and how sure all of that is (`told`). A key is never its own witness, so a key that is
wrong is found by the others.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numba as nb
import numpy as np
import shapely
from numpy.typing import NDArray

from wiseglove.core.outline.edges import length, range_of, seen_at
from wiseglove.core.outline.normals import Normals, follow, normals_at, spread
from wiseglove.core.outline.snap import SMEARED, Likeness, layer_around, offsets
from wiseglove.core.review.elsewhere import INSIDE, Found, Search, followed
from wiseglove.core.review.told import Looks, fault_by

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
SIDES = (3.0, 5.0, 8.0)
"""How far on both sides of an edge colours are compared, to tell whether there is one."""
LEAST_EDGE = 0.1
"""Difference of both sides, in shares of that range, that an edge has at least on the keys to be lacking on a frame."""
UNLIKE = 0.1
"""Unlikeness, in shares of that range, at which an edge is no clear one of the same thing."""
CLEAR = 0.2
"""Contrast, in shares of how much colours differ around, of an edge that is as clear as any."""
MOST_FOLLOWED = 24
"""Frames over which an outline that lies far off is followed from a key."""
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
    ghost: Array
    """Where each place seems to be instead, (M, 2): along the edge too, where all of it is seen elsewhere."""

    @property
    def agrees(self) -> Array:
        """How well it agrees, 0 to 1, (M,); a half at two pixels."""
        return np.asarray(1 / (1 + (self.fault / 2) ** 2))


class _Seen(NamedTuple):
    """What is inside along an outline on a key: along its edge (M, 5, 3), deeper in (M, 5, 3), as roots of linear light."""

    edge: Array
    deep: Array
    beyond: Array
    """How unlike its outside is, (M,)."""


class _Wanted(NamedTuple):
    """The middle of what some keys show."""

    edge: Array
    deep: Array
    beyond: Array
    apart: Array
    """How unlike each other they are deeper in, (M,)."""


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

    def __init__(
        self,
        points: Array,
        first: int,
        keys: Sequence[int],
        picture_at: Callable[[int], Picture],
        shifts: dict[int, Array] | None = None,
    ) -> None:
        """points: (T, N, 8) on the frames from `first` on; keys: frames on which it was set; picture_at: RGB (H, W, 3).

        shifts: where another judge of the same keeps how far it seems to lie elsewhere, by frame, for this one to go on with.
        """
        self._points, self._first = points, first
        self._keys = [k for k in keys if first <= k < first + len(points)]
        self._picture_at = picture_at
        longest = int(np.ptp(points[..., :2], axis=1).sum(axis=1).argmax())
        along, _ = spread(points[longest], SPACING, MOST_PLACES)
        self._segment, self._t = along.segment, along.t
        self._witnesses: dict[int, _Seen] = {}
        self._shifts = {} if shifts is None else shifts

    def witnesses(self, frame: int) -> list[int]:
        """The keys that a frame is judged by, nearest first; never the frame itself, unless it is all there is."""
        others = [k for k in self._keys if k != frame] or [frame]
        return sorted(others, key=lambda k: (abs(k - frame), k))[:WITNESSES]

    def look_at(self, key: int) -> None:
        """Look at one of the keys now, which is done anyway when a frame is judged by it."""
        self._witness(key)

    def on(self, frame: int) -> Fit:
        """How well it agrees on a frame."""
        along = self.along(frame)
        found = self._found(frame, along)
        if found is None:
            nothing, unseen = np.zeros(len(self._t)), np.zeros(len(self._t), np.bool_)
            return Fit(
                along.places, along.outward, nothing, nothing, unseen, self._segment, self._t, nothing, along.places
            )
        looks, off, there = found
        height, width = self._picture_at(frame).shape[:2]
        shown = np.asarray(
            ((along.places > BORDER) & (along.places < np.array([width, height]) - BORDER)).all(axis=1), np.bool_
        )
        clear = np.clip(looks.clear / CLEAR, 0, 1) * np.clip(1.5 - looks.unlike_there / (2 * UNLIKE), 0, 1)
        fault, off, clear = (
            np.where(shown, v, 0.0) for v in (fault_by(looks), np.clip(off, -2 * REACH, 2 * REACH), clear)
        )
        ghost = np.where(shown[:, None], there, along.places)
        return Fit(along.places, along.outward, off, fault, shown, self._segment, self._t, clear, ghost)

    def looks_on(self, frame: int) -> Looks | None:
        """What its fault on a frame is told by; nothing where none of it is in the picture."""
        found = self._found(frame, self.along(frame))
        return found and found[0]

    def _found(self, frame: int, along: Normals) -> tuple[Looks, Array, Array] | None:
        """How its edge looks on a frame, how far outwards it seems to be (M,), and where (M, 2), pixels of the picture."""
        travel, wanted = self._travel(frame), self._wanted(frame)
        scale, shift, picture = range_of(wanted.deep), self._shift(frame, wanted), self._picture_at(frame)
        left, top, layer = layer_around(picture, np.concatenate([along.places, along.places + shift]), REACH + 14)
        if layer.size == 0:
            return None
        like = Likeness(self._segment, self._t, wanted.edge, SMEARED * travel)
        here, shifted = (replace(along, places=along.places + d - (left, top)) for d in (0, shift))
        found, contrast = offsets(layer, shifted, REACH, STEP, COLOUR, PULL, True, like)
        there = replace(shifted, places=shifted.places + shifted.outward * found[:, None])
        inside_here, inside_there = (_inside(layer, a, travel, DEPTHS) for a in (here, there))
        beyond_here, beyond_there = (_beyond(layer, a, travel) for a in (here, there))
        off = found + (along.outward * shift).sum(axis=1)
        looks = Looks(
            off=np.abs(off),
            away=shapely.distance(shapely.LinearRing(there.places), shapely.points(here.places)),
            shift=np.hypot(*shift.T),
            unlike=length(inside_here - wanted.deep).mean(axis=1) / scale,
            unlike_there=length(inside_there - wanted.deep).mean(axis=1) / scale,
            between=length(inside_here - inside_there).mean(axis=1) / scale,
            lacks=np.clip(1 - beyond_here / np.maximum(wanted.beyond, LEAST_EDGE * scale), 0, 1),
            edge=wanted.beyond / scale,
            edge_there=beyond_there / scale,
            clear=contrast,
            apart=wanted.apart / scale,
            travel=travel,
        )
        return looks, off, there.places + (left, top)

    def _wanted(self, frame: int) -> _Wanted:
        """What the keys that a frame is judged by show in the middle."""
        seen = [self._witness(k) for k in self.witnesses(frame)]
        edge, deep, beyond = (middle_of(each) for each in zip(*seen, strict=True))
        return _Wanted(edge, deep, beyond, np.mean([length(each.deep - deep).mean(axis=1) for each in seen], axis=0))

    def _search(self, frame: int, wanted: _Wanted) -> Search:
        inside = wanted.deep[:, [DEPTHS.index(d) for d in INSIDE]]
        scale = range_of(wanted.deep)
        return Search(self._picture_at(frame), self.along(frame), self._travel(frame), inside, wanted.beyond, scale)

    def followed_over(self, frame: int) -> tuple[range, range]:
        """Frames over which an outline that lies far off on one is followed there, from the keys before and after it, in order."""
        before = max((k for k in self._keys if k <= frame), default=None)
        after = min((k for k in self._keys if k > frame), default=None)
        end = self._first + len(self._points) if after is None else after
        begin = self._first - 1 if before is None else before
        forth = range(0) if before is None else range(before, min(end, before + MOST_FOLLOWED + 1))
        back = range(0) if after is None else range(after, max(begin, after - MOST_FOLLOWED - 1), -1)
        return forth, back

    def _shift(self, frame: int, wanted: _Wanted) -> Array:
        """How far its places seem to lie elsewhere on a frame, (M, 2)."""
        if frame not in self._shifts:
            search = self._search(frame, wanted)
            if search.alone.far:
                self._follow(frame, search)
            self._shifts.setdefault(frame, search.everywhere(search.alone))
        return self._shifts[frame]

    def _follow(self, frame: int, search: Search) -> None:
        """Find where it lies on all frames around one on which it lies far off, by that it is followed from the keys on both sides."""
        ways = self.followed_over(frame)
        searches = {f: search if f == frame else self._search(f, self._wanted(f)) for f in sorted({*ways[0], *ways[1]})}
        best: dict[int, Found] = {}
        for way in ways:
            for f, found in zip(way, followed([searches[f] for f in way]), strict=True):
                if f not in best or found.cost < best[f].cost:
                    best[f] = found
        for f, found in best.items():
            if f in ways[0] or f in ways[1][1:]:  # a key after them is followed over with those after it
                alone = searches[f].alone
                self._shifts[f] = searches[f].everywhere(found if alone.far else alone)

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
            left, top, layer = layer_around(self._picture_at(key), along.places, 18 + SMEARED * float(travel.max()))
            size = (len(self._t), len(DEPTHS), 3)
            if layer.size == 0:
                self._witnesses[key] = _Seen(np.zeros(size), np.zeros(size), np.zeros(len(self._t)))
            else:
                here = replace(along, places=along.places - (left, top))
                edge, deep = (_inside(layer, here, travel, d) for d in (tuple(-d for d in EDGE), DEPTHS))
                self._witnesses[key] = _Seen(edge, deep, _beyond(layer, here, travel))
        return self._witnesses[key]


def middle_of(each: Sequence[Array]) -> Array:
    """The median of a few arrays of one shape, number by number; NumPy's own takes three times as long for five."""
    return np.asarray(_middle(np.stack(each).reshape(len(each), -1)).reshape(each[0].shape))


@nb.njit(cache=True, nogil=True)
def _middle(rows):  # type: ignore[no-untyped-def]
    """The median (N,) of K rows (K, N)."""
    count, size = rows.shape
    out, column = np.empty(size), np.empty(count)
    for n in range(size):
        for k in range(count):  # put in at its place among those before
            value, j = rows[k, n], k
            while j > 0 and column[j - 1] > value:
                column[j] = column[j - 1]
                j -= 1
            column[j] = value
        out[n] = (column[count // 2] + column[(count - 1) // 2]) / 2
    return out


def _inside(layer: Layer, along: Normals, travel: Array, depths: Sequence[float]) -> Array:
    """Values at depths below the edge, deeper where it travels, (M, D, 3)."""
    deeper = np.asarray(depths) + SMEARED * travel[:, None]
    return np.asarray(seen_at(layer, along.places[:, None] - along.outward[:, None] * deeper[..., None]), np.float64)


def _beyond(layer: Layer, along: Normals, travel: Array) -> Array:
    """How unlike what lies inside of an edge the outside is, (M,), in roots of linear light."""
    inner, outer = (_inside(layer, along, t, d) for t, d in ((travel, SIDES), (0 * travel, tuple(-d for d in SIDES))))
    return np.asarray(length(outer - inner).mean(axis=1))
