"""Where the edge of what covers a known picture is smeared widely, by something fast, so that its own colour lies far inside."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.distances import distance, nearest_of

Picture = NDArray[np.float32]
SMALLER = 2
"""How many pixels are one in the picture in which smears are looked for."""
DEPTHS = (40, 20)
"""Pixels inside from which the colour of a thing is taken whose edge is smeared: where it is thick, and where it is not."""
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


class Smear(NamedTuple):
    """Pixels at a smeared edge, where the colour is found of what is smeared, and how far on the way there each is, all (h, w)."""

    at_it: NDArray[np.bool_]
    source: NDArray[np.bool_]
    way: Picture


def smeared(
    frame: Picture, empty: Picture, solid: NDArray[np.bool_], known: NDArray[np.bool_], noise: float
) -> list[Smear]:
    """Smeared edges of what is solid.

    frame, empty: (h, w, 3), 0..255, the same with what is solid (h, w) and without, in the same light; known (h, w): where that is
    known, beyond which a thing goes on. On the way in a smear goes evenly from what is behind to the thing's colour; an edge,
    however lit, leaps.
    """
    few = (slice(None, None, SMALLER), slice(None, None, SMALLER))
    thing, unknown = solid[few], ~known[few]
    filled = thing | unknown
    if filled.all() or not thing.any():
        return []
    inside = SMALLER * distance(filled)
    height, width = thing.shape
    small, bare = (
        np.asarray(cv2.resize(p, (width, height), interpolation=cv2.INTER_AREA), np.float32) for p in (frame, empty)
    )
    small, edge = np.asarray(cv2.blur(small, (3, 3)), np.float32), thing & (inside < 1.5 * SMALLER)
    left, out = np.ones_like(thing), []
    for depth in DEPTHS:
        core = (inside > depth) & ~unknown
        near = _near_smeared(small, bare, edge & left, core, depth, np.float32(OFF[0] * noise + OFF[1]))
        if near is None:
            continue
        left &= ~near
        at_it, source = (
            cv2.resize(m.view(np.uint8), solid.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0 for m in (near, core)
        )
        way = cv2.resize(inside, solid.shape[::-1], interpolation=cv2.INTER_LINEAR) / (SLANT * depth)
        out.append(Smear(at_it, source & known, np.asarray(way, np.float32)))
    return out


def _near_smeared(
    frame: Picture,
    empty: Picture,
    edge: NDArray[np.bool_],
    core: NDArray[np.bool_],
    depth: int,
    most: np.float32,
) -> NDArray[np.bool_] | None:
    """Which pixels (h, w) of a smaller picture lie nearest to a part of the edge that is smeared, not farther in than its core."""
    if not core.any() or not edge.any():
        return None
    labels, nearest = nearest_of(core)
    away = SMALLER * distance(~core)
    ys, xs = np.nonzero(edge & (away < SLANT * depth))
    told = np.zeros(len(ys), bool)
    _ways_in(frame, empty, ys, xs, nearest[labels[ys, xs]], depth, most, told)
    if not told.any():
        return None
    votes = np.zeros(edge.shape, np.float32)
    votes[ys[told], xs[told]] = 1
    size = (ALONG // SMALLER, ALONG // SMALLER)
    shares, of = (cv2.boxFilter(v, -1, size, normalize=False) for v in (votes, edge.astype(np.float32)))
    labels, nearest = nearest_of(edge)
    near = (shares > MOST * np.maximum(of, 1)).ravel()[nearest][labels] & (away < SLANT * depth + BEFORE)
    return near if near.any() else None


@nb.njit(cache=True, nogil=True)
def _ways_in(frame, empty, ys, xs, ends, depth, most, told):  # type: ignore[no-untyped-def]
    """Whether each place (n,) of an edge is smeared, by the way from outside of it to its end (n,), counted in rows; into `told`."""
    h, w, _ = frame.shape
    steps, step = (BEFORE + depth) // STEP + 1, STEP // SMALLER
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
