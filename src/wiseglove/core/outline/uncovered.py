"""Carrying a whole figure on before something that stands, of which no picture was made: it is learned on the way.

Outside the figure on its key is what is behind, for certain. What the figure goes over is known from there; what it leaves
is seen on the frames after that, outside the outline that was found; and what opens inside it (between two legs) is what
stands still there while it would differ if it went along. Where a pixel was never uncovered, it is the figure's or not as the
picture's own edges divide it (watershed, Meyer 1994), flooded from what is sure.

The outline is found with what is known so far, then twice more with what all other frames of a block told together; a large
figure's in pictures of half the size, but for the last time.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.clean import LEAST_NOISE, Behind
from wiseglove.core.behind.difference import difference_matte, solid_difference
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.core.outline.carry import Carried, OutlineFollower, box_around
from wiseglove.core.outline.looks import Looks
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.outline.silhouette import ON, Silhouette, all_round, told_by
from wiseglove.core.outline.steady import Steady
from wiseglove.core.parallel import each

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Matte = NDArray[np.float32]
Mask = NDArray[np.bool_]
Corners = tuple[int, int, int, int]
Told = tuple[int, Carried | None]
"""A frame and the outline there; None where nothing of it is in sight."""
GROW = 3
"""Pixels around an outline that are not believed to be behind it."""
AROUND = 5
"""Pixels over which frames are compared."""
ALIKE, UNLIKE = 2.5, 12.0
"""Mean square difference in units of what noise makes, up to which two frames are alike, and from which they are not."""
TRAVELS = 8.0
"""Pixels that a figure has to move until it can be told that it is one."""
NEAR, BEYOND = 13, 0.12
"""Pixels around a figure within which an outline may be off; how much, in shares of it, may be seen to move outside of these."""
OPEN = 10
"""Pixels around an outline in which what is not known may be the figure's as well."""
LIES = 0.95
"""Share of an outline that lies on its edges where what it is of moves as one thing."""
BLOCK, AHEAD = 10, 2
"""Frames that are found together, and how many after them are looked at as well."""
CRACK = 5
"""Half as wide as a crack may be in what is solid, in pixels."""
CALMED = 4.0
"""Levels of noise for which a picture is smoothed by one pixel more before its edges divide it."""
LARGE = 240.0
"""Pixels from which a figure is first found in pictures of half their size."""


