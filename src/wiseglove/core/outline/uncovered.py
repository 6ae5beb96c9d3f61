"""What is behind a figure that passes before something that stands, of which no picture was made: it is learned on the way.

Outside the figure on its key is what is behind, for certain. What the figure goes over is known from there; what it leaves
is seen on the frames after that, outside the outline that was found; and what opens inside it (between two legs) is what
stands still there while it would differ if it went along. Where a pixel was never uncovered, it is the figure's or not as the
picture's own edges divide it (watershed, Meyer 1994), flooded from what is sure.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.clean import LEAST_NOISE, Behind
from wiseglove.core.behind.difference import Differing, differing, with_edges
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.matte.coverage import Box, coverage

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Matte = NDArray[np.float32]
Mask = NDArray[np.bool_]
Corners = tuple[int, int, int, int]
Still = tuple[NDArray[np.float32], Mask]
"""What a box of a frame shows, (h, w, 3), and where that stands still, (h, w)."""
GROW = 3
"""Pixels around an outline that are not believed to be behind it."""
AROUND = 5
"""Pixels over which frames are compared."""
ALIKE, UNLIKE = 2.5, 12.0
"""Mean square difference in units of what noise makes, up to which two frames are alike, and from which they are not."""
OPEN = 10
"""Pixels around an outline in which what is not known may be the figure's as well."""
CRACK = 5
"""Half as wide as a crack may be in what is solid, in pixels."""
CALMED = 4.0
"""Levels of noise for which a picture is smoothed by one pixel more before its edges divide it."""


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
        self._keys = [(key, raster(points, whole)) for key, points in keys.values()]
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
        self._take(picture, _free(raster(points, box)), box)

    def without(self, picture: Picture, points: Points, box: Corners) -> Uncovered:
        """This in a box alone, as if what lies outside an outline on a frame had not been learned: no frame is told by itself."""
        part, other = Box(*box).slices, object.__new__(Uncovered)
        other.noise, other._certain = self.noise, self._certain[part]
        other._keys = [(key[part], own[part]) for key, own in self._keys]
        other._total, other._count = np.empty_like(self._total[part]), np.empty_like(self._count[part])
        own = _free(raster(points, box)) & ~other._certain
        _left_out(picture[part], own, self._total[part], self._count[part], other._total, other._count)
        return other

    def learn_still(self, still: Sequence[Still], box: Corners) -> None:
        """What stands still between frames, by where in a box each of these shows it: see `standing`."""
        for picture, stands in still:
            self._take(picture, stands, box)

    def standing(self, pictures: tuple[Picture, Picture], way: Array, box: Corners) -> list[Still]:
        """What stands still between two neighbouring frames and would differ, had it gone along with the figure by `way` (2,).

        What a key's figure shows in the same place may be the figure's, and is not believed.
        """
        out = []
        one, two = (p[Box(*box).slices].astype(np.float32) for p in pictures)
        still = self._unlike(one, two) < ALIKE
        for now, other, along in ((one, two, way), (two, one, -way)):
            move = np.array([[1, 0, along[0]], [0, 1, along[1]]], np.float64)
            size = (now.shape[1], now.shape[0])
            gone = cv2.warpAffine(other, move, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
            stands = still & (self._unlike(now, np.asarray(gone, np.float32)) > UNLIKE)
            for key, _ in self._keys:
                stands &= self._unlike(now, key[Box(*box).slices].astype(np.float32)) > UNLIKE
            out.append((now, stands))
        return out

    def solid(self, picture: Picture, expected: Matte, box: Corners) -> Mask:
        """The figure in a box of a frame with hard edges, (h, w); expected (h, w) is where it may be."""
        return _mended(self.differing(picture, expected, box).solid, expected)

    def differing(self, picture: Picture, expected: Matte, box: Corners) -> Differing:
        """Where a box of a frame differs from what is behind; where that is not known, expected (h, w) is where the figure may be."""
        return differing(picture[Box(*box).slices].astype(np.float32), self.behind(box), expected)

    def divided(
        self, picture: Picture, told: Differing, expected: Matte, beside: Sequence[Picture], box: Corners
    ) -> Matte:
        """The figure in a box of a frame, (h, w), 0..1, where what is not known is divided by the picture's edges.

        told: where the frame differs; expected (h, w): where the figure may be; beside: neighbouring frames.
        """
        part, known, now = Box(*box).slices, told.known, told.frame
        solid = _mended(told.solid, expected)
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


def softened(told: Differing, otherwise: Matte) -> Matte:
    """What differs with its edges, (h, w), 0..1, where what is not known is `otherwise` (h, w)."""
    whole = told._replace(solid=np.where(told.known, told.solid, otherwise > 0.5))
    return np.where(told.known, with_edges(whole), otherwise)


@nb.njit(cache=True, nogil=True)
def _left_out(colours, where, total, count, without, times):  # type: ignore[no-untyped-def]
    """What was added up (h, w, 3), and how often (h, w), without these colours in some places (h, w), into the last two."""
    for y in range(count.shape[0]):
        for x in range(count.shape[1]):
            less = where[y, x] and count[y, x] > 0
            times[y, x] = count[y, x] - less
            for c in range(3):
                without[y, x, c] = total[y, x, c] - (np.float32(colours[y, x, c]) if less else np.float32(0))


def raster(points: Points, box: Corners) -> Matte:
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
