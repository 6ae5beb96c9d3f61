"""Looking a picture up at several places of each pixel, and of each moment of the exposure, and taking their mean.

OpenCV looks a strip of rows up at one place of each pixel after the other, and a compiled loop adds that up while it is in the
processor's cache.
"""

# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import kernels
from wiseglove.core.matte.coverage import Box, Matte
from wiseglove.core.parallel import rows_at_once

Layer = NDArray[np.float32]
Array = NDArray[np.float64]
AT_ONCE = 1 << 19
"""Places that are looked up at once; with many more, they do not stay in the cache."""
TOWARDS = 0.65
"""How far places go from an even grid towards those of Gauss and Legendre (decision 31: less and more are worse)."""
STEPS = (0.7548776662466927, 0.5698402909980532)
"""Steps of the R2 sequence: one over the plastic number, and its square."""


@lru_cache(maxsize=64)
def scattered(moments: int) -> Array:
    """A place in the pixel for each moment, (moments, 2) in 0..1, so that all of them fill it.

    The R2 sequence (M. Roberts, The unreasonable effectiveness of quasirandom sequences, 2018), its mean moved to the middle.
    """
    places = (0.5 + np.arange(moments)[:, None] * np.array(STEPS)) % 1.0
    return np.asarray(places + 0.5 - places.mean(axis=0))


def with_alpha(picture: Layer) -> Layer:
    """A picture (h, w, 3 or 4) with premultiplying alpha, (h, w, 4): 1 where it has none of its own."""
    if picture.shape[2] == 4:
        return np.ascontiguousarray(picture, np.float32)
    return np.asarray(cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2RGBA), np.float32)


@dataclass(frozen=True)
class Places:
    """Where a pixel is looked up, (N, 2) in 0..1, and how much each counts, (N,), together 1."""

    at: Array
    counts: Layer


@lru_cache(maxsize=32)
def grid(samples: int, even: bool) -> Places:
    """Places of a square grid, `samples` to each side.

    even: equally far from each other and counting the same, as for what was reduced to just as many pixels. Otherwise most of the
    way from there to the places and weights of Gauss and Legendre (Abramowitz & Stegun, table 25.4): what is looked up straight
    between pixels that are less dense than the places is smooth, and its mean is told two to four times as well.
    """
    places, counts = (np.arange(samples) + 0.5) / samples, np.full(samples, 1 / samples)
    if not even:
        nodes, weights = np.polynomial.legendre.leggauss(samples)
        places = places + (nodes / 2 + 0.5 - places) * TOWARDS
        counts = counts + (weights / 2 - counts) * TOWARDS
    at = np.stack([each.reshape(-1) for each in np.meshgrid(places, places)], axis=1)
    return Places(at, np.asarray(np.outer(counts, counts).reshape(-1), np.float32))


def one_each(moments: int) -> list[Places]:
    """One place for each moment, elsewhere in the pixel each time."""
    return [Places(place[None], np.ones(1, np.float32)) for place in scattered(moments)]


def still(source: Layer, to_source: Array, places: Places, covered: Matte, box: Box) -> tuple[Layer, Matte]:
    """What of a picture is seen in a box: colour (h, w, 3), unpremultiplied, and alpha (h, w).

    source (H, W, 4), premultiplied, goes on at its border. to_source (3, 3): where a place of the result lies in the source, in
    pixels whose first has its centre at 0. covered (h, w): the pane's alpha.
    """
    colour, alpha = np.empty((box.height, box.width, 3), np.float32), np.empty((box.height, box.width), np.float32)
    room, strips = _room(box, len(places.at))
    for part in strips:
        found, rows = _looked_up(source, to_source, places, part, box, room), part.slices
        _averaged(found, places.counts, covered[rows], colour[rows], alpha[rows])
    return colour, alpha


def exposed(source: Layer, to_source: Array, places: list[Places], covered: Layer, box: Box) -> tuple[Layer, Matte]:
    """The same as the mean of several moments: to_source (K, 3, 3), K sorts of as many places, covered (K, h, w)."""
    total = np.zeros((box.height, box.width, 4), np.float32)
    room, strips = _room(box, len(places[0].at))
    for part in strips:
        for matrix, here, pane in zip(to_source, places, covered, strict=True):
            found = _looked_up(source, matrix, here, part, box, room)
            _added(found, here.counts, pane[part.slices], total[part.slices])
    colour, alpha = np.empty((box.height, box.width, 3), np.float32), np.empty((box.height, box.width), np.float32)
    kernels.parted(total, np.float32(1 / len(to_source)), colour, alpha)
    return colour, alpha


def _room(box: Box, count: int) -> tuple[Layer, list[Box]]:
    """Memory for a strip at each of its places, and boxes of the strips, from the box's own corner.

    The memory is taken once: to be given new pages for each strip takes as long as looking it up.
    """
    rows = min(max(AT_ONCE // (box.width * count), 4), box.height)
    room = np.empty(rows * box.width * count * 4, np.float32)
    return room, [Box(0, top, box.width, min(top + rows, box.height)) for top in range(0, box.height, rows)]


def _looked_up(source: Layer, to_source: Array, places: Places, part: Box, box: Box, room: Layer) -> Layer:
    """A source over a part of the box at each of the places, (N, h, w * 4)."""
    found = room[: len(places.at) * part.height * part.width * 4].reshape(-1, part.height, part.width, 4)
    how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    for (x, y), out in zip(places.at, found, strict=True):
        to_result = np.array([[1, 0, box.left + part.left + x], [0, 1, box.top + part.top + y], [0, 0, 1.0]])
        cv2.warpPerspective(
            source, to_source @ to_result, (part.width, part.height), out, flags=how, borderMode=cv2.BORDER_REPLICATE
        )
    return found.reshape(len(found), part.height, -1)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _together(found, counts, y):
    """The weighted sum of the places' rows y, (w * 4,); a pass for each two of them."""
    total = np.empty(found.shape[2], np.float32)
    first, by = found[0, y], counts[0]
    for i in range(total.shape[0]):
        total[i] = first[i] * by
    for k in range(1, found.shape[0] - 1, 2):
        one, other, a, b = found[k, y], found[k + 1, y], counts[k], counts[k + 1]
        for i in range(total.shape[0]):
            total[i] += one[i] * a + other[i] * b
    if found.shape[0] % 2 == 0:
        last, by = found[-1, y], counts[-1]
        for i in range(total.shape[0]):
            total[i] += last[i] * by
    return total


@rows_at_once
def _averaged(found, counts, covered, colour, alpha):
    """The mean of each pixel's places, unpremultiplied, and its alpha within the pane's."""
    for y in nb.prange(colour.shape[0]):
        row = _together(found, counts, y)
        for x in range(colour.shape[1]):
            own = row[x * 4 + 3]
            by = np.float32(1) / max(own, np.float32(1e-6))
            for c in range(3):
                colour[y, x, c] = row[x * 4 + c] * by
            alpha[y, x] = own * covered[y, x]


@rows_at_once
def _added(found, counts, covered, total):
    """Adds the mean of each pixel's places, within the pane's alpha, to a total; premultiplied (h, w, 4)."""
    for y in nb.prange(total.shape[0]):
        row = _together(found, counts, y)
        for x in range(total.shape[1]):
            by = covered[y, x]
            for c in range(4):
                total[y, x, c] += row[x * 4 + c] * by
