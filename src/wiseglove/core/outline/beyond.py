"""Telling where what is inside an outline goes on outside it, up to an edge farther out.

A finger tip that comes out from behind the finger looks like the rest of it: nothing inside the outline changes, and near
its curve there is no edge any more that could be followed. Only the edge farther out tells of it.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_opening

from wiseglove.core.outline.edges import averaged, length, roots_of, seen_at
from wiseglove.core.outline.normals import Normals

Array = NDArray[np.float64]
Places = NDArray[np.bool_]
INSIDE = np.arange(-5.0, -2.0)
"""Where the colours inside are taken, in pixels outwards."""
FARTHEST = 10
"""How far out the end of the inside's colours is looked for, in pixels."""
FAINTEST = 1.0
"""What has to differ from the inside at the least, in roots of linear light (0..16), to end it."""
AT_THE_EDGE, OUT = 1.5, 3.0
"""Where the inside ends by this many pixels or fewer it ends at the outline, and by this many or more beyond it."""
JUMP = 2.0
"""By how much neighbours that lie on one edge may differ, in pixels."""
LEAST = 10.0
"""Length along the curve of what counts as a part, in pixels."""
FRAMES = 3
"""For how many frames it has to be there: lines of a background pass."""


def ends_of(picture: NDArray[np.uint8], along: Normals) -> Array:
    """How far outside each place the colours inside end, (M,) in whole pixels; NaN where they are not seen to end.

    picture: RGB (H, W, 3), encoded.
    """
    low = np.maximum(along.places.min(axis=0).astype(int) - FARTHEST - 4, 0)
    high = np.maximum(along.places.max(axis=0).astype(int) + FARTHEST + 5, low + 1)
    part = picture[low[1] : high[1], low[0] : high[0]]
    if part.size == 0:
        return np.full(len(along.places), np.nan)
    calm = np.asarray(cv2.GaussianBlur(part, (0, 0), 1.0), np.uint8)
    ticks = np.concatenate([INSIDE, np.arange(FARTHEST + 1.0)])
    seen = roots_of(seen_at(calm, (along.places - low)[:, None] + along.outward[:, None] * ticks[:, None]))
    inside = averaged(seen[:, : len(INSIDE)].mean(axis=1, dtype=np.float64), 3, closed=True)
    away = length(seen[:, len(INSIDE) :] - inside[:, None])
    most = away.max(axis=1)
    ended = away > most[:, None] / 2
    shown = ((along.places > FARTHEST) & (along.places < np.array(picture.shape[1::-1]) - FARTHEST)).all(axis=1)
    return np.where(shown & (most > FAINTEST), ended.argmax(axis=1), np.nan)


class Beyond:
    """Watches an outline that was right on its first frame."""

    def __init__(self, picture: NDArray[np.uint8], along: Normals) -> None:
        """picture: RGB (H, W, 3), encoded; along: places on the whole outline, in their order."""
        self._ended_here = ends_of(picture, along) <= AT_THE_EDGE
        self._before: list[Places] = []

    def seen(self, picture: NDArray[np.uint8], along: Normals, spacing: float) -> int | None:
        """The place at which a part has stuck out of the outline for FRAMES frames, of places `spacing` pixels apart."""
        ends = ends_of(picture, along)
        out = self._ended_here & (ends >= OUT) & (ends < FARTHEST)
        nearest = np.where(out, ends, 0.0)
        linked = out & np.roll(out, -1) & (np.abs(np.roll(nearest, -1) - nearest) <= JUMP)
        links = max(round(LEAST / spacing), 2) - 1
        longer = binary_opening(np.pad(linked, links, mode="wrap"), np.ones(links))[links:-links]
        part = longer | np.roll(longer, 1)
        self._before = [*self._before, part | np.roll(part, 1) | np.roll(part, -1)][-FRAMES:]
        stays = np.logical_and.reduce(self._before)
        if len(self._before) < FRAMES or not stays.any():
            return None
        return int(np.where(stays, nearest, -1.0).argmax())
