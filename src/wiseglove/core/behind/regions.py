"""Regions of what differs from a known picture: likely ones that hold something sure, without specks, holes and bays filled."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.distances import distance, nearest_of, steps_round
from wiseglove.core.behind.mixtures import DEEP, NONE, SURE

Picture = NDArray[np.float32]
DARKEST, LIGHTEST = 0.35, 1.08
"""Light that a shadow leaves, in shares, and a little more for a reflection's end."""
SPECK, SMALL_HOLE, HOLE = 60, 60, 6000
"""Pixels of a region that is too small to be something, and of holes in something that are filled always, or where it differs."""
ALIKE = 1.25
"""Mean times the noise by which a view behind differs at most."""
BAY, LIKE_IT, VIEW = 6.0, 0.8, 0.5
"""Half the width of a narrow bay, and how much nearer it is to the thing around it than to what is behind if it is that; how much nearer
a hole is to what is behind, in less light, if that is seen through it."""
LEAST, FAR = 20, 28
"""Pixels of a hole through which something is seen, and how far from the nearest place of a thing its other colours are looked for."""
UNLIKE = 20.0
"""Levels by which two colours differ, as a distance, whose mixtures are looked at."""
_ROUND = steps_round(FAR // 4, FAR // 2, FAR)


def tidied(strength: Picture, frame: Picture, empty: Picture) -> NDArray[np.bool_]:
    """Likely regions that hold something sure (hysteresis, Canny 1986), without specks; holes filled that are no view behind.

    A hole that shows what is behind differs from it by noise only; where a thing happens to look alike, it still differs more.
    """
    likely = (strength > (SURE + NONE) / 2).view(np.uint8)
    closed = cv2.morphologyEx(likely, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (5, 5)))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(closed, connectivity=8)
    held = np.zeros(count, bool)
    _hold(labels, strength, stats[:, cv2.CC_STAT_AREA], held)
    solid = np.empty(labels.shape, bool)
    _chosen(labels, held, solid)
    _fill_bays(solid, frame, empty)
    count, labels, stats, _ = cv2.connectedComponentsWithStats((~solid).view(np.uint8), connectivity=4)
    area = np.maximum(stats[:, cv2.CC_STAT_AREA], 1)
    total = np.zeros(count)
    _add_up(labels, strength, total)
    filled = (area <= SMALL_HOLE) | ((area <= HOLE) & (total / area > ALIKE))
    filled[0] = True  # what is solid
    _chosen(labels, filled, solid)
    _open(solid, np.asarray(labels, np.int32), filled & (area > LEAST), frame, empty)
    return solid


def _open(
    solid: NDArray[np.bool_], labels: NDArray[np.int32], which: NDArray[np.bool_], frame: Picture, empty: Picture
) -> None:
    """Open what was filled of holes (n,) in what is solid (h, w), in place, where what is behind is seen through them, in less light.

    That is: where it is much more like that than like anything that is solid round it.
    """
    asked = np.where(which, np.cumsum(which), 0).astype(np.int32)
    asked[0] = 0
    holes = np.asarray(asked[labels])
    left, top, width, height = cv2.boundingRect((holes > 0).view(np.uint8))
    if not width * height:
        return
    around = 2 * FAR
    part = tuple(slice(max(a - around, 0), a + n + around) for a, n in ((top, height), (left, width)))
    here, bare = np.asarray(cv2.blur(frame[part], (3, 3)), np.float32), np.ascontiguousarray(empty[part])
    holes = np.ascontiguousarray(holes[part])
    core = distance(solid[part] & (holes == 0)) > DEEP
    if not core.any():
        return
    nearer = np.full(holes.shape, np.inf, np.float32)
    _seen_through(holes, here, bare, *nearest_of(core), core, _lights(holes, here, bare), _ROUND, nearer)
    _, regions = cv2.connectedComponents((nearer < LIKE_IT).view(np.uint8), connectivity=8)
    sure = np.bincount(regions[nearer < VIEW], minlength=regions.max() + 1) > LEAST
    opened = cv2.dilate(sure[regions].view(np.uint8), np.ones((5, 5), np.uint8)) > 0
    solid[part] &= ~(opened & (holes > 0))


@nb.njit(cache=True, nogil=True)
def _lights(labels, frame, empty):  # type: ignore[no-untyped-def]
    """Light (n,) of the regions that labels (h, w) number from 1: the share of what is behind that fits a frame best there."""
    h, w = labels.shape
    product, square = np.zeros(labels.max() + 1), np.zeros(labels.max() + 1)
    for y in range(h):
        for x in range(w):
            if labels[y, x] > 0:
                for c in range(3):
                    product[labels[y, x]] += frame[y, x, c] * empty[y, x, c]
                    square[labels[y, x]] += empty[y, x, c] * empty[y, x, c]
    return np.minimum(np.maximum(product / np.maximum(square, 1.0), DARKEST), LIGHTEST)


