"""Where an outline's inside is looked for when it is not where the outline is: as a whole, and then stretch by stretch.

An outline that lies elsewhere looks as its keys do inside of it, and unlike that outside of it. Both count: the inside of a thing
of one colour looks alike wherever in it the outline lies. Looked for in a small picture, coarsely over the whole reach, then
around the best, and then each stretch around what all have in common.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.edges import roots_of
from wiseglove.core.outline.normals import Normals
from wiseglove.core.outline.snap import SMEARED, crop

Array = NDArray[np.float64]
Layer = NDArray[np.float32]
Picture = NDArray[np.uint8]
INSIDE, OUTSIDE = (4.0, 9.0), (-5.0, -9.0)
"""How far inside and outside colours are compared, in pixels."""
FAR, STEP, FINE, SMALLER = 72, 8, 2, 0.25
"""How far the whole outline is looked for elsewhere, in which steps, first and then, in pixels; in a picture of which size."""
APART, PIECE = 48, 0.25
"""How far a stretch may lie from the rest, in pixels, and how long it is, in shares of the outline."""
MOST_COMPARED = 100
"""Places of an outline that are compared."""
MOST_UNLIKE = 0.5
"""Unlikeness, in shares of the range of colours inside, that counts as no worse than this."""
LACKS = 0.3
"""What it costs that the outside looks too much like the inside, beside that the inside looks unlike it."""
ALIKE, NEARER = 0.03, 0.0006
"""Mean cost up to which nothing is looked for, and what each pixel of the way counts as."""
ELSEWHERE, ELSEWHERE_ITSELF = 0.02, 0.015
"""By how much less an outline, and a stretch of it, has to cost elsewhere."""
BY_ITSELF = 0.7
"""What a pixel of a stretch's own way counts as, beside one of the whole outline's."""


def elsewhere(picture: Picture, along: Normals, travel: Array, inside: Array, beyond: Array, scale: float) -> Array:
    """How far each of M places of an outline seems to lie from where its keys' surroundings are seen, (M, 2), pixels.

    picture: RGB (H, W, 3); travel (M,): pixels across the edge in a frame; inside (M, 2, 3): roots of linear light at INSIDE on
    the keys; beyond (M,): how unlike that the outside is on the keys, and scale: the range of the inside, both in such roots.
    """
    count = len(along.t)
    left, top, part = crop(picture, along.places, FAR + 24)
    nothing = np.zeros((count, 2))
    if min(part.shape[:2]) < STEP / SMALLER:
        return nothing
    small = cv2.resize(part, None, fx=SMALLER, fy=SMALLER, interpolation=cv2.INTER_AREA)
    layer = np.ascontiguousarray(roots_of(np.asarray(small, np.uint8)), np.float32)
    few = np.arange(0, count, max(count // MOST_COMPARED, 1))
    depths = np.concatenate([INSIDE + SMEARED * travel[few, None], np.tile(OUTSIDE, (len(few), 1))], axis=1)
    places = along.places[few, None] - along.outward[few, None] * depths[..., None] - (left, top)
    want = inside[few].astype(np.float32)
    outer = np.repeat(want.mean(axis=1, keepdims=True), len(OUTSIDE), axis=1)
    seen = (
        layer,
        np.asarray(places * SMALLER - 0.5, np.float32),  # OpenCV's pixel centres lie on whole numbers
        np.concatenate([want, outer], axis=1),
        np.minimum(beyond[few] / scale, MOST_UNLIKE).astype(np.float32),
    )

    def costs(shifts: Array) -> Layer:
        out = np.empty((len(shifts), len(few)), np.float32)
        _costs(*seen, (shifts * SMALLER).astype(np.float32), np.float32(1 / scale), np.float32(LACKS), out)
        return out

    here = float(costs(np.zeros((1, 2))).mean())
    if here < ALIKE:
        return nothing
    common = np.zeros(2)
    for reach, step in ((FAR, STEP), (STEP - FINE, FINE)):
        tried = _around(common, reach, step)
        found = costs(tried).mean(axis=1) + NEARER * np.linalg.norm(tried, axis=1)
        common, least = tried[int(found.argmin())], float(found.min())
    if least > here - ELSEWHERE:
        common = np.zeros(2)
    own = _stretches(costs, common, len(few))
    ends = np.append(few, count)
    return np.stack([np.interp(np.arange(count), ends, np.append(own[:, c], own[0, c])) for c in range(2)], axis=1)


def _stretches(costs, common: Array, count: int) -> Array:  # type: ignore[no-untyped-def]
    """Where the stretch around each of some places lies, (M, 2), near where all of them lie in common."""
    shifts = _around(common, APART, STEP)
    each = costs(shifts)
    reach = max(round(PIECE * count) // 2, 2)
    share = np.hanning(2 * reach + 3)[1:-1].astype(np.float32)
    around = np.concatenate([each[:, -reach:], each, each[:, :reach]], axis=1)
    calm = cv2.sepFilter2D(around, -1, share / share.sum(), np.ones(1, np.float32))[:, reach : reach + count]
    far = BY_ITSELF * NEARER * np.linalg.norm(shifts - common, axis=1)
    best = (calm + far[:, None]).argmin(axis=0)
    gain = calm[len(shifts) // 2] - calm[best, np.arange(count)]
    return np.where((gain > ELSEWHERE_ITSELF)[:, None], shifts[best], common)


def _around(middle: Array, reach: float, step: float) -> Array:
    """Shifts (S, 2) in steps around one, which is the middle of them."""
    ticks = np.arange(-reach, reach + 1, step, dtype=np.float64)
    return np.asarray(middle + np.stack(np.meshgrid(ticks, ticks), axis=-1).reshape(-1, 2))


@nb.njit(cache=True, nogil=True, fastmath=True)
def _costs(layer, places, want, beyond, shifts, scale, lacks, out):  # type: ignore[no-untyped-def]
    """What each shift (S, 2) costs each of K places, (S, K), where colours want (K, D, 3) are looked for at places (K, D, 2).

    Of the D places of each the first half is to look alike, and the others are to look `beyond` (K,) unlike, at least.
    """
    right, bottom = np.float32(layer.shape[1] - 1.001), np.float32(layer.shape[0] - 1.001)
    depths = places.shape[1]
    half = depths // 2
    for s in range(len(shifts)):
        for k in range(len(places)):
            unlike, outside = np.float32(0), np.float32(0)
            for d in range(depths):
                x = min(max(places[k, d, 0] + shifts[s, 0], np.float32(0)), right)
                y = min(max(places[k, d, 1] + shifts[s, 1], np.float32(0)), bottom)
                i, j = int(x), int(y)
                across, down = x - np.float32(i), y - np.float32(j)
                square = np.float32(0)
                for c in range(3):
                    above = layer[j, i, c] + (layer[j, i + 1, c] - layer[j, i, c]) * across
                    below = layer[j + 1, i, c] + (layer[j + 1, i + 1, c] - layer[j + 1, i, c]) * across
                    off = above + (below - above) * down - want[k, d, c]
                    square += off * off
                away = min(np.sqrt(square) * scale, np.float32(MOST_UNLIKE))
                if d < half:
                    unlike += away
                else:
                    outside += away
            missing = max(beyond[k] - outside / np.float32(depths - half), np.float32(0))
            out[s, k] = unlike / np.float32(half) + lacks * missing
