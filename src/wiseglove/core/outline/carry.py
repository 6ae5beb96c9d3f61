"""Carrying an outline on to the next frames by following the picture.

Features just inside the edge are followed from frame to frame (Lucas & Kanade 1981, pyramids by Bouguet 2001, each
checked by following it back); the outline goes along with their common similarity and, place by place, with what
those nearby do beyond it. Then the edge is looked for within a few pixels, where what lies just inside is as it is on
the first frame, so that no shadow is taken for an edge. Features and edge together bend the outline of the first frame,
which therefore keeps its shape where nothing is seen. What is inside is compared with the first frame all the while,
the shape with the edges found, and what lies outside with the inside, so that the outline stops where it, or a part of it,
would run away.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from wiseglove.core.geometry.bezier import Points, flatten, signed_area
from wiseglove.core.kept import kept
from wiseglove.core.outline.beyond import Beyond
from wiseglove.core.outline.doubts import doubt_of_part, signs_of_part
from wiseglove.core.outline.edges import averaged, range_of
from wiseglove.core.outline.elastic import Elastic, Found
from wiseglove.core.outline.looks import Looks, by_segment, colours_inside, logistic
from wiseglove.core.outline.movement import (
    FEATURES_APART,
    FEW,
    TOGETHER,
    followed,
    followed_twice,
    gone_along,
    gone_by_pieces,
)
from wiseglove.core.outline.normals import SPACING, Normals, normals_at, normals_of
from wiseglove.core.outline.snap import Likeness, Snapped, likeness, snap
from wiseglove.core.outline.swinging import Swinging

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
DEPTHS = (3.0, 6.0, 10.0, 15.0)
"""How far inside the edge features are followed, in pixels."""
MOST_FEATURES = 300
ENOUGH = 0.35
"""Share of the features that have to be believed."""
SEEK = 3.0
"""How far the edge is looked for after the features, in pixels."""
PULL = 0.8
MOST_UNLIKE = 2.0
"""Difference of colours, in roots of linear light (0..16), beyond which nothing more is told by it."""
UNLIKE = 0.30
"""Largest mean difference of what is inside from the first frame, in shares of the colours' own range there."""
UNLIKE_SOMEWHERE, TORN = 0.35, 0.7
"""Largest mean difference over a stretch, and by how many pixels at most a clear edge lies off the shape kept there: a
finger tip that turns away is little of the whole. A little of both is as bad as much of one."""
MOVES_ALONE = "A part of it moves unlike the rest; set it right there, or draw it as an outline of its own."
LOOKS_UNLIKE = "A part of it no longer looks as it did: it turns, or something covers it there."
STICKS_OUT = "A part of it reaches farther out than the outline does; set it right there."
STRETCH = 32.0
"""How long along the curve a part is that must not run away, in pixels."""
GONE_ALONG, FEATURES_FIRST, FEATURES_THEN = 0.2, 0.2, 0.03
"""How much places count that went along with the features, and features, before and after the edge was looked for."""
GONE_ALONG_KEPT = 0.3
MOST_BENDING = 150
"""Features that bend the outline; of more, some stand for the others."""
MOST_PLACES = 360
"""On a long outline its edge is looked at in places that are farther apart."""
MARGIN = 60
LEAST_IN_SIGHT = 0.04
"""Share of the outline that has to be in the picture."""
BEYOND = 7.0
"""How far outside the colours are that an edge divides from those inside, in pixels."""
DOUBT = (0.83, 1.44, 1.66, 0.46, 2.93)
"""Weights of the signs of doubt and what is added: logistic regression on the tapping glove and the waving hand, both classes
and both clips counted alike; the colleague with the tray was kept aside."""
LOST = 6.0
"""Logarithm of the odds where no edge is to be seen at all."""
DOUBT_OF_EDGE = (1.82, -2.14, -4.0)
"""What that counts and how clear the edge is, and what is added: the same on parts of the gardener before the panel; she before
leaves was kept aside."""


