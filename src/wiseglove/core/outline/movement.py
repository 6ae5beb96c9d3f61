"""Where an outline goes with what is seen to move just inside it: as one thing, or piece by piece, whichever looks more alike.

Features are followed by Lucas & Kanade 1981 in pyramids (Bouguet 2001), each checked by following it back. What is lost at
first (a foot that swings fast) is looked for once more where the others' common similarity would have brought it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.edges import averaged
from wiseglove.core.outline.normals import follow, normals_of

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
WINDOW, LEVELS = 15, 4
AGAIN_WINDOW, AGAIN_LEVELS = 21, 1
"""The same for a second look, which begins near."""
BACK = 0.7
"""A feature that does not come back to within this many pixels is not believed."""
ALIKE, HARDLY_ALIKE = 0.6, 0.4
"""Correlation of a feature's surroundings from which a second look is believed, and below which nothing is."""
AROUND = 5
"""Pixels around a feature that are compared."""
PLAIN = 60.0
"""Spread of grey levels, summed over these pixels, that tells nothing."""
FEW = 8
"""Features below which nothing can be said."""
NEARBY = 14.0
"""Reach of a feature along the curve, in pixels."""
FEATURES_APART = 5.0
PIECE = 9
"""Features that a place goes with, where the thing moves in pieces."""
TOGETHER = 0.8
"""How much less alike moving as one thing may look and still be taken: what is in front of it moves in pieces too."""


def followed(before: Picture, after: Picture, places: Array) -> tuple[Array, NDArray[np.bool_]]:
    """Where places (M, 2) of a grey picture are on the next one, and which of them (M,) are believed."""
    return _searched(before, after, places, None, WINDOW, LEVELS)


def followed_twice(
    before: Picture, after: Picture, places: Array
) -> Iterator[tuple[Array, NDArray[np.bool_], Array | None]]:
    """As `followed`, and then with a second look at what was lost; each with the similarity (2, 3) of most of them."""
    moved, believed = followed(before, after, places)
    common = _common(places, moved, believed)
    yield moved, believed, common
    if common is None:
        return
    near, found = _searched(before, after, places, places @ common[:, :2].T + common[:, 2], AGAIN_WINDOW, AGAIN_LEVELS)
    alike, alike_before = _alike(before, after, places, near), _alike(before, after, places, moved)
    better = found & (alike > ALIKE) & (~believed | (alike > alike_before))
    moved = np.where(better[:, None], near, moved)
    believed = (believed | better) & (np.where(better, alike, alike_before) > HARDLY_ALIKE)
    yield moved, believed, _common(places, moved, believed)


def _searched(
    before: Picture, after: Picture, places: Array, guess: Array | None, window: int, levels: int
) -> tuple[Array, NDArray[np.bool_]]:
    # Pixel centres lie on whole numbers in OpenCV.
    start = np.ascontiguousarray((places - 0.5)[:, None], np.float32)
    there: Any = None if guess is None else np.ascontiguousarray((guess - 0.5)[:, None], np.float32)
    home: Any = None if guess is None else start.copy()
    how: Any = {"winSize": (window, window), "maxLevel": levels, "flags": 0 if guess is None else cv2.OPTFLOW_USE_INITIAL_FLOW}  # fmt: skip
    there, found, _ = cv2.calcOpticalFlowPyrLK(before, after, start, there, **how)
    back, found_back, _ = cv2.calcOpticalFlowPyrLK(after, before, there, home, **how)
    close = np.linalg.norm(back - start, axis=2)[:, 0] < BACK
    return there[:, 0].astype(np.float64) + 0.5, close & (found[:, 0] > 0) & (found_back[:, 0] > 0)


def _common(places: Array, moved: Array, believed: NDArray[np.bool_]) -> Array | None:
    if believed.sum() < FEW:
        return None
    found, _ = cv2.estimateAffinePartial2D(places[believed], moved[believed], method=cv2.RANSAC, ransacReprojThreshold=3.0)  # fmt: skip
    return None if found is None else np.asarray(found, np.float64)


def _alike(before: Picture, after: Picture, places: Array, moved: Array) -> Array:
    """Correlation (M,) of the surroundings of places before with those of where they went, nearly 0 where these are plain."""
    steps = np.arange(-AROUND, AROUND + 1)
    off = np.stack(np.meshgrid(steps, steps), axis=-1).reshape(-1, 2) - 0.5

    def around(picture: Picture, at: Array) -> Array:
        spots = (at[:, None] + off).astype(np.float32)
        seen = cv2.remap(picture, spots[..., 0], spots[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        values = seen.astype(np.float64)
        return np.asarray(values - values.mean(axis=1, keepdims=True))

    one, other = around(before, places), around(after, moved)
    spread = np.sqrt((one**2).sum(axis=1) * (other**2).sum(axis=1))
    return np.asarray((one * other).sum(axis=1) / (spread + PLAIN))


def gone_along(points: Points, kinds: list[str], warp: Array, start: Array, end: Array) -> Points:
    """The outline moved by a common similarity (2, 3), and place by place by what is left of its features near it."""
    turn = warp[:, :2]
    points = points.copy()
    points[:, :2] = points[:, :2] @ turn.T + warp[:, 2]
    points[:, 2:4], points[:, 4:6] = points[:, 2:4] @ turn.T, points[:, 4:6] @ turn.T
    rest = end - (start @ turn.T + warp[:, 2])
    honest = np.linalg.norm(rest, axis=1) < 3.0
    along = normals_of(points, list(range(len(points))), FEATURES_APART)
    away = cdist(along.places, end[honest], "sqeuclidean")
    weight = np.exp(-away / (2 * NEARBY**2))
    shift = (weight @ rest[honest]) / (weight.sum(axis=1, keepdims=True) + 0.5)
    return follow(points, along, along.places + shift, np.ones(len(points), bool), kinds)


def gone_by_pieces(points: Points, kinds: list[str], start: Array, end: Array) -> Points:
    """The outline moved place by place with the features nearest to it, whatever the others do; the middle of them."""
    along = normals_of(points, list(range(len(points))), FEATURES_APART)
    nearest = np.argsort(cdist(along.places, start), axis=1)[:, :PIECE]
    shift = np.median((end - start)[nearest], axis=1)
    soft = np.stack([averaged(shift[:, c], 2, closed=True) for c in range(2)], axis=1)
    return follow(points, along, along.places + soft, np.ones(len(points), bool), kinds)
