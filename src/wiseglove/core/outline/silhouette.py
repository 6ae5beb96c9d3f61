"""Carrying an outline on where it is known what covers what is behind: the edges of that matte are the outline's, where they agree.

An outline that lies on the matte's edge all round on its first frame (a whole figure) is brought onto it on every frame:
each place goes to the nearest edge that faces the same way, all of them together first in long stretches and then in
shorter ones (closest points, Besl & McKay 1992, with a smooth displacement). A part, such as a head, lies on it in places
only, and there is drawn onto it from nearby.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wiseglove.core.behind.distances import distance
from wiseglove.core.geometry.bezier import Points, signed_area, twice_area
from wiseglove.core.matte.coverage import Box as Area
from wiseglove.core.matte.coverage import coverage
from wiseglove.core.outline.carry import Carried, OutlineFollower, box_around
from wiseglove.core.outline.cut import at_the_end
from wiseglove.core.outline.doubts import FOUND, LEFT_OUT, MANY, NEAR, NEARLY, beside_of, doubt_by, odds_of, signs_of
from wiseglove.core.outline.edges import averaged, seen_at
from wiseglove.core.outline.looks import Looks, Signs, by_segment, logistic
from wiseglove.core.outline.normals import Normals, follow, normals_of
from wiseglove.core.outline.refit import SPACING as REFITTED
from wiseglove.core.outline.refit import refitted
from wiseglove.core.parallel import meanwhile

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Matte = NDArray[np.float32]
Box = tuple[int, int, int, int]
Covered = Callable[[Picture, Box], tuple[Matte, NDArray[np.bool_]]]
"""A frame and a box (left, top, right, bottom) of it; how much of each pixel there is covered, (h, w), 0..1, and where that
is known."""
SPACING = 2.0
SMOOTH = 1.0
"""Smoothing of the matte before its edges are found, in pixels."""
UNKNOWN = 2
"""Pixels around what is not known that tell nothing either."""
CUT = 0.5
"""How steep a matte counts as at its end, a pixel."""
REACH = 1.5
"""How far from whole pixels an edge may be told to lie."""
WHOLE = ((25.0, 20), (25.0, 12), (18.0, 8), (12.0, 5), (8.0, 3), (5.0, 2))
"""For a whole figure: how far an edge is looked for, in pixels, and over how many places on each side it moves together."""
PART = ((4.0, 6), (2.0, 3))
LOST = ((18.0, 8), (12.0, 5), (8.0, 3))
"""The same for stretches of a part that are surely off."""
HELD, BARE, LEAST_HELD = 4.0, 0.2, 6.0
"""How far inside an outline what it holds is looked at, in pixels, what is covered less than this is not it, and along how many pixels."""
FACING, FACING_PART = 0.4, 0.95
"""Cosine between the ways an outline and an edge face, from which on they may be one."""
NEAREST = 8
SIDEWAYS = 4.0
"""Pixels that facing quite another way counts as."""
ON, ALL_ROUND = 2.5, 0.93
"""Pixels within which an outline lies on an edge; the share of it that has to, or it is fitted anew."""
FIGURE, FILLED, BORDER = 0.8, 0.92, 2
"""Share of a whole figure's outline that nearly lies on edges, and what it has in common with the thing that is there, of its own
area, pixels beside the outline left out. Walking ones have from 0.89 and 0.98 on, also small and compressed ones and where legs
close around a gap; all but the head up to 0.97 and 0.89, heads up to 0.92 and 0.29, a hand without its index finger up to 0.47."""
DISC = np.ones((2 * BORDER + 1, 2 * BORDER + 1), np.uint8)
ROOM, LEAST_ROOM, ANOTHER, STILL_ANOTHER = 0.115, 6.0, 0.1, 0.02
"""How far a figure reaches beyond where it is expected, in roots of its area, and in pixels at least; the share of its area from which
what goes on beyond that is another thing, and still is the one that touched it before. Walking ones have up to 0.02, small ones 0.05."""
WITHIN = 20
"""Pixels by which what is covered may be told too little far on one side, where it was told before it was known where the outline goes."""
TOUCHES = 0.02
"""Share of an outline's area in what counts as the thing that is there."""
DOUBT_OF_PART: tuple[float, ...] = (0.32, 1.62, 4.13, -5.64, -4.36, 3.98, -4.0)
"""Weights of the signs of doubt on a part's outline, its doubt by what is inside, some of how its edge looks, and the shares that lie
on the matte's edges, and nearly do, and what is added: logistic regression on the gardener before the panel."""


