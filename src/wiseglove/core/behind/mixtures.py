"""Shares of mixtures at the edge of what covers a known picture."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.distances import distance, nearest_of
from wiseglove.core.behind.wide import smeared
from wiseglove.core.compositing.colour import decode
from wiseglove.core.parallel import rows_at_once

Picture = NDArray[np.float32]
SURE, NONE = 4.0, 2.0
"""Times the noise from which a neighbourhood surely differs, and up to which it does not."""
BAND = 12
"""Pixels on each side of an edge in which it may be mixed of both."""
EDGE = 8.0
"""Pixels outside within which a mixture with something dark may look like its shadow, and is none."""
DEEP, DEEPER = 3, 9
"""Pixels inside from which a thing's own colour is taken, where it is thin and where it is not."""
AWAY, FULLER, FARTHER = 7, 3.0, 1.0
"""Pixels between places where a thing's colour is looked up; what it costs, in squares of the noise, that a pixel is covered in part
only, and that the colour is not the nearest."""
WHOLE = 0.94
"""Share from which a pixel counts as wholly covered: a thing's colour varies."""
FINE = 16
"""Entries of the table of light for each level."""
_ROUND = np.array(
    [(0, 0), *((r * np.cos(a), r * np.sin(a)) for r in (AWAY, 2 * AWAY) for a in np.arange(8) * np.pi / 4)]
)
_ROUND = np.round(_ROUND).astype(np.int64)
_LIGHT = decode(np.arange(255 * FINE + 1) / (255 * FINE)).astype(np.float32)


def shares_of(
    frame: Picture,
    empty: Picture,
    solid: NDArray[np.bool_],
    shaded: NDArray[np.bool_],
    strength: Picture,
    noise: float,
    known: NDArray[np.bool_],
) -> Picture:
    """How much of each pixel (h, w) is covered, 0..1, by what is solid (h, w), its edge by mixtures with what is behind.

    frame, empty: (h, w, 3), 0..255, the same with it and without, in the same light. shaded, strength: where the frame shows what is
    behind with less light, and how strongly it differs, in units of the noise, which is in levels. known: where what is behind is.
    """
    solid = np.ascontiguousarray(solid)
    inside, outside = distance(solid), distance(~solid)
    shallow = inside > DEEP if (inside > DEEP).any() else inside > 0
    deep = inside > DEEPER
    # Where it is thick nearby its colour is taken from deep inside, else from less deep.
    near_deep = distance(~deep) < 2.5 * DEEPER if deep.any() else np.zeros(solid.shape, bool)
    alpha, told = np.zeros(solid.shape, np.float32), np.zeros(solid.shape, np.float32)
    sources = [(shallow, ~near_deep), (deep, near_deep)]
    for at_it, source, way in smeared(frame, empty, solid, known, noise):
        sources = [*((s, where & ~at_it) for s, where in sources), (source, at_it)]
        inside[at_it] = way[at_it] * BAND  # the whole way in counts as what lies at the edge
    for source, where in sources:
        if where.any():
            own = _mean_within(frame, source)
            labels, nearest = nearest_of(source)
            at = (source, labels, nearest, where, inside, outside)
            _weighed(frame, empty, own, *at, _ROUND, _LIGHT, np.float32(noise), alpha, told)
    alpha = np.asarray(cv2.medianBlur(alpha, 3), np.float32)  # each pixel chose for itself
    # Where both sides look alike, or the pixel is no mixture of the two, the outline of what differs stands.
    plain = cv2.GaussianBlur(solid.astype(np.float32), (0, 0), 1.0)
    told = np.asarray(cv2.blur(told, (3, 3)), np.float32)
    _edged(alpha, told, plain, strength, shaded, inside, outside)
    return np.asarray(_from_outside(alpha, solid), np.float32)


