"""Where the edge of what covers a known picture is smeared widely, by something fast, so that its own colour lies far inside."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.distances import distance, nearest_of

Picture = NDArray[np.float32]
SMALLER = 2
"""How many pixels are one in the picture in which smears are looked for."""
FAR_IN = 40
"""Pixels inside from which the colour of a thing is taken whose edge is smeared."""
BEFORE, STEP = 8, 4
"""Pixels outside of an edge from which the way into it is looked at, and the steps."""
STARTS, STEEP, ENDS = 0.45, 0.5, 0.8
"""Share of the thing's colour there is at most where a smear starts, gains at most in two steps, and has at least where it ends."""
OFF = (3.0, 6.0)
"""Times the noise, and levels more, by which colours on the way are off from mixtures of both ends at most, in the mean."""
ALONG, MOST = 31, 0.6
"""Pixels along an edge over which it is asked, and the share of it that has to be smeared."""
SLANT = 1.15
"""How much longer than straight the way inside may be: else the thing is thin there."""


def smeared(
    frame: Picture, empty: Picture, solid: NDArray[np.bool_], known: NDArray[np.bool_], noise: float
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], Picture] | None:
    """Where a pixel lies at a smeared edge, where the colour of what is smeared is found, and how far inside it is, in pixels, all (h, w);
    None if nothing is smeared.

    frame, empty: (h, w, 3), 0..255, the same with what is solid (h, w) and without, in the same light; known (h, w): where that is
    known, beyond which a thing goes on. On the way in a smear goes evenly from what is behind to the thing's colour; an edge,
    however lit, leaps.
    """
    few = (slice(None, None, SMALLER), slice(None, None, SMALLER))
    thing, unknown = solid[few], ~known[few]
    filled = thing | unknown
    if filled.all():
        return None
    inside = SMALLER * distance(filled)
    core = (inside > FAR_IN) & ~unknown
    if not core.any():
        return None
    edge = thing & (inside < 1.5 * SMALLER)
    labels, nearest = nearest_of(core)
    away = SMALLER * distance(~core)
    ys, xs = np.nonzero(edge & (away < SLANT * FAR_IN))
    height, width = thing.shape
    small, bare = (cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA) for picture in (frame, empty))
    told = np.zeros(len(ys), bool)
    _ways_in(cv2.blur(small, (3, 3)), bare, ys, xs, nearest[labels[ys, xs]], np.float32(OFF[0] * noise + OFF[1]), told)
    if not told.any():
        return None
    votes = np.zeros(thing.shape, np.float32)
    votes[ys[told], xs[told]] = 1
    size = (ALONG // SMALLER, ALONG // SMALLER)
    shares, of = (cv2.boxFilter(v, -1, size, normalize=False) for v in (votes, edge.astype(np.float32)))
    labels, nearest = nearest_of(edge)
    near = (shares > MOST * np.maximum(of, 1)).ravel()[nearest][labels] & (away < SLANT * FAR_IN + BEFORE)
    if not near.any():
        return None
    at_it, source = (
        cv2.resize(m.view(np.uint8), solid.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0 for m in (near, core)
    )
    deep_in = cv2.resize(inside, solid.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return at_it, source & known, np.asarray(deep_in, np.float32)


@nb.njit(cache=True, nogil=True)
def _ways_in(frame, empty, ys, xs, ends, most, told):  # type: ignore[no-untyped-def]
    """Whether each place (n,) of an edge is smeared, by the way from outside of it to its end (n,), counted in rows; into `told`."""
    h, w, _ = frame.shape
    steps, step = (BEFORE + FAR_IN) // STEP + 1, STEP // SMALLER
    share = np.empty(steps, np.float32)
    for k in range(len(ys)):
        v, u = ends[k] // w, ends[k] % w
        down, across = np.float32(v - ys[k]), np.float32(u - xs[k])
        length = max(np.sqrt(down * down + across * across), np.float32(1))
        down, across = down / length, across / length
        rest, good = np.float32(0), True
        for i in range(steps):
            y, x = (
                int(ys[k] + down * (i * step - BEFORE // SMALLER)),
                int(xs[k] + across * (i * step - BEFORE // SMALLER)),
            )
            if y < 0 or x < 0 or y >= h or x >= w:
                good = False
                break
            square = covers = np.float32(0)
            for c in range(3):
                way = frame[v, u, c] - empty[y, x, c]
                square += way * way
                covers += (frame[y, x, c] - empty[y, x, c]) * way
            share[i] = covers / max(square, np.float32(1))
            part = min(max(share[i], np.float32(0)), np.float32(1))
            off = np.float32(0)
            for c in range(3):
                off = max(off, abs(frame[y, x, c] - empty[y, x, c] - part * (frame[v, u, c] - empty[y, x, c])))
            rest += off
        if not good or rest > most * steps or share[1] > STARTS or share[steps - 2] < ENDS:
            continue
        steepest = np.float32(0)
        for i in range(2, steps):
            steepest = max(steepest, share[i] - share[i - 2])
        told[k] = steepest < STEEP