class Uncovered:
    """What is behind a figure, as far as it was uncovered: learned from keys, outlines and what stands still."""

    def __init__(self, keys: dict[int, tuple[Picture, Points]], other: Picture) -> None:
        """keys: frames (h, w, 3) with their right outlines (N, 8); other: another frame, to tell the noise by."""
        (picture, _), *_ = keys.values()
        apart = np.abs(other[::3, ::3].astype(np.float32) - picture[::3, ::3])
        # Of two normal noises the middle absolute difference is 0.6745 times sqrt(2) of their deviation.
        self.noise = max(float(np.median(apart)) / 0.6745 / np.sqrt(2), LEAST_NOISE)
        self._total = np.zeros(picture.shape, np.float32)
        self._count = np.zeros(picture.shape[:2], np.float32)
        self._certain = np.zeros(picture.shape[:2], bool)
        whole = (0, 0, picture.shape[1], picture.shape[0])
        self._keys = [(key, _raster(points, whole)) for key, points in keys.values()]
        for key, own in self._keys:
            self._take(key, _free(own), whole)
        self._certain = self._count > 0

    def copy(self) -> Uncovered:
        """The same, to learn on without this one."""
        other = object.__new__(Uncovered)
        other.noise, other._keys, other._certain = self.noise, self._keys, self._certain
        other._total, other._count = self._total.copy(), self._count.copy()
        return other

    def learn(self, picture: Picture, points: Points, box: Corners) -> None:
        """What lies outside an outline on a frame, in a box of it."""
        self._take(picture, _free(_raster(points, box)), box)

    def without(self, picture: Picture, points: Points, box: Corners) -> Uncovered:
        """This in a box alone, as if what lies outside an outline on a frame had not been learned: no frame is told by itself."""
        part, other = Box(*box).slices, object.__new__(Uncovered)
        other.noise, other._certain = self.noise, self._certain[part]
        other._keys = [(key[part], own[part]) for key, own in self._keys]
        own = _free(_raster(points, box)) & (self._count[part] > 0) & ~other._certain
        other._count = self._count[part] - own
        other._total = self._total[part] - picture[part] * own[..., None]
        return other

    def learn_still(self, pictures: tuple[Picture, Picture], way: Array, box: Corners) -> None:
        """What stands still between two neighbouring frames and would differ, had it gone along with the figure by `way` (2,).

        What a key's figure shows in the same place may be the figure's, and is not believed.
        """
        one, two = (p[Box(*box).slices].astype(np.float32) for p in pictures)
        still = self._unlike(one, two) < ALIKE
        for now, other, along in ((one, two, way), (two, one, -way)):
            move = np.array([[1, 0, along[0]], [0, 1, along[1]]], np.float64)
            size = (now.shape[1], now.shape[0])
            gone = cv2.warpAffine(other, move, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
            stands = still & (self._unlike(now, np.asarray(gone, np.float32)) > UNLIKE)
            for key, _ in self._keys:
                stands &= self._unlike(now, key[Box(*box).slices].astype(np.float32)) > UNLIKE
            self._take(now, stands, box)

    def solid(self, picture: Picture, expected: Matte, box: Corners) -> Mask:
        """The figure in a box of a frame with hard edges, (h, w); expected (h, w) is where it may be."""
        now = picture[Box(*box).slices].astype(np.float32)
        return _mended(solid_difference(now, self.behind(box), expected), expected)

    def divided(self, picture: Picture, expected: Matte, beside: Sequence[Picture], box: Corners) -> Matte:
        """The figure in a box of a frame, (h, w), 0..1, where what is not known is divided by the picture's edges.

        expected (h, w): where it may be; beside: neighbouring frames.
        """
        part = Box(*box).slices
        known, now = self._count[part] > 0, picture[part].astype(np.float32)
        solid = self.solid(picture, expected, box)
        changes = np.ones(known.shape, bool)
        for other in beside:
            changes &= self._unlike(now, other[part].astype(np.float32)) > UNLIKE
        for key, own in self._keys:
            changes |= (own[part] > 0.5) & (self._unlike(now, key[part].astype(np.float32)) < ALIKE)
        reach = cv2.dilate((expected > 0.5).view(np.uint8), np.ones((2 * OPEN + 1, 2 * OPEN + 1), np.uint8))
        seeds = np.zeros(known.shape, np.int32)
        seeds[_within(known & ~solid)] = 1
        seeds[_within(known & solid) | _within(changes & ~known & (expected > 0.5))] = 2
        seeds[~known & (reach == 0)] = 1
        flooded = cv2.watershed(cv2.GaussianBlur(picture[part], (0, 0), 1.0 + self.noise / CALMED), seeds)
        divided = cv2.medianBlur(_mended(flooded == 2, expected).view(np.uint8) * np.uint8(255), 5)
        return np.asarray(cv2.GaussianBlur(divided.astype(np.float32) / 255, (0, 0), 0.8), np.float32)

    def matte(self, picture: Picture, otherwise: Matte, box: Corners) -> Matte:
        """The figure in a box of a frame with its edges, (h, w), 0..1, where what is not known is `otherwise` (h, w)."""
        return difference_matte(picture[Box(*box).slices].astype(np.float32), self.behind(box), otherwise)

    def behind(self, box: Corners) -> Behind:
        """What is known in a box; a mean of few frames has noise of its own, which comes to a frame's."""
        part = Box(*box).slices
        count = self._count[part]
        known = count > 0
        sample = count[::4, ::4][known[::4, ::4]]
        few = float(np.median(sample)) if len(sample) else 1.0
        return Behind(self._mean(part), known, self.noise * float(np.sqrt(1 + 1 / few)))

    def _mean(self, part: tuple[slice, slice]) -> NDArray[np.float32]:
        out = np.empty(self._total[part].shape, np.float32)
        _divided(self._total[part], self._count[part], out)
        return out

    def _take(self, picture: Picture | NDArray[np.float32], where: Mask, box: Corners) -> None:
        """Learn a frame, or a box of it, in some places (h, w) of a box; what is certain is believed first."""
        part = Box(*box).slices
        colours = np.asarray(picture if picture.shape[:2] == where.shape else picture[part], np.float32)
        certain = self._certain[part]
        if certain.any():
            where = where & (~certain | (self._unlike(colours, self._mean(part)) < ALIKE))
        _added(colours, where, self._total[part], self._count[part])

    def _unlike(self, one: NDArray[np.float32], two: NDArray[np.float32]) -> NDArray[np.float32]:
        square = np.empty(one.shape[:2], np.float32)
        _squared(one, two, np.float32(1 / (6 * self.noise**2)), square)
        return np.asarray(cv2.blur(square, (AROUND, AROUND)), np.float32)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _squared(one, two, share, out):  # type: ignore[no-untyped-def]
    """A share of the square difference of two pictures (h, w, 3)."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            total = np.float32(0)
            for c in range(3):
                off = one[y, x, c] - two[y, x, c]
                total += off * off
            out[y, x] = total * share


@nb.njit(cache=True, nogil=True)
def _divided(total, count, out):  # type: ignore[no-untyped-def]
    """Means (h, w, 3) of what was added up so many times (h, w); 0 where nothing was."""
    for y in range(count.shape[0]):
        for x in range(count.shape[1]):
            share = np.float32(1) / max(count[y, x], np.float32(1))
            for c in range(3):
                out[y, x, c] = total[y, x, c] * share


@nb.njit(cache=True, nogil=True)
def _added(colours, where, total, count):  # type: ignore[no-untyped-def]
    """Add colours (h, w, 3) up in some places (h, w)."""
    for y in range(count.shape[0]):
        for x in range(count.shape[1]):
            if where[y, x]:
                count[y, x] += 1
                for c in range(3):
                    total[y, x, c] += colours[y, x, c]


class _Seen:
    """A plate held still, at a share of its size: its pictures, its keys' outlines (N, 8), and what is known behind these."""

    def __init__(self, steady: Steady, keys: dict[int, Points], share: float, other: int) -> None:
        """keys: outlines in the plate's own size; other: another frame, to tell the noise by."""
        self._steady, self._share = steady, share
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
        whole = self._steady.picture(frame)
        if self._share == 1:
            return whole
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
        for frame in sorted(there):
            if frame + 1 not in there:
                continue
            before, after = there[frame], there[frame + 1]
            pictures = self.picture(frame), self.picture(frame + 1)
            box = _around([before, after], pictures[0].shape)
            if box is not None:
                known.learn_still(pictures, np.asarray(np.median((after - before)[:, :2], axis=0)), box)
        return known

    def on_edges(
        self, there: dict[int, Points], kinds: list[str], softly: bool
    ) -> dict[int, tuple[Points, Silhouette | None]]:
        """Outlines on what is known to be the figure's edge on their frames, and that edge; with its softness, if asked."""
        known = self.told_by(there)

        def on(frame: int) -> tuple[Points, Silhouette | None]:
            picture, points = self.picture(frame), there[frame]
            box = box_around(points, picture.shape)
            if box is None:
                return points, None
            part, here = Box(*box).slices, (0, 0, box[2] - box[0], box[3] - box[1])
            beside = [self.picture(f)[part] for f in (frame - 1, frame + 1) if f in there or f in self.keys]
            others = known.without(picture, points, box)
            matte = others.divided(picture[part], _raster(points, box), beside, here)
            edges = Silhouette(others.matte(picture[part], matte, here) if softly else matte, corner=box[:2])
            return all_round(points, kinds, edges), edges

        return dict(zip(there, each(on, there), strict=True))


class FigureFollower:
    """Follows a whole figure from frames that are right, with what it uncovers."""

    def __init__(self, picture_at: Callable[[int], Picture], keys: dict[int, Points], kinds: list[str]) -> None:
        self._kinds = kinds
        first = min(keys)
        self._steady = Steady(picture_at, first, keys[first])
        self._keys = {frame: self._steady.held(points, frame) for frame, points in keys.items()}
        self._looks = Looks(self._steady.picture(first), self._keys[first])

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
        expected = _raster(there, box)
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
        forth = self._first_look(a, self._small.keys[a], frames, stop)
        back = self._first_look(b, self._small.keys[b], frames[::-1], stop)
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
        nearly = self._small.on_edges(found, self._kinds, softly=False)
        there = {frame: self._small.given_back(points) for frame, (points, _) in nearly.items()}
        last = self._whole.on_edges(there, self._kinds, softly=True)
        for frame in frames:
            for seen in {id(s): s for s in (self._small, self._whole)}.values():
                if frame in last:
                    seen.learn(seen.known, frame, seen.of(last[frame][0]))
        return [(f, self._told(*last[f], f) if f in last else None) for f in frames]

    def _told(self, points: Points, edges: Silhouette | None, frame: int) -> Carried:
        back = self._steady.given_back(points, frame)
        if edges is None:
            return Carried(back, 0.0, doubt=np.ones(len(points)))
        sure, doubt = told_by(points, edges, self._looks.on(self._steady.picture(frame), points), None)
        return Carried(back, sure, doubt=doubt)


def _sized(points: Points, share: float) -> Points:
    """An outline (N, 8) at another size."""
    return points if share == 1 else np.asarray(points * share)


def _edges_of(known: Uncovered, picture: Picture, points: Points, box: Corners) -> Silhouette:
    """The edges of the figure in a box of a frame, where an outline says where it may be."""
    return Silhouette(known.solid(picture, _raster(points, box), box).astype(np.float32), corner=box[:2])


def moved(before: Points, after: Points) -> float:
    """How far most of an outline (N, 8) went, in pixels."""
    return float(np.hypot(*np.median((after - before)[:, :2], axis=0)))


def _around(outlines: Sequence[Points], shape: tuple[int, ...]) -> Corners | None:
    boxes = [box for points in outlines if (box := box_around(points, shape)) is not None]
    if not boxes:
        return None
    low, high = np.min([b[:2] for b in boxes], axis=0), np.max([b[2:] for b in boxes], axis=0)
    return int(low[0]), int(low[1]), int(high[0]), int(high[1])


def _raster(points: Points, box: Corners) -> Matte:
    """An outline's matte in a box, (h, w)."""
    return np.asarray(coverage(points, Box(*box)), np.float32)


def _free(own: Matte) -> Mask:
    """What surely lies outside of a matte."""
    grown = cv2.dilate((own > 0.02).view(np.uint8), np.ones((2 * GROW + 1, 2 * GROW + 1), np.uint8))
    return np.asarray(grown == 0)


def _mended(solid: Mask, expected: Matte) -> Mask:
    """What is solid without the cracks inside of where it is expected: there it happens to look like what is behind."""
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * CRACK + 1, 2 * CRACK + 1))
    closed = cv2.morphologyEx(solid.view(np.uint8), cv2.MORPH_CLOSE, disc)
    inside = cv2.erode((expected > 0.5).view(np.uint8), np.ones((2 * GROW + 1, 2 * GROW + 1), np.uint8))
    return np.asarray(solid | ((closed > 0) & (inside > 0)))


def _within(where: Mask) -> Mask:
    """A mask without its border."""
    return np.asarray(cv2.erode(where.view(np.uint8), np.ones((3, 3), np.uint8)) > 0)