@nb.njit(cache=True, nogil=True)
def _seen_through(holes, frame, empty, ring, nearest, core, light, steps, out):  # type: ignore[no-untyped-def]
    """How far holes (h, w), numbered from 1, are from what is behind, in shares of how far from what is round them; light (n,): theirs."""
    h, w = holes.shape
    places = np.empty((len(steps), 2), np.int64)
    for y in range(h):
        for x in range(w):
            label = holes[y, x]
            if label == 0:
                continue
            lit = np.float32(light[label])
            bare = np.float32(0)
            for c in range(3):
                bare += abs(frame[y, x, c] - lit * empty[y, x, c])
            thing = _off_from_round(frame, y, x, nearest[ring[y, x]], core, steps, places)
            out[y, x] = bare / max(thing, np.float32(1))


def _fill_bays(solid: NDArray[np.bool_], frame: Picture, empty: Picture) -> None:
    """Fill narrow bays of what is solid (h, w), in place, that look like it and not like what is behind, in any light.

    At strokes and edges of the picture behind little tells a pixel from it; a whole bay does.
    """
    left, top, width, height = cv2.boundingRect(solid.view(np.uint8))
    if not width * height:
        return
    part = (slice(max(top - 1, 0), top + height + 1), slice(max(left - 1, 0), left + width + 1))
    inside = np.ascontiguousarray(solid[part])
    closed = distance(distance(~inside) <= BAY) > BAY
    bays = closed & ~inside
    core = distance(inside) > DEEP
    if not bays.any() or not core.any():
        return
    count, labels = cv2.connectedComponents(bays.view(np.uint8), connectivity=4)
    thing, bare = np.zeros(count), np.zeros(count)
    here, behind = (np.ascontiguousarray(v[part]) for v in (frame, empty))
    _likenesses(labels, here, behind, *nearest_of(core), core, _ROUND, thing, bare)
    filled = thing < bare * LIKE_IT
    filled[0] = False
    solid[part] |= filled[labels]


@nb.njit(cache=True, nogil=True)
def _off_from_round(frame, y, x, at, core, steps, places):  # type: ignore[no-untyped-def]
    """How far a pixel is from all colours of a thing round a place, counted in rows, and from mixtures of two of them; places (n, 2) is for use here."""
    h, w = core.shape
    count, least = 0, np.float32(np.inf)
    for k in range(len(steps)):
        v, u = at // w + steps[k, 1], at % w + steps[k, 0]
        if v >= 0 and u >= 0 and v < h and u < w and core[v, u]:
            places[count, 0], places[count, 1] = v, u
            count += 1
    for i in range(count):
        for j in range(i, count):
            way = along = off = np.float32(0)
            for c in range(3):
                first = frame[places[i, 0], places[i, 1], c]
                to = frame[places[j, 0], places[j, 1], c] - first
                way += to * to
                along += (frame[y, x, c] - first) * to
            if i != j and way < np.float32(UNLIKE * UNLIKE):
                continue
            part = min(max(along / max(way, np.float32(1)), np.float32(0)), np.float32(1))
            for c in range(3):
                first = frame[places[i, 0], places[i, 1], c]
                off += abs(frame[y, x, c] - first - part * (frame[places[j, 0], places[j, 1], c] - first))
            least = min(least, off)
    return least


@nb.njit(cache=True, nogil=True)
def _likenesses(labels, frame, empty, ring, nearest, core, steps, thing, bare):  # type: ignore[no-untyped-def]
    """Add up (n,) how far the pixels of each region are from the thing round them, and from what is behind, in one light for each."""
    h, w = labels.shape
    light, places = _lights(labels, frame, empty), np.empty((len(steps), 2), np.int64)
    for y in range(h):
        for x in range(w):
            label = labels[y, x]
            if label == 0:
                continue
            thing[label] += _off_from_round(frame, y, x, nearest[ring[y, x]], core, steps, places)
            lit = light[label]
            for c in range(3):
                bare[label] += abs(frame[y, x, c] - lit * empty[y, x, c])


@nb.njit(cache=True, nogil=True)
def _hold(labels, strength, area, held):  # type: ignore[no-untyped-def]
    """Which regions (n,) of labels (h, w) are large enough and hold something sure."""
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            if strength[y, x] > np.float32(SURE):
                label = labels[y, x]
                held[label] = label > 0 and area[label] >= SPECK


@nb.njit(cache=True, nogil=True)
def _add_up(labels, values, total):  # type: ignore[no-untyped-def]
    """Add the values (h, w) of each region up (n,)."""
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            total[labels[y, x]] += values[y, x]


@nb.njit(cache=True, nogil=True)
def _chosen(labels, which, out):  # type: ignore[no-untyped-def]
    """Where the regions are that are chosen (n,), written into out (h, w)."""
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            out[y, x] = which[labels[y, x]]
