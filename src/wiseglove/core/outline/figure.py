"""Carrying a whole figure on before something that stands, of which no picture was made, with what it uncovers (`uncovered`).

The outline is found with what is known so far, then twice more with what all other frames of a block told together; a large
figure's in pictures of half the size, but for the last time.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from contextlib import suppress
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.matte.coverage import Box
from wiseglove.core.outline.carry import Carried, OutlineFollower, box_around
from wiseglove.core.outline.looks import Looks
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.outline.silhouette import ON, Silhouette, all_round, told_by
from wiseglove.core.outline.steady import KEPT, LostError, Steady
from wiseglove.core.outline.uncovered import Corners, Still, Uncovered, raster, softened
from wiseglove.core.parallel import each

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Told = tuple[int, Carried | None]
"""A frame and the outline there; None where nothing of it is in sight."""
TRAVELS = 8.0
"""Pixels that a figure has to move until it can be told that it is one."""
NEAR, BEYOND = 13, 0.12
"""Pixels around a figure within which an outline may be off; how much, in shares of it, may be seen to move outside of these."""
LIES = 0.95
"""Share of an outline that lies on its edges where what it is of moves as one thing."""
BLOCK, AHEAD = 10, 2
"""Frames that are found together, and how many after them are looked at as well."""
LARGE = 240.0
"""Pixels from which a figure is first found in pictures of half their size."""


class _Seen:
    """A plate held still, at a share of its size: its pictures, its keys' outlines (N, 8), and what is known behind these."""

    def __init__(self, steady: Steady, keys: dict[int, Points], share: float, other: int) -> None:
        """keys: outlines in the plate's own size; other: another frame, to tell the noise by."""
        self._steady, self._share = steady, share
        self._small = lru_cache(maxsize=KEPT)(self._resized)
        self.keys = {frame: self.of(points) for frame, points in keys.items()}
        self.known = Uncovered({f: (self.picture(f), p) for f, p in self.keys.items()}, self.picture(other))

    def of(self, points: Points) -> Points:
        """An outline of the plate at this size."""
        return _sized(points, self._share)

    def given_back(self, points: Points) -> Points:
        """An outline at this size in the plate's."""
        return _sized(points, 1 / self._share)

    def picture(self, frame: int) -> Picture:
        """A frame at this size. Raises LostError as `Steady`."""
        return self._steady.picture(frame) if self._share == 1 else self._small(frame)

    def _resized(self, frame: int) -> Picture:
        whole = self._steady.picture(frame)
        return np.asarray(
            cv2.resize(whole, None, fx=self._share, fy=self._share, interpolation=cv2.INTER_AREA), np.uint8
        )

    def learn(self, known: Uncovered, frame: int, points: Points) -> None:
        """What lies outside an outline on a frame."""
        picture = self.picture(frame)
        box = _around([points, *self.keys.values()], picture.shape)
        if box is not None:
            known.learn(picture, points, box)

    def told_by(self, there: dict[int, Points]) -> Uncovered:
        """What is known with what outlines on neighbouring frames uncover, and what stands still between these."""
        known = self.known.copy()
        for frame, points in there.items():
            self.learn(known, frame, points)

        def stands(frame: int) -> tuple[list[Still], Corners] | None:
            before, after = there[frame], there[frame + 1]
            pictures = self.picture(frame), self.picture(frame + 1)
            box = _around([before, after], pictures[0].shape)
            way = np.asarray(np.median((after - before)[:, :2], axis=0))
            return box and (known.standing(pictures, way, box), box)

        for still in each(stands, [frame for frame in sorted(there) if frame + 1 in there]):
            if still is not None:
                known.learn_still(*still)
        return known

    def on_edges(
        self, there: dict[int, Points], kinds: list[str], frames: Sequence[int], softly: bool
    ) -> dict[int, tuple[Points, Silhouette | None]]:
        """Outlines on what is known to be the figure's edge on some of their frames, and that edge; with its softness, if asked."""
        known = self.told_by(there)

        def on(frame: int) -> tuple[Points, Silhouette | None]:
            picture, points = self.picture(frame), there[frame]
            box = box_around(points, picture.shape)
            if box is None:
                return points, None
            part, here = Box(*box).slices, (0, 0, box[2] - box[0], box[3] - box[1])
            beside = [self.picture(f)[part] for f in (frame - 1, frame + 1) if f in there or f in self.keys]
            others = known.without(picture, points, box)
            expected = raster(points, box)
            told = others.differing(picture[part], expected, here)
            matte = others.divided(picture[part], told, expected, beside, here)
            edges = Silhouette(softened(told, matte) if softly else matte, corner=box[:2])
            return all_round(points, kinds, edges), edges

        return dict(zip(frames, each(on, frames), strict=True))


