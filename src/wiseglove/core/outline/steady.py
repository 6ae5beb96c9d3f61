"""A plate held still: its frames as the camera would see them that stands as it did on one of them."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points, flatten
from wiseglove.core.geometry.homography import apply
from wiseglove.core.outline.carry import grey_of

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Grey = NDArray[np.uint8]
FEATURES, APART, FEW = 300, 12, 30
"""Features that are followed, pixels between them, and how few tell nothing."""
AWAY = 24
"""Pixels around what moves from which none are taken."""
BACK, OFF, AGREE = 0.5, 1.0, 0.6
"""Pixels by which a feature may miss itself on the way back, and be off the common motion; the share that has to agree."""
KEPT = 24
"""Pictures held still that are kept."""
WINDOW, LEVELS = (15, 15), 3
STANDS = 0.12
"""Pixels of middle motion up to which a camera stands."""
SOFT, STEEP, MANY = 1.5, 1.5, 400
"""Smoothing, in pixels, before slopes tell whether it stands; levels a pixel from which they do, and how many pixels have to."""
HALF, LEVELS_OFF = 0.5, 2.0
"""Pixels, and levels, by which what has slopes may be off."""


class LostError(ValueError):
    """What stands cannot be told on a frame."""


class Steady:
    """Frames and outlines of a plate in the coordinates of the frame `at`, on which an outline (N, 8) covers what moves.

    Several threads may ask at once.
    """

    def __init__(self, picture_at: Callable[[int], Picture], at: int, points: Points) -> None:
        self._picture_at = picture_at
        picture = picture_at(at)
        self._key = grey_of(picture)
        free = np.full(self._key.shape, 255, np.uint8)
        cv2.fillPoly(free, [np.round(flatten(points, 0.5)).astype(np.int32)], 0)
        away = cv2.erode(free, np.ones((2 * AWAY + 1, 2 * AWAY + 1), np.uint8))
        self._soft = cv2.GaussianBlur(self._key.astype(np.float32), (0, 0), SOFT)
        slopes = cv2.magnitude(*(cv2.Sobel(self._soft, -1, *d, scale=0.125) for d in ((1, 0), (0, 1))))
        self._slopes = np.where(away > 0, slopes, 0)
        found = cv2.goodFeaturesToTrack(self._key, FEATURES, 0.01, APART, mask=away)
        self._places = np.zeros((0, 1, 2), np.float32) if found is None else found
        self._ways: dict[int, Array | None] = {at: np.eye(3)}
        self._finding = Lock()
        self._held = lru_cache(maxsize=KEPT)(self._hold)

    def way(self, frame: int) -> Array | None:
        """The homography (3, 3) from the frame `at` to another; None where what stands does not tell it."""
        with self._finding:
            if frame not in self._ways:
                self._ways[frame] = self._found(frame)
            return self._ways[frame]

    def _found(self, frame: int) -> Array | None:
        way = self._by_features(frame)
        return np.eye(3) if way is None and self._stands(grey_of(self._picture_at(frame))) else way

    def _stands(self, now: Grey) -> bool:
        """Whether what has slopes is where it was: a bare wall has no features, and along its foot they slide."""
        told = self._slopes > STEEP
        off = np.abs(cv2.GaussianBlur(now.astype(np.float32), (0, 0), SOFT) - self._soft)[told]
        return bool(off.size > MANY and (off < HALF * self._slopes[told] + LEVELS_OFF).mean() > AGREE)

    def _by_features(self, frame: int) -> Array | None:
        near = min((f for f, way in self._ways.items() if way is not None), key=lambda f: abs(f - frame))
        guess, now = self._ways[near], grey_of(self._picture_at(frame))
        if len(self._places) < FEW or guess is None:
            return None
        begin = apply(guess, self._places[:, 0].astype(np.float64)).astype(np.float32)[:, None]
        there, ok, _ = cv2.calcOpticalFlowPyrLK(
            self._key,
            now,
            self._places,
            begin.copy(),
            winSize=WINDOW,
            maxLevel=LEVELS,
            flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
        )
        back, ok_back, _ = cv2.calcOpticalFlowPyrLK(
            now, self._key, there, np.zeros_like(there), winSize=WINDOW, maxLevel=LEVELS
        )
        missed = np.linalg.norm((back - self._places)[:, 0], axis=1)
        good = (ok[:, 0] > 0) & (ok_back[:, 0] > 0) & (missed < BACK)
        if good.sum() < FEW:
            return None
        start, end = self._places[good, 0], there[good, 0]
        moved = np.linalg.norm(end - start, axis=1)
        if np.median(moved) < STANDS and (moved < OFF).mean() > AGREE:
            return np.eye(3)
        matrix, kept = cv2.findHomography(start, end, cv2.RANSAC, OFF)
        return None if matrix is None or kept.mean() < AGREE else np.asarray(matrix, np.float64)

    def picture(self, frame: int) -> Picture:
        """A frame (h, w, 3) as that camera would see it, black beyond its edges. Raises LostError where `way` has none."""
        way = self.way(frame)
        if way is None:
            raise LostError(f"the motion of what stands is not known on frame {frame}")
        return self._picture_at(frame) if np.array_equal(way, np.eye(3)) else self._held(frame)

    def _hold(self, frame: int) -> Picture:
        picture, way = self._picture_at(frame), self.way(frame)
        assert way is not None
        size = (picture.shape[1], picture.shape[0])
        held = cv2.warpPerspective(picture, way, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
        return np.asarray(held, np.uint8)

    def held(self, points: Points, frame: int) -> Points:
        """An outline (N, 8) of a frame as that camera would see it."""
        way = self.way(frame)
        return points if way is None else _taken(np.asarray(np.linalg.inv(way), np.float64), points)

    def given_back(self, points: Points, frame: int) -> Points:
        """An outline (N, 8) that that camera would see, as it is on a frame."""
        way = self.way(frame)
        return points if way is None else _taken(way, points)


def _taken(way: Array, points: Points) -> Points:
    """An outline under a homography: its points and the ends of its handles."""
    if np.array_equal(way, np.eye(3)):
        return points
    out = points.copy()
    out[:, :2] = apply(way, points[:, :2])
    for c in (2, 4):
        out[:, c : c + 2] = apply(way, points[:, :2] + points[:, c : c + 2]) - out[:, :2]
    return out
