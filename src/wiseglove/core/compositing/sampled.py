"""Looking a picture up at several places of each pixel, and of each moment of the exposure, and taking their mean.

OpenCV looks a strip of rows up on a finer grid, and a compiled loop adds that up while it is in the processor's cache.
"""

# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

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
AT_ONCE = 1 << 18
"""Places that are looked up at once; with many more, they do not stay in the cache."""
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


def still(source: Layer, to_source: Array, samples: int, covered: Matte, box: Box) -> tuple[Layer, Matte]:
    """What of a picture is seen in a box: colour (h, w, 3), unpremultiplied, and alpha (h, w).

    source (H, W, 4), premultiplied, goes on at its border. to_source (3, 3): where a place of the result lies in the source, in
    pixels whose first has its centre at 0. samples: per pixel and axis. covered (h, w): the pane's alpha.
    """
    colour, alpha = np.empty((box.height, box.width, 3), np.float32), np.empty((box.height, box.width), np.float32)
    room, strips = _room(box, samples)
    for part in strips:
        fine = _looked_up(source, to_source, samples, part, box, (0.5 / samples, 0.5 / samples), room)
        rows = part.slices
        _averaged(fine, samples, covered[rows], colour[rows], alpha[rows])
    return colour, alpha


def exposed(source: Layer, to_source: Array, samples: int, covered: Layer, box: Box) -> tuple[Layer, Matte]:
    """The same as the mean of several moments: to_source (K, 3, 3), covered (K, h, w).

    samples: per pixel and axis at each moment; a single one lies elsewhere in the pixel each time.
    """
    moments = len(to_source)
    first = scattered(moments) if samples == 1 else np.full((moments, 2), 0.5 / samples)
    total = np.zeros((box.height, box.width, 4), np.float32)
    room, strips = _room(box, samples)
    for part in strips:
        for matrix, place, pane in zip(to_source, first, covered, strict=True):
            fine = _looked_up(source, matrix, samples, part, box, place, room)
            _added(fine, samples, pane[part.slices], total[part.slices])
    colour, alpha = np.empty((box.height, box.width, 3), np.float32), np.empty((box.height, box.width), np.float32)
    kernels.parted(total, np.float32(1 / (moments * samples * samples)), colour, alpha)
    return colour, alpha


def _room(box: Box, samples: int) -> tuple[Layer, list[Box]]:
    """Memory for a strip's finer grid, and boxes of the strips, from the box's own corner.

    The memory is taken once: to be given new pages for each strip takes as long as looking it up.
    """
    rows = max(AT_ONCE // (box.width * samples * samples), 4)
    room = np.empty(rows * box.width * samples * samples * 4, np.float32)
    return room, [Box(0, top, box.width, min(top + rows, box.height)) for top in range(0, box.height, rows)]


def _looked_up(
    source: Layer, to_source: Array, samples: int, part: Box, box: Box, first: tuple[float, float] | Array, room: Layer
) -> Layer:
    """A source on a grid over a part of the box, (h * samples, w * samples, 4); first: its first place within a pixel."""
    to_result = np.array(
        [
            [1 / samples, 0, box.left + part.left + first[0]],
            [0, 1 / samples, box.top + part.top + first[1]],
            [0, 0, 1.0],
        ]
    )
    size = (part.width * samples, part.height * samples)
    how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    found = room[: size[0] * size[1] * 4].reshape(size[1], size[0], 4)
    cv2.warpPerspective(source, to_source @ to_result, size, found, flags=how, borderMode=cv2.BORDER_REPLICATE)
    return found


@nb.njit(cache=True, nogil=True, fastmath=True)
def _rows_together(rows, samples):
    """The sum of `samples` rows that lie one after the other, (n,); a pass for each usual number of them."""
    count = rows.shape[0] // samples
    total = np.empty(count, np.float32)
    if samples == 1:
        for i in range(count):
            total[i] = rows[i]
    elif samples == 2:
        for i in range(count):
            total[i] = rows[i] + rows[count + i]
    elif samples == 3:
        for i in range(count):
            total[i] = rows[i] + rows[count + i] + rows[2 * count + i]
    elif samples == 4:
        for i in range(count):
            total[i] = rows[i] + rows[count + i] + rows[2 * count + i] + rows[3 * count + i]
    else:
        for i in range(count):
            total[i] = rows[i] + rows[count + i] + rows[2 * count + i] + rows[3 * count + i] + rows[4 * count + i]
        for j in range(5, samples):
            for i in range(count):
                total[i] += rows[j * count + i]
    return total


@rows_at_once
def _averaged(fine, samples, covered, colour, alpha):
    """The mean of each pixel's samples, unpremultiplied, and its alpha within the pane's."""
    share = np.float32(1 / (samples * samples))
    for y in nb.prange(colour.shape[0]):
        row = _rows_together(fine[y * samples : (y + 1) * samples].reshape(-1), samples)
        for x in range(colour.shape[1]):
            at = x * samples * 4
            r, g, b, own = row[at], row[at + 1], row[at + 2], row[at + 3]
            for i in range(at + 4, at + samples * 4, 4):
                r += row[i]
                g += row[i + 1]
                b += row[i + 2]
                own += row[i + 3]
            by = np.float32(1) / max(own, np.float32(1e-6))
            colour[y, x, 0], colour[y, x, 1], colour[y, x, 2] = r * by, g * by, b * by
            alpha[y, x] = own * share * covered[y, x]


@rows_at_once
def _added(fine, samples, covered, total):
    """Adds the samples of each pixel, within the pane's alpha, to a total; premultiplied (h, w, 4)."""
    for y in nb.prange(total.shape[0]):
        row = _rows_together(fine[y * samples : (y + 1) * samples].reshape(-1), samples)
        for x in range(total.shape[1]):
            by = covered[y, x]
            for i in range(x * samples * 4, (x + 1) * samples * 4, 4):
                for c in range(4):
                    total[y, x, c] += row[i + c] * by