class FigureFollower:
    """Follows a whole figure from frames that are right, with what it uncovers."""

    def __init__(self, picture_at: Callable[[int], Picture], keys: dict[int, Points], kinds: list[str]) -> None:
        self._kinds = kinds
        first = min(keys)
        self._steady = Steady(picture_at, first, keys[first])
        self._keys = {frame: self._steady.held(points, frame) for frame, points in keys.items()}
        self._looks = Looks(self._steady.picture(first), self._keys[first], by_size=True)

    def is_one(self, frame: int, points: Points) -> bool:
        """Whether the keys' outline is a whole figure before what stands, by how it went until a frame, (N, 8) there.

        It is if nothing moves close outside of it: a part's figure does. To be asked first: what is behind is learned from here on.
        """
        if any(self._steady.way(f) is None for f in (*self._keys, frame)):
            return False
        there = self._steady.held(points, frame)
        self._whole = _Seen(self._steady, self._keys, 1.0, frame)
        large = min(float(np.ptp(p[:, :2], axis=0).max()) for p in self._keys.values()) > LARGE
        self._small = _Seen(self._steady, self._keys, 0.5, frame) if large else self._whole
        picture = self._whole.picture(frame)
        box = _around([there, *self._keys.values()], picture.shape)
        if box is None:
            return False
        expected = raster(there, box)
        solid = self._whole.known.solid(picture, expected, box)
        reach = cv2.dilate((expected > 0.5).view(np.uint8), np.ones((2 * NEAR + 1, 2 * NEAR + 1), np.uint8))
        return bool((solid & (reach == 0)).sum() < BEYOND * expected.sum())

    def lies(self, frame: int, points: Points) -> bool:
        """Whether a figure's outline lies on its edge all round as it is: what moves as one thing is followed better from inside."""
        picture, there = self._steady.picture(frame), self._steady.held(points, frame)
        box = box_around(there, picture.shape)
        if box is None:
            return True
        edges = _edges_of(self._whole.known, picture, there, box)
        along = normals_of(there, list(range(len(there))))
        return bool(edges.agrees(along, ON).mean() > LIES and not edges.missed(along, len(there)).any())

    def block(
        self, at: int, points: Points, frames: list[int], ahead: list[int], stop: Callable[[], bool]
    ) -> list[Told]:
        """The outline on some frames in order from `at`, where it is (N, 8); those ahead are looked at as well.

        None where nothing of it is in sight. Fewer frames where it is stopped. Raises LostError where what stands is lost.
        """
        found = self._first_look(at, self._small.of(self._steady.held(points, at)), frames, stop)
        if stop():
            return self._settle(found, list(found))
        if len(found) == len(frames):
            seen = [frame for frame in ahead if self._steady.way(frame) is not None]
            found |= self._first_look(frames[-1], found[frames[-1]], seen, stop)
        return self._settle(found, frames)

    def between(self, a: int, b: int, stop: Callable[[], bool]) -> list[Told]:
        """The outline on the frames between two of the keys, from both. Fewer where it is stopped. Raises LostError as `block`."""
        frames = list(range(a + 1, b))
        with suppress(LostError):
            read_in_order(self._small.picture, frames, stop)

        def look(way: tuple[int, list[int]]) -> dict[int, Points]:
            return self._first_look(way[0], self._small.keys[way[0]], way[1], stop)

        forth, back = each(look, ((a, frames), (b, frames[::-1])))
        both = {}
        for frame in frames:
            share = (frame - a) / (b - a)
            one, other = forth.get(frame), back.get(frame)
            if one is not None and other is not None:
                both[frame] = one * (1 - share) + other * share
            elif one is not None:
                both[frame] = one
            elif other is not None:
                both[frame] = other
        return self._settle(both, list(both) if stop() else frames)

    def _first_look(self, at: int, points: Points, frames: list[int], stop: Callable[[], bool]) -> dict[int, Points]:
        """Outlines, small and held still, on frames in order from `at`, with what is known by then; until it is out of sight."""
        small = self._small
        follower = OutlineFollower(small.picture(at), points, self._kinds)
        known, found = small.known.copy(), {}
        for frame in frames:
            picture = small.picture(frame)
            if stop() or not follower.in_sight(picture.shape):
                break
            went = follower.went(picture)
            box = box_around(went, picture.shape)
            if box is None:
                break
            found[frame] = all_round(went, self._kinds, _edges_of(known, picture, went, box))
            follower.stands(picture, found[frame])
            small.learn(known, frame, found[frame])
        return found

    def _settle(self, found: dict[int, Points], frames: list[int]) -> list[Told]:
        """Outlines, small and held still, with what all of them uncover, as they are on some of the frames: small first, then whole."""
        nearly = self._small.on_edges(found, self._kinds, list(found), softly=False)
        there = {frame: self._small.given_back(points) for frame, (points, _) in nearly.items()}
        last = self._whole.on_edges(there, self._kinds, [f for f in frames if f in there], softly=True)
        for frame in frames:
            for seen in {self._small, self._whole}:
                if frame in last:
                    seen.learn(seen.known, frame, seen.of(last[frame][0]))
        told = dict(zip(last, each(lambda frame: self._told(*last[frame], frame), last), strict=True))
        return [(frame, told.get(frame)) for frame in frames]

    def _told(self, points: Points, edges: Silhouette | None, frame: int) -> Carried:
        back = self._steady.given_back(points, frame)
        if edges is None:
            return Carried(back, 0.0, doubt=np.ones(len(points)))
        sure, doubt = told_by(points, edges, self._looks.on(self._steady.picture(frame), points), None, known=False)
        return Carried(back, sure, doubt=doubt)


