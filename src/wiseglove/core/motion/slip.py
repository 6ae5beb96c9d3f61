"""How well a motion holds, in numbers: slip of the picture against it, and jitter of its own."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply

Array = NDArray[np.float64]
Picture = NDArray[np.float32]
MOST = 160
"""Features that are looked at."""
FEWEST = 6
ROUND = 0.4
"""Pixels by which a feature may miss its start when it is followed there and back."""
AROUND = 24


class Slip:
    """Features of a patch on the reference, looked for again where a motion says that they are.

    The frame is unrolled to the reference by the motion, and the features are followed into it (pyramidal
    Lucas-Kanade, Bouguet 2001), so this has nothing in common with how a plane is solved.
    """

    def __init__(self, picture: Picture, mask: Picture) -> None:
        """picture: (h, w), 0..255; mask: what counts on it, 1 or 0."""
        ys, xs = np.nonzero(mask > 0.5)
        self._empty = len(xs) == 0
        if self._empty:
            return
        height, width = picture.shape
        self._left, self._top = max(int(xs.min()) - AROUND, 0), max(int(ys.min()) - AROUND, 0)
        right, bottom = min(int(xs.max()) + AROUND, width), min(int(ys.max()) + AROUND, height)
        self._size = (right - self._left, bottom - self._top)
        part = (slice(self._top, bottom), slice(self._left, right))
        self._picture = _bytes(picture[part])
        inside = (mask[part] > 0.5).astype(np.uint8)
        found = cv2.goodFeaturesToTrack(self._picture, MOST, 0.02, 7, mask=inside)
        self._places = np.empty((0, 1, 2), np.float32) if found is None else np.asarray(found, np.float32)

    def of(self, picture: Picture, matrix: Array, ignore: Picture | None = None) -> float | None:
        """Middle distance in px of the frame by which features are off; None where too few of them are seen.

        matrix: reference to frame (3, 3). ignore: (h, w) of the frame, 1 where something is in front.
        """
        if self._empty or len(self._places) < FEWEST:
            return None
        half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
        shift = np.array([[1, 0, self._left], [0, 1, self._top], [0, 0, 1.0]])
        # Pixel centres lie at one half, OpenCV's at whole numbers.
        back = np.linalg.inv(half) @ matrix @ half @ shift
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        unrolled = cv2.warpPerspective(picture, back, self._size, flags=flags)
        seen = np.ones_like(picture) if ignore is None else 1 - ignore
        there = cv2.warpPerspective(np.asarray(seen, np.float32), back, self._size, flags=flags)
        flat = _bytes(np.asarray(unrolled, np.float32))
        moved, followed = _followed(self._picture, flat, self._places)
        again, followed_back = _followed(flat, self._picture, moved)
        keep = followed & followed_back
        keep &= np.linalg.norm((again - self._places).reshape(-1, 2), axis=1) < ROUND
        at = np.round(self._places.reshape(-1, 2)).astype(int)
        keep &= cv2.erode(there, np.ones((15, 15), np.uint8))[at[:, 1], at[:, 0]] > 0.99
        if keep.sum() < FEWEST:
            return None
        origin = np.array([self._left + 0.5, self._top + 0.5])
        was = apply(matrix, self._places.reshape(-1, 2)[keep].astype(np.float64) + origin)
        is_ = apply(matrix, moved.reshape(-1, 2)[keep].astype(np.float64) + origin)
        return float(np.median(np.linalg.norm(is_ - was, axis=1)))


def _followed(one: NDArray[np.uint8], other: NDArray[np.uint8], places: Picture) -> tuple[Picture, NDArray[np.bool_]]:
    """Where places (N, 1, 2) of one picture are in the other, and whether they were found."""
    moved, found, _ = cv2.calcOpticalFlowPyrLK(one, other, places, np.empty_like(places), winSize=(15, 15), maxLevel=2)
    return np.asarray(moved, np.float32), np.asarray(found).ravel() == 1


def jitter(quads: Array) -> Array:
    """How much corners (T, 4, 2) shake on each frame, (T,): length of their second difference, of the worst corner.

    The ends take that of their neighbours; a steady motion has none.
    """
    if len(quads) < 3:
        return np.zeros(len(quads))
    bend = np.linalg.norm(np.diff(quads, 2, axis=0), axis=-1).max(axis=1)
    return np.concatenate([bend[:1], bend, bend[-1:]])


def _bytes(picture: Picture) -> NDArray[np.uint8]:
    return np.asarray(np.clip(np.round(picture), 0, 255), np.uint8)