class Silhouette:
    """The edges of a matte: places (M, 2) in plate pixels, which way is out of it (M, 2), and how steep it is there, a pixel, (M,)."""

    def __init__(
        self,
        matte: Matte,
        known: NDArray[np.bool_] | None = None,
        corner: tuple[int, int] = (0, 0),
        apart: bool = True,
    ) -> None:
        """matte: (h, w), 0..1, of a part of the plate whose first pixel is `corner` (x, y); edges count where it is known.

        apart: whether nothing else touches what it is the edge of.
        """
        self.apart = apart
        self._matte, self._known, self._corner = matte, known, np.array(corner)
        soft = np.asarray(cv2.GaussianBlur(matte, (0, 0), SMOOTH), np.float32)
        lines, _ = cv2.findContours((soft > 0.5).view(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        long = [line[:, 0] for line in lines if len(line) > MANY]
        pixels = np.concatenate(long) if long else np.zeros((0, 2), np.int32)
        x, y = pixels[:, 0], pixels[:, 1]
        counts = np.ones(len(x), bool)
        if known is not None:
            sure = cv2.erode(known.view(np.uint8), np.ones((2 * UNKNOWN + 1, 2 * UNKNOWN + 1), np.uint8))
            counts &= sure[y, x] > 0
        x, y = x[counts], y[counts]
        way = np.stack([cv2.Sobel(soft, cv2.CV_32F, *d, ksize=3, scale=0.125)[y, x] for d in ((1, 0), (0, 1))], axis=1)
        slope = np.maximum(np.linalg.norm(way, axis=1), 1e-4)
        way = (way / slope[:, None]).astype(np.float64)
        off = np.clip((0.5 - soft[y, x]) / slope, -REACH, REACH)
        cut, inward = at_the_end(pixels[counts], matte.shape)
        half = np.maximum(np.linalg.norm(inward, axis=1, keepdims=True), 1.0)
        way[cut], slope[cut], off[cut] = (inward / half)[cut], CUT, -half[cut, 0] / 2
        self.slope: Array = slope.astype(np.float64)
        self.places: Array = np.stack([x, y], axis=1) + 0.5 + np.array(corner) + way * off[:, None]
        self.outward: Array = -way
        which = np.repeat(np.arange(len(long)), [len(line) for line in long]) if long else np.zeros(0, np.int64)
        whole = np.bincount(which, counts, len(long)) == np.bincount(which, minlength=len(long))
        self._line = which[counts]
        self._whole_lines = np.flatnonzero(whole)
        down = np.argsort(self.places[:, 1], kind="stable")
        self._by_row = self.places[down], self.outward[down]

    def onto(
        self,
        points: Points,
        kinds: list[str],
        steps: tuple[tuple[float, int], ...],
        facing: float,
        only: NDArray[np.bool_] | None = None,
    ) -> Points:
        """An outline (N, 8) brought onto these edges where they are near and face the same way; only some of its segments (N,)."""
        for reach, together in steps:
            along = normals_of(points, list(range(len(points))), SPACING)
            there, shift = self._nearest(along, reach, facing)
            if only is not None:
                others = ~only[along.segment]
                there, shift = there | others, np.where(others[:, None], 0.0, shift)
            if there.sum() < MANY:
                return points
            weight = np.asarray(there + 1e-3, np.float64)
            share = np.maximum(averaged(weight, together, closed=True), 0.05)
            moves = [averaged(shift[:, c] * weight, together, closed=True) / share for c in range(2)]
            target = along.places + np.stack(moves, axis=1)
            points = follow(points, along, target, np.ones(len(points), bool), kinds)
        return points

    def recut(self, points: Points, kinds: list[str]) -> Points:
        """An outline (N, 8) along the line of these edges that most of it lies on, matched in order all round.

        For what opens and closes, as two legs that cross: there an outline has no edge nearby to go to.
        """
        along = normals_of(points, list(range(len(points))), SPACING)
        if not len(self._whole_lines):
            return points
        away, nearest = cKDTree(self.places).query(along.places)
        votes = np.bincount(self._line[nearest[away < NEAR]], minlength=int(self._line.max()) + 1)
        line = self._whole_lines[votes[self._whole_lines].argmax()]
        there = np.flatnonzero(self._line == line)[:: int(REFITTED)]
        if votes[line] < len(along.t) / 2 or len(there) < MANY:
            return points
        edge, facing = self.places[there], self.outward[there]
        if twice_area(edge) * signed_area(points) < 0:
            edge, facing = edge[::-1], facing[::-1]
        return refitted(points, kinds, edge, facing)

    def agrees(self, along: Normals, within: float) -> NDArray[np.bool_]:
        """Which places of an outline (M,) lie on an edge that faces the same way."""
        there, _ = self._nearest(along, within, 0.6)
        return there

    def missed(self, along: Normals, count: int) -> NDArray[np.bool_]:
        """Which of `count` segments of an outline have edges beside them that no place of the outline is on."""
        (left,) = beside_of(along, count, self.places, (LEFT_OUT,))
        return left >= MANY

    def uncovered(self, points: Points) -> NDArray[np.bool_]:
        """Which segments (N,) of an outline hold, just inside, what nothing covers; and their neighbours."""
        count = len(points)
        along = normals_of(points, list(range(count)), SPACING)
        places = along.places - along.outward * HELD - self._corner
        bare = seen_at(self._matte, places) < BARE
        if self._known is not None:
            bare &= seen_at(self._known.view(np.uint8), places) > 0
        held = np.bincount(along.segment, bare, count) * SPACING > LEAST_HELD
        return np.asarray(held | np.roll(held, 1) | np.roll(held, -1))

    def _nearest(self, along: Normals, reach: float, facing: float) -> tuple[NDArray[np.bool_], Array]:
        """For places of an outline: whether an edge is near, and the way to it, (M, 2)."""
        best = np.empty(len(along.t), np.int64)
        _best(along.places, along.outward, *self._by_row, reach, facing, best)
        good = best >= 0
        way = self._by_row[0][best] - along.places if len(self.places) else np.zeros_like(along.places)
        return good, np.where(good[:, None], way, 0.0)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _best(places, outward, edges, facings, reach, facing, best):  # type: ignore[no-untyped-def]
    """Which of the edges (M, 2), in order downwards, each place (N,) goes to within reach, or -1.

    Of the NEAREST ones it is that which is near and faces as the place does: facing quite another way counts as SIDEWAYS pixels,
    and is none beyond what `facing` allows.
    """
    near, which = np.empty(NEAREST), np.empty(NEAREST, np.int64)
    for i in range(len(places)):
        x, y = places[i, 0], places[i, 1]
        near[:] = reach * reach
        which[:] = -1
        low, high = np.searchsorted(edges[:, 1], y - reach), np.searchsorted(edges[:, 1], y + reach)
        for j in range(low, high):
            dx, dy = edges[j, 0] - x, edges[j, 1] - y
            square = dx * dx + dy * dy
            k = NEAREST - 1
            if square >= near[k]:
                continue
            while k > 0 and near[k - 1] > square:
                near[k], which[k] = near[k - 1], which[k - 1]
                k -= 1
            near[k], which[k] = square, j
        least, best[i] = np.inf, -1
        for k in range(NEAREST):
            if which[k] < 0:
                break
            alike = outward[i, 0] * facings[which[k], 0] + outward[i, 1] * facings[which[k], 1]
            cost = np.sqrt(near[k]) + SIDEWAYS * (1 - alike)
            if alike > facing and cost < least:
                least, best[i] = cost, which[k]


def edges_of_it(
    matte: Matte, known: NDArray[np.bool_] | None, corner: tuple[int, int], points: Points, touched: bool
) -> Silhouette:
    """The edges of a matte near a whole figure's outline (N, 8), which is nearly right; told as far as it is the figure's own.

    Where another thing touches it, the matte goes on far beyond: out there, and close to where it begins, no edge is the figure's.
    touched: whether it did so on the frame before; then little beyond is it still.
    """
    height, width = matte.shape
    own = np.asarray(coverage(points, Area(*corner, corner[0] + width, corner[1] + height))) > 0.5
    area, thing = int(own.sum()), _thing_there(matte, own)
    room = max(LEAST_ROOM, ROOM * float(np.sqrt(area)))
    other = thing & (distance(~own) > room)
    apart = bool(other.sum() <= (STILL_ANOTHER if touched else ANOTHER) * area)
    if not apart:
        far = distance(~other) > room
        known = far if known is None else known & far
    return Silhouette(matte, known, corner, apart)


def _thing_there(matte: Matte, own: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What of a matte hangs together with what an outline holds, (h, w)."""
    count, labels = cv2.connectedComponents((matte > 0.5).view(np.uint8))
    held = np.bincount(labels.ravel(), own.ravel(), count) > TOUCHES * own.sum()
    held[0] = False
    return np.asarray(held[labels])


def all_round(points: Points, kinds: list[str], edges: Silhouette) -> Points:
    """A whole figure's outline (N, 8), that is nearly right, on the edges of its matte; near it only where another thing touches it."""
    if not edges.apart:
        return edges.onto(points, kinds, PART, FACING_PART)
    points = edges.onto(points, kinds, WHOLE, FACING)
    along = normals_of(points, list(range(len(points))), SPACING)
    if edges.agrees(along, ON).mean() < ALL_ROUND or edges.missed(along, len(points)).any():
        points = edges.onto(edges.recut(points, kinds), kinds, WHOLE[-2:], FACING)
    return points


def told_by(
    points: Points, edges: Silhouette, signs: Signs, inside: Array | None, known: bool = True
) -> tuple[float, Array]:
    """How much an outline (N, 8) lies on edges, 0..1, and a doubt for each segment (N,).

    inside: the doubt by what is inside a part (N,); none for a whole figure, which lies on edges all round. known: whether the picture behind
    was, or was learned on the way.
    """
    count = len(points)
    along = normals_of(points, list(range(count)), SPACING)
    on = edges.agrees(along, FOUND)
    if inside is None:
        return float(on.mean()), doubt_by(signs_of(points, along, signs, edges, known))
    nearly = edges.agrees(along, NEARLY)
    told = [odds_of(inside), signs.unlike_near, signs.step, signs.clear]
    told += [by_segment(np.asarray(w, np.float64), along.segment, count) for w in (on, nearly)]
    *each, more = DOUBT_OF_PART
    return float(on.mean()), logistic(np.asarray(more + sum(w * sign for w, sign in zip(each, told, strict=True))))


def lacking(covered: Covered, picture: Picture, points: Points) -> float:
    """How much of what an outline holds, well inside of it, does not seem to be covered on the frame it is right on, 0..1."""
    box = box_around(points, picture.shape)
    if box is None:
        return 0.0
    matte, known = covered(picture, box)
    inner = _well_inside(np.asarray(coverage(points, Area(*box))) > 0.5) & known
    return float((inner & (matte < 0.5)).sum() / max(inner.sum(), 1))


def _well_inside(own: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return cv2.erode(own.view(np.uint8), DISC) > 0


class SilhouetteFollower:
    """Follows one outline from a frame that is right, where it is known what is covered."""

    def __init__(self, picture: Picture, points: Points, kinds: list[str], covered: Covered) -> None:
        self._follower = OutlineFollower(picture, points, kinds)
        self._kinds, self._covered, self._touched = kinds, covered, False
        self.whole = self._is_whole(picture, points)
        self._looks = Looks(picture, points, by_size=True) if self.whole else self._follower.looks
        self.accumulates = not self.whole

    def anyway(self, picture: Picture) -> Carried | None:
        """The outline on the next frame, with a doubt for each segment; None where nothing of it is in sight."""
        if not self.whole:
            return self._from_inside(picture, None)
        if not self._follower.in_sight(picture.shape):
            return None
        ahead = self._ahead(picture)
        points = self._follower.went(picture)
        edges = self._silhouette(picture, points, self._touched, ahead)
        self._touched = edges is not None and not edges.apart
        if edges is None or not edges.apart:
            return self._from_inside(picture, edges)
        return self._given(picture, all_round(points, self._kinds, edges), edges, None)

    def settled(self, picture_at: Callable[[int], Picture], frame: int, points: Points) -> Points:
        """A whole figure's outline, that is nearly right, on the edges of a frame; a part's as it is."""
        edges = self._silhouette(picture_at(frame), points) if self.whole else None
        return points if edges is None else all_round(points, self._kinds, edges)

    def _is_whole(self, picture: Picture, points: Points) -> bool:
        """Whether an outline is a whole figure's: it lies on edges nearly all round, and holds all of the thing that is there."""
        box = box_around(points, picture.shape)
        if box is None:
            return False
        matte, known = self._covered(picture, box)
        along = normals_of(points, list(range(len(points))), SPACING)
        if Silhouette(matte, known, box[:2]).agrees(along, NEARLY).mean() < FIGURE:
            return False
        own = np.asarray(coverage(points, Area(*box))) > 0.5
        thing = _thing_there(matte, own)
        beyond = thing & (cv2.dilate(own.view(np.uint8), DISC) == 0)
        missing = ~thing & _well_inside(own)
        return bool(beyond.sum() + missing.sum() < (1 - FILLED) * own.sum())

    def _given(self, picture: Picture, points: Points, edges: Silhouette, inside: Array | None) -> Carried:
        self._follower.stands(picture, points)
        sure, told = told_by(points, edges, self._looks.on(picture, points), inside)
        return Carried(points, sure, doubt=told)

    def _from_inside(self, picture: Picture, edges: Silhouette | None) -> Carried | None:
        """The outline as a part's: by what is seen inside, and drawn onto edges nearby; told anew where none are given."""
        ahead = None if edges else self._ahead(picture)
        found = self._follower.anyway(picture)
        if found is None:
            return None
        edges = edges or self._silhouette(picture, found.points, ahead=ahead)
        if edges is None:
            return found
        points = found.points
        lost = edges.uncovered(points)
        if lost.any():
            points = edges.onto(points, self._kinds, LOST, FACING, lost)
        return self._given(picture, edges.onto(points, self._kinds, PART, FACING_PART), edges, found.inside)

    def _ahead(self, picture: Picture) -> _Ahead | None:
        """What is covered on the next frame around where the outline is now, told while it is followed."""
        box = box_around(self._follower.points, picture.shape)
        return None if box is None else _Ahead(box, meanwhile(partial(self._covered, picture, box)))

    def _silhouette(
        self, picture: Picture, points: Points, touched: bool = False, ahead: _Ahead | None = None
    ) -> Silhouette | None:
        box = box_around(points, picture.shape)
        if box is None:
            return None
        if ahead is not None and ahead.reaches(box):
            box, (matte, known) = ahead.box, ahead.told()
        else:
            matte, known = self._covered(picture, box)
        if not self.whole:
            return Silhouette(matte, known, box[:2])
        return edges_of_it(matte, known, box[:2], points, touched)


@dataclass(frozen=True)
class _Ahead:
    """A box (left, top, right, bottom) of a frame, and what tells how much is covered in it."""

    box: Box
    told: Callable[[], tuple[Matte, NDArray[np.bool_]]]

    def reaches(self, box: Box) -> bool:
        """Whether the box is nearly as good as another one: whether it ends at most a little within that."""
        left, top, right, bottom = np.subtract(self.box, box)
        return bool(max(left, top, -right, -bottom) <= WITHIN)