@rows_at_once
def _weighed(frame, empty, own, source, labels, nearest, where, inside, outside, steps, light, noise, alpha, told):  # type: ignore[no-untyped-def]
    """Near the edge, (h, w): the share of the thing's own colour in each pixel's light, and how well it can be told.

    own (h, w, 3) is looked up at the nearest place of its source, and `steps` from there: where a thing has a pattern, one of its
    colours explains the pixel best, the whole of one rather than a part. What is blurred is mixed in linear light: the share is
    found among encoded colours, which is robust, and what stands between the two then weighed as light.
    """
    h, w = inside.shape
    top = len(light) - 1
    one, beyond = np.float32(1), np.float32(BAND + 2)
    least = np.float32(16) * noise * noise
    for y in nb.prange(h):
        for x in range(w):
            if not where[y, x] or inside[y, x] > beyond or outside[y, x] > beyond:
                continue
            at = nearest[labels[y, x]]
            v, u = at // w, at % w
            best, share, length, rest = np.float32(np.inf), np.float32(0), np.float32(0), np.float32(0)
            for k in range(len(steps)):
                row, column = at // w + steps[k, 1], at % w + steps[k, 0]
                if row < 0 or column < 0 or row >= h or column >= w or not source[row, column]:
                    continue
                square = covers = off = np.float32(0)
                for c in range(3):
                    way = own[row, column, c] - empty[y, x, c]
                    square += way * way
                    covers += (frame[y, x, c] - empty[y, x, c]) * way
                part = min(max(covers / max(square, least), np.float32(0)), one)
                for c in range(3):
                    over = frame[y, x, c] - empty[y, x, c] - part * (own[row, column, c] - empty[y, x, c])
                    off += over * over
                cost = off / (noise * noise) + np.float32(FULLER) * (one - part)
                if k > 0:
                    cost += np.float32(FARTHER)
                if cost < best:
                    best, v, u, share, length, rest = cost, row, column, part, square, off
            both = whole = np.float32(0)
            for c in range(3):
                behind, thing = empty[y, x, c], own[v, u, c]
                mixed = behind + share * (thing - behind)
                dark = light[min(max(int(behind * FINE), 0), top)]
                lit = light[min(max(int(thing * FINE), 0), top)] - dark
                both += (light[min(max(int(mixed * FINE), 0), top)] - dark) * lit
                whole += lit * lit
            alpha[y, x] = min(max(both / max(whole, np.float32(1e-6)) / np.float32(WHOLE), np.float32(0)), one)
            clear = np.sqrt(length) / (np.float32(8) * noise) - np.float32(0.5)
            fits = np.float32(2) - np.sqrt(rest) / (np.float32(6) * noise + np.float32(4))
            told[y, x] = min(max(clear, np.float32(0)), one) * min(max(fits, np.float32(0)), one)


@rows_at_once
def _edged(alpha, told, plain, strength, shaded, inside, outside):  # type: ignore[no-untyped-def]
    """The matte (h, w) from the shares at its edge, over what stands where these cannot be told; written into `alpha`."""
    h, w = alpha.shape
    for y in nb.prange(h):
        for x in range(w):
            away = outside[y, x]
            if inside[y, x] > np.float32(BAND):
                alpha[y, x] = 1
            elif away > np.float32(EDGE if shaded[y, x] else BAND) or strength[y, x] < np.float32(NONE / 2):
                alpha[y, x] = 0
            else:
                alpha[y, x] = alpha[y, x] * told[y, x] + plain[y, x] * (np.float32(1) - told[y, x])


@nb.njit(cache=True, nogil=True)
def _from_outside(alpha, solid):  # type: ignore[no-untyped-def]
    """A matte (h, w) whose shares fall inside of what is solid only on a way out of it: specks in there are its pattern.

    Reconstruction by erosion (Vincent 1993), by sweeps to and fro until nothing changes.
    """
    h, w = alpha.shape
    out = np.where(solid, np.float32(1), alpha)
    changed = True
    while changed:
        changed = False
        for way in (1, -1):
            for i in range(h):
                y = i if way > 0 else h - 1 - i
                for j in range(w):
                    x = j if way > 0 else w - 1 - j
                    if out[y, x] <= alpha[y, x]:
                        continue
                    least = out[y, x]
                    if 0 <= x - way < w:
                        least = min(least, out[y, x - way])
                    if 0 <= y - way < h:
                        for u in range(max(x - 1, 0), min(x + 2, w)):
                            least = min(least, out[y - way, u])
                    least = max(least, alpha[y, x])
                    if least < out[y, x]:
                        out[y, x] = least
                        changed = True
    return out


def _mean_within(frame: Picture, source: NDArray[np.bool_]) -> Picture:
    """Each pixel's colour averaged over its neighbourhood, of what counts."""
    weight = source.astype(np.float32)
    total = cv2.GaussianBlur(frame * weight[..., None], (0, 0), 2.0)
    return np.asarray(total / np.maximum(cv2.GaussianBlur(weight, (0, 0), 2.0), 1e-3)[..., None], np.float32)
