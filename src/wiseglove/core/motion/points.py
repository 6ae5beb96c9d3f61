"""A motion put together from single points: each is followed by itself, and the points together give the motion."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from copy import copy
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.models import Model, fitted
from wiseglove.core.motion.plane import KEPT, Going, PlaneSolver
from wiseglove.core.motion.reference import pyramid
from wiseglove.core.motion.verdict import Place, Point

Matrix = NDArray[np.float64]
Picture = NDArray[np.float32]
WhenLost = Literal["simpler", "stop"]
DOUBTFUL = 0.45
"""Confidence of a frame on which a point is missing: just below one half, where a frame stops being sure."""
AGREES = 1.0
"""Pixels within which a point that is not sure must lie of where the sure ones want it, to count."""


def model_of(count: int) -> Model:
    """What so many points can report: 1 shift, 2 similarity, 3 affine, 4 or more perspective."""
    by_count: tuple[Model, ...] = ("shift", "similarity", "affine", "perspective")
    return by_count[min(max(count, 1), 4) - 1]


@dataclass(frozen=True)
class Feature:
    """A point of the picture: its place at the motion's reference, and where and when its pattern is taken.

    place: (x, y) at the reference. seen: (x, y) on frame `at`. pattern: side in px of the square that is compared.
    search: side in px of the square in which it is looked for. held: frames where it is taken as it was followed before.
    """

    id: str
    place: tuple[float, float]
    at: int
    seen: tuple[float, float]
    pattern: int = 31
    search: int = 81
    held: dict[int, Point] | None = None


class PointsSolver:
    """Follows features from a frame outwards; the same calls as `PlaneSolver`, as far as `solve_range` needs them."""

    def __init__(
        self,
        picture_at: Callable[[int], Picture],
        at: int,
        features: list[Feature],
        when_lost: WhenLost = "simpler",
        ignore_at: Callable[[int], Picture | None] = lambda frame: None,
        going: Going | None = None,
    ) -> None:
        """going: as for `PlaneSolver`. Raises ValueError without features, or where one's pattern lies outside the picture or is all hidden."""
        if not features:
            raise ValueError("there is no point to follow")
        self.picture_at, self.at, self.features, self.when_lost = picture_at, at, features, when_lost
        self.known: dict[int, Place] = {at: Place(at, np.eye(3), "solved", 1.0)}
        levels_at = lru_cache(maxsize=KEPT)(lambda frame: pyramid(picture_at(frame)))
        self._followers = {
            f.id: PlaneSolver(
                picture_at, f.at, _square(f, picture_at(f.at).shape), "similarity", ignore_at, levels_at,
                reach=max((f.search - f.pattern) // 2, 2), ends=np.array([f.seen]), going=going,
            )
            for f in features if f.held is None
        }  # fmt: skip

    def branch(self) -> PointsSolver:
        """A solver of its own that begins with what this one knows, as `PlaneSolver.branch`."""
        twin = copy(self)
        twin.known = dict(self.known)
        twin._followers = {name: follower.branch() for name, follower in self._followers.items()}
        return twin

    def run(self, frames: range) -> Iterator[Place]:
        """Places along a range, on from what is known beside it; where the points are lost, they are looked for on."""
        before = self.known.get(frames.start - frames.step)
        last = before.matrix if before is not None else None
        steps: dict[str, list[Place]] = {}
        for frame in frames:
            points = {f.id: self._followed(f, frame, steps.setdefault(f.id, []), last) for f in self.features}
            place = self._together(frame, points, last)
            self.known[frame] = place
            yield place
            if place.matrix is not None:
                last = place.matrix

    def _followed(self, feature: Feature, frame: int, steps: list[Place], last: Matrix | None) -> Point:
        """A feature on a frame; `steps` are its last two frames, which are kept up."""
        if feature.held is not None:
            return feature.held.get(frame, Point(*feature.seen, "lost", 0.0))
        if frame == feature.at:
            steps[:] = [Place(frame, np.eye(3), "solved", 1.0)]
            return Point(*feature.seen, "solved", 1.0)
        before = steps[-1] if steps and steps[-1].matrix is not None else None
        earlier = steps[-2] if before is not None and len(steps) > 1 and steps[-2].matrix is not None else None
        if before is None:
            expected = np.array(feature.place) if last is None else apply(last, np.array([feature.place]))[0]
            start = np.eye(3)
            start[:2, 2] = expected - feature.seen
            before = Place(frame, start, "unsure", 0.0)
        place = self._followers[feature.id].solve_frame(frame, before, earlier)
        steps[:] = [*steps[-1:], place]
        if place.matrix is None:
            steps[:] = []
            return Point(*feature.seen, "lost", place.confidence)
        x, y = apply(place.matrix, np.array([feature.seen]))[0]
        return Point(float(x), float(y), place.status, place.confidence)

    def _borne_out(self, points: dict[str, Point], last: Matrix | None) -> dict[str, Point]:
        """Points of which some are unsure: those that lie where the sure ones want them count, the others are lost."""
        sure = [f for f in self.features if points[f.id].status == "solved"]
        change = None
        if sure:
            on = np.eye(3) if last is None else last
            source = apply(on, np.array([f.place for f in sure]))
            target = np.array([(points[f.id].x, points[f.id].y) for f in sure])
            change = fitted(model_of(min(len(sure), 3)), source, target)
        out = dict(points)
        for f in self.features:
            point = points[f.id]
            if point.status != "unsure":
                continue
            near = False
            if change is not None:
                wanted = apply(change @ on, np.array([f.place]))[0]
                near = bool(np.hypot(wanted[0] - point.x, wanted[1] - point.y) < AGREES)
            out[f.id] = Point(point.x, point.y, "solved" if near else "lost", 0.5 if near else point.confidence)
        return out

    def _together(self, frame: int, points: dict[str, Point], last: Matrix | None) -> Place:
        points = self._borne_out(points, last)
        good = [f for f in self.features if points[f.id].status == "solved"]
        lost = len(self.features) - len(good)
        if not good or (lost and self.when_lost == "stop"):
            return Place(frame, None, "lost", 0.0, {}, "points", points)
        source = np.array([f.place for f in good])
        target = np.array([(points[f.id].x, points[f.id].y) for f in good])
        confidence = min(points[f.id].confidence for f in good)
        if not lost:
            matrix = fitted(model_of(len(good)), source, target)
            if matrix is None:
                return Place(frame, None, "lost", 0.0, {}, "line", points)
            return Place(frame, matrix, "solved", confidence, {}, "", points)
        # On from the last frame, so that nothing jumps where a simpler model takes over.
        on = np.eye(3) if last is None else last
        change = fitted(model_of(min(len(good), 3)), apply(on, source), target)
        if change is None:
            return Place(frame, None, "lost", 0.0, {}, "line", points)
        return Place(frame, change @ on, "unsure", min(confidence, DOUBTFUL), {}, "point", points)


def _square(feature: Feature, shape: tuple[int, ...]) -> Picture:
    """What a feature's pattern covers, 1 in a picture (h, w) of 0."""
    mask = np.zeros(shape[:2], np.float32)
    x, y = feature.seen
    half = feature.pattern / 2
    left, top = max(round(x - half), 0), max(round(y - half), 0)
    mask[top : max(round(y + half), 0), left : max(round(x + half), 0)] = 1
    return mask