def _sized(points: Points, share: float) -> Points:
    """An outline (N, 8) at another size."""
    return points if share == 1 else np.asarray(points * share)


def _edges_of(known: Uncovered, picture: Picture, points: Points, box: Corners) -> Silhouette:
    """The edges of the figure in a box of a frame, where an outline says where it may be."""
    return Silhouette(known.solid(picture, raster(points, box), box).astype(np.float32), corner=box[:2])


def read_in_order(picture_at: Callable[[int], Picture], frames: Iterable[int], stop: Callable[[], bool]) -> None:
    """Read frames before several threads do, so that they are kept: a movie is slow to be read to and fro."""
    for frame in frames:
        if stop():
            return
        picture_at(frame)


def moved(before: Points, after: Points) -> float:
    """How far most of an outline (N, 8) went, in pixels."""
    return float(np.hypot(*np.median((after - before)[:, :2], axis=0)))


def _around(outlines: Sequence[Points], shape: tuple[int, ...]) -> Corners | None:
    boxes = [box for points in outlines if (box := box_around(points, shape)) is not None]
    if not boxes:
        return None
    low, high = np.min([b[:2] for b in boxes], axis=0), np.max([b[2:] for b in boxes], axis=0)
    return int(low[0]), int(low[1]), int(high[0]), int(high[1])