@dataclass(frozen=True)
class Carried:
    """One frame's outline (N, 8), how much it is to be believed (0..1), and why it went no further ("" where it did).

    `where` is the part that would have run away, as a place on the outline before. `doubt` (N,) says for each segment how far
    it is to be doubted, 0..1, one half where it stops being sure; `inside` (N,) the same by shape, inside and how clear its edge is
    alone; `astray` is the mean of it as far as shape and inside tell.
    """

    points: Points
    sure: float
    reason: str = ""
    where: tuple[float, float] | None = None
    doubt: Array | None = None
    inside: Array | None = None
    astray: float = 1.0


@dataclass(frozen=True)
class _Went:
    """Where an outline went with its features: the share of these that is believed, where those are at first and now, (M, 2)."""

    points: Points
    believed: float
    at_first: Array
    end: Array


@dataclass(frozen=True)
class _Gone:
    """Where an outline has gone: how its edge was found, and the share of features that is believed."""

    points: Points
    snapped: Snapped
    believed: float


class OutlineFollower:
    """Follows one outline from a frame that is right."""

    accumulates = True
    """Whether what is off on a frame goes on to be on the next ones."""

    def __init__(self, picture: Picture, points: Points, kinds: list[str]) -> None:
        """picture: RGB (H, W, 3) of the frame on which the outline (N, 8) is right."""
        self._kinds = kinds
        self._first = points
        self._picture, self.points = picture, points  # of the frame that was last told; (N, 8)
        everywhere = list(range(len(points)))
        self._spots = normals_of(points, everywhere, FEATURES_APART)
        self._inside = colours_inside(picture, self._spots)
        self._spacing = max(SPACING, len(normals_of(points, everywhere).t) * SPACING / MOST_PLACES)
        edge = normals_of(points, everywhere, self._spacing)
        self._elastic = Elastic(points, edge.segment, edge.t)
        self._beyond = Beyond(picture, edge)
        self._look: Likeness | None = None
        self._right = picture
        self.looks = Looks(picture, points)

    def on(self, picture: Picture) -> Carried:
        """The outline on the next frame, in either direction of time; the one before where it stops."""
        found = self._gone(picture)
        if isinstance(found, str):
            return Carried(self.points, 0.0, found)
        verdict = self._verdict(picture, found)
        if not verdict.reason:
            self._picture, self.points = picture, verdict.points
        return verdict

    def anyway(self, picture: Picture) -> Carried | None:
        """As `on`, but with a shape whatever happens, and a doubt for each segment; None where nothing of it is in sight.

        What cannot be followed as one thing goes piece by piece with the features nearby, and stays where none is.
        """
        if box_around(self.points, picture.shape) is None or not self.in_sight(picture.shape):
            return None
        found = self._gone(picture, piecewise=True)
        if isinstance(found, str):
            lost = np.ones(len(self.points))
            self._picture = picture
            return Carried(self.points, 0.0, found, doubt=lost, inside=lost)
        verdict = self._verdict(picture, found)
        by_shape = self._doubt(found, picture)
        looks = self.looks.on(picture, found.points)
        own, edge, more = DOUBT_OF_EDGE
        self._picture, self.points = picture, found.points
        inside, astray = logistic(own * by_shape + edge * looks.clear + more), float(logistic(by_shape).mean())
        doubt = inside if found.snapped.clear is None else doubt_of_part(signs_of_part(found.points, inside, looks))
        return replace(verdict, points=found.points, doubt=doubt, inside=inside, astray=astray)

    def went(self, picture: Picture) -> Points:
        """Where the outline goes with the features alone; where it was, if they cannot be followed."""
        found = self._by_pieces(picture)
        return self.points if isinstance(found, str) else found.points

    def stands(self, picture: Picture, points: Points) -> None:
        """The outline is this one on a frame; it goes on from there."""
        self._picture, self.points = picture, points

    def settled(self, picture_at: Callable[[int], Picture], frame: int, points: Points) -> Points:
        """A blended outline as it is; see `SilhouetteFollower`."""
        return points

    def in_sight(self, shape: tuple[int, ...]) -> bool:
        """Whether there is anything of the outline in a picture of that shape (h, w, 3)."""
        places = normals_of(self.points, list(range(len(self.points))), FEATURES_APART).places
        inside = ((places > 1) & (places < np.array([shape[1], shape[0]]) - 1)).all(axis=1)
        return bool(inside.mean() > LEAST_IN_SIGHT)

    @kept
    def _swinging(self) -> Swinging:
        return Swinging(self._right, self._first, self._kinds)

    def _gone(self, picture: Picture, piecewise: bool = False) -> _Gone | str:
        """Where the outline goes with the features and onto the edge; why not, where it cannot be told."""
        went = self._by_pieces(picture) if piecewise else self._as_one(picture)
        if isinstance(went, str):
            return went
        found = self._onto_edge(picture, went)
        swung = self._swinging.on(picture, self.points, found.points) if piecewise else None
        if swung is None:
            return found
        still = cdist(went.at_first, swung.first).min(axis=1) > max(DEPTHS)
        at_first, end = np.vstack([went.at_first[still], swung.first]), np.vstack([went.end[still], swung.now])
        return self._onto_edge(picture, _Went(swung.points, went.believed, at_first, end))

    def _as_one(self, picture: Picture) -> _Went | str:
        """Where the outline goes with the features, which have to move together."""
        looks = self._looks(picture)
        if isinstance(looks, str):
            return looks
        before, after, places, at_first, corner = looks
        moved, believed = followed(before, after, places - corner)
        if believed.sum() < FEW or believed.mean() < ENOUGH:
            return "What is inside changes too much to be followed."
        start, end = places[believed], moved[believed] + corner
        warp, kept = cv2.estimateAffinePartial2D(start, end, method=cv2.RANSAC, ransacReprojThreshold=3.0)
        if warp is None or kept.mean() < 0.5:
            return "The parts inside move apart; draw them as outlines of their own."
        points = gone_along(self.points, self._kinds, np.asarray(warp, np.float64), start, end)
        return _Went(points, float(believed.mean()), at_first[believed], end)

    def _by_pieces(self, picture: Picture) -> _Went | str:
        """Where the outline goes with the features, as one thing or piece by piece: whichever looks more as it did."""
        looks = self._looks(picture)
        if isinstance(looks, str):
            return looks
        before, after, places, at_first, corner = looks
        was = colours_inside(self._picture, normals_at(self.points, self._spots.segment, self._spots.t))
        best, least = None, np.inf
        for moved, believed, common in followed_twice(before, after, places - corner):
            if believed.sum() < FEW:
                continue
            start, end = places[believed], moved[believed] + corner
            ways = [(1.0, gone_by_pieces(self.points, self._kinds, start, end))]
            if common is not None:
                warp = np.column_stack([common[:, :2], common[:, 2] + corner - common[:, :2] @ corner])
                ways.append((TOGETHER, gone_along(self.points, self._kinds, warp, start, end)))
            for share, points in ways:
                now = colours_inside(picture, normals_at(points, self._spots.segment, self._spots.t))
                unlike = share * float(np.minimum(np.linalg.norm(now - was, axis=1), MOST_UNLIKE).mean())
                if unlike < least:
                    best, least = _Went(points, float(believed.mean()), at_first[believed], end), unlike
        return best or "What is inside changes too much to be followed."

    def _looks(self, picture: Picture) -> tuple[Picture, Picture, Array, Array, Array] | str:
        """The frame before and this one around the outline, in grey; features, where they are at first; the corner of both."""
        crop = box_around(self.points, picture.shape)
        if crop is None:
            return "The outline has left the picture."
        left, top, right, bottom = crop
        before, after = (grey_of(p[top:bottom, left:right]) for p in (self._picture, picture))
        places, at_first = self._features(picture.shape)
        if len(places) < FEW:
            return "Too little of the outline is in the picture to follow it."
        return before, after, places, at_first, np.array([left, top], np.float64)

    def _onto_edge(self, picture: Picture, went: _Went) -> _Gone:
        """What went with the features, bent onto the edge nearby, in the shape that it had at first."""
        few = slice(None, None, -(-len(went.end) // MOST_BENDING))
        features = Found(went.at_first[few], went.end[few], FEATURES_FIRST * few.step)
        edge = self._edge_of(went.points)
        self._elastic.bend(edge.places, edge.outward, np.full(len(edge.t), GONE_ALONG), features)
        points = self._elastic.outline(went.points, GONE_ALONG_KEPT)
        snapped = self._snapped(picture, points)
        if snapped.clear is not None:
            edge = self._edge_of(snapped.points)
            features = replace(features, weight=FEATURES_THEN * few.step)
            self._elastic.bend(edge.places, edge.outward, snapped.clear, features)
            points = self._elastic.outline(snapped.points)
        return _Gone(points, snapped, went.believed)

    def _verdict(self, picture: Picture, found: _Gone) -> Carried:
        """Whether the whole of it can be believed, and why not."""
        points, snapped = found.points, found.snapped
        unlike, worst, changed = self._unlikeness(picture, points)
        torn, off_shape = self._torn(points, snapped)
        size = np.sqrt(abs(signed_area(points) / max(abs(signed_area(self.points)), 1e-9)))
        runs_away = float(np.hypot(worst / UNLIKE_SOMEWHERE, torn / TORN))
        alike = 1 - max(unlike / UNLIKE, runs_away) / 2
        sure = float(found.believed * max(alike, 0.0) * max(snapped.found, 0.2))
        if unlike > UNLIKE:
            return Carried(self.points, sure, "What is inside no longer looks as it did; something may cover it.")
        if runs_away > 1:
            moves = torn / TORN > worst / UNLIKE_SOMEWHERE
            why, along = (MOVES_ALONE, self._elastic) if moves else (LOOKS_UNLIKE, self._spots)
            return Carried(self.points, sure, why, self._place(along, off_shape if moves else changed))
        out = self._beyond.seen(picture, self._edge_of(points), self._spacing)
        if out is not None:
            return Carried(self.points, sure, STICKS_OUT, self._place(self._elastic, out))
        if snapped.reason:
            return Carried(self.points, sure, "The edge cannot be seen any more.")
        if not 0.8 < size < 1.25:
            return Carried(self.points, sure, "The outline would change its size too fast.")
        return Carried(points, sure)

    def _doubt(self, found: _Gone, picture: Picture) -> Array:
        """How far each segment (N,) is to be doubted by its shape and inside, as the logarithm of its odds of being two pixels off.

        That is: colours inside that are unlike the first frame's, an edge found off the shape that is kept, an edge that cannot
        be seen, and little difference between inside and outside. The weights were fitted on rendered hands (see DOUBT).
        """
        count = len(found.points)
        now = normals_at(found.points, self._spots.segment, self._spots.t)
        scale = range_of(self._inside)
        unlike = by_segment(
            np.linalg.norm(colours_inside(picture, now) - self._inside, axis=1) / scale, self._spots.segment, count
        )
        if found.snapped.clear is None:
            return np.full(count, LOST)
        kept = self._edge_of(found.points)
        edge = self._edge_of(found.snapped.points)
        off = np.abs(((edge.places - kept.places) * edge.outward).sum(axis=1))
        beyond = replace(kept, places=kept.places + kept.outward * BEYOND)
        contrast = np.linalg.norm(colours_inside(picture, beyond) - colours_inside(picture, kept), axis=1)
        off, unclear, contrast = (
            by_segment(v, self._elastic.segment, count) for v in (off, 1 - found.snapped.clear, contrast)
        )
        signs = (np.log(unlike + 0.02), np.log(off + 0.1), unclear, -np.log(contrast + 0.3), np.ones(count))
        return np.asarray(sum(w * sign for w, sign in zip(DOUBT, signs, strict=True)))

    def _place(self, along: Normals | Elastic, k: int) -> tuple[float, float]:
        x, y = normals_at(self.points, along.segment[[k]], along.t[[k]]).places[0]
        return float(x), float(y)

    def _edge_of(self, points: Points) -> Normals:
        return normals_at(points, self._elastic.segment, self._elastic.t)

    def _snapped(self, picture: Picture, points: Points) -> Snapped:
        """The outline on the edge nearby that has what was inside the first frame's."""
        before, now = self._edge_of(self.points), self._edge_of(points)
        travel = averaged(np.abs(((now.places - before.places) * now.outward).sum(axis=1)), 4, closed=True)
        self._look = self._look or likeness(self._picture, before, travel)
        return snap(picture, points, [], self._kinds, SEEK, PULL, self._look.travelling(travel))

    def _torn(self, points: Points, snapped: Snapped) -> tuple[float, int]:
        """How far a clear edge lies off the outline that keeps its shape, in pixels, over the worst stretch; its middle."""
        if snapped.clear is None:
            return 0.0, 0
        edge, kept = self._edge_of(snapped.points), self._edge_of(points)
        off = ((edge.places - kept.places) * edge.outward).sum(axis=1) * snapped.clear
        return _worst_stretch(off, self._spacing)

    def _features(self, shape: tuple[int, ...]) -> tuple[Array, Array]:
        """Places just inside the edge that lie in the picture, (M, 2), and where they are on the first frame."""
        along = normals_of(self.points, list(range(len(self.points))), FEATURES_APART)
        then = normals_at(self._first, along.segment, along.t)
        inside, at_first = (np.concatenate([n.places - n.outward * depth for depth in DEPTHS]) for n in (along, then))
        area = shapely.make_valid(shapely.Polygon(flatten(self.points, 0.2)), method="structure", keep_collapsed=False)
        keeps = shapely.contains_xy(shapely.buffer(area, -1.5), inside)
        seen = ((inside > 4) & (inside < np.array([shape[1], shape[0]]) - 4)).all(axis=1)
        good = np.flatnonzero(keeps & seen)
        good = good[:: -(-len(good) // MOST_FEATURES) or 1]
        return np.asarray(inside[good]), np.asarray(at_first[good])

    def _unlikeness(self, picture: Picture, points: Points) -> tuple[float, float, int]:
        """How far the colours inside are from the first frame's at the same places, in shares of their range there.

        The mean of all, and of the worst stretch; its middle.
        """
        now = normals_at(points, self._spots.segment, self._spots.t)
        seen = ((now.places > 2) & (now.places < np.array([picture.shape[1], picture.shape[0]]) - 2)).all(axis=1)
        if not seen.any():
            return 0.0, 0.0, 0
        scale = range_of(self._inside)
        off = np.where(seen, np.linalg.norm(colours_inside(picture, now) - self._inside, axis=1), 0.0) / scale
        return float(off[seen].mean()), *_worst_stretch(off, FEATURES_APART)


def _worst_stretch(values: Array, spacing: float) -> tuple[float, int]:
    """The largest mean, as an amount, over a stretch of a closed curve, and which of the places is in its middle.

    values (M,) belong to places `spacing` pixels apart.
    """
    count = min(round(STRETCH / spacing), len(values))
    total = np.cumsum(np.concatenate([[0.0], values, values[:count]]))
    means = np.abs(total[count:] - total[:-count])[: len(values)] / count
    worst = int(means.argmax())
    return float(means[worst]), (worst + count // 2) % len(values)


def grey_of(picture: Picture) -> Picture:
    """A picture (h, w, 3) in grey, (h, w)."""
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8)


def box_around(points: Points, shape: tuple[int, ...]) -> tuple[int, int, int, int] | None:
    """An outline's surroundings in a picture of a shape, as left, top, right, bottom; None where too little is in it."""
    low, high = points[:, :2].min(axis=0) - MARGIN, points[:, :2].max(axis=0) + MARGIN
    left, top = max(int(low[0]), 0), max(int(low[1]), 0)
    right, bottom = min(int(high[0]) + 1, shape[1]), min(int(high[1]) + 1, shape[0])
    return (left, top, right, bottom) if right - left > MARGIN and bottom - top > MARGIN else None
