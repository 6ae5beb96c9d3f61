"""A matte of what covers a known picture: where a frame differs from it, shadows told apart, edges by their mixture."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.clean import Behind, light_of, noise_by, summed
from wiseglove.core.compositing.colour import decode
from wiseglove.core.noise import unshared
from wiseglove.core.parallel import rows_at_once

Picture = NDArray[np.float32]
OF_GRAIN, MOST_NOISE = 2.2, 3.0
"""Times a frame's own grain, or levels where compression took the grain away, up to which what is off from behind is noise: else
it is what covers most of it."""
SURE, NONE = 4.0, 2.0
"""Times the noise from which a neighbourhood surely differs, and up to which it does not."""
LOOSE = 0.35
"""Pixels by which the picture behind may lie off, which counts as noise along its edges."""
DARKEST, LIGHTEST = 0.35, 1.08
"""Light that a shadow leaves, in shares, and a little more for a reflection's end."""
TINTED = 4.0
"""Times the noise by which a shadow's colour may differ from what it lies on."""
SPECK, SMALL_HOLE, HOLE = 60, 60, 6000
"""Pixels of a region that is too small to be something, and of holes in something that are filled always, or where it differs."""
ALIKE = 1.25
"""Mean times the noise by which a view behind differs at most."""
BAND = 12
"""Pixels on each side of an edge in which it may be mixed of both."""
EDGE = 8.0
"""Pixels outside within which a mixture with something dark may look like its shadow, and is none."""
DEEP, DEEPER = 3, 9
"""Pixels inside from which a thing's own colour is taken, where it is thin and where it is not."""
WHOLE = 0.94
"""Share from which a pixel counts as wholly covered: a thing's colour varies."""
FINE = 16
"""Entries of the table of light for each level."""
_LIGHT = decode(np.arange(255 * FINE + 1) / (255 * FINE)).astype(np.float32)


def difference_matte(frame: Picture, behind: Behind, otherwise: Picture | None = None) -> Picture:
    """How much of each pixel is covered (h, w), 0..1, by something that is not in the picture behind.

    frame: (h, w, 3) display-encoded 0..255, of the same view. What was never seen behind counts as covered as it is
    `otherwise` (h, w), 0..1; without that as not covered.
    The edge is the share of the thing's own colour, from nearby inside, in a mixture with the known background, least
    squares over the channels (Smith & Blinn 1996, known background and foreground).
    """
    left, top, width, height = cv2.boundingRect(behind.known.view(np.uint8))
    if otherwise is None and 0 < width * height < 0.9 * behind.known.size:  # a pane: only where it is
        rows, columns = slice(top, top + height), slice(left, left + width)
        out = np.zeros(behind.known.shape, np.float32)
        out[rows, columns] = difference_matte(frame[rows, columns], _part(behind, rows, columns))
        return out
    empty, solid, shaded, strength = _differing(frame, behind, otherwise)
    out = np.zeros(solid.shape, np.float32)
    left, top, width, height = cv2.boundingRect(solid.view(np.uint8))
    if width * height:
        around = BAND + 2
        rows, columns = (slice(max(a - around, 0), a + n + around) for a, n in ((top, height), (left, width)))
        part = (rows, columns)
        mixed = _mixed(frame[part], empty[part], solid[part], shaded[part], strength[part], behind.noise)
        out[part] = np.where(behind.known[part], mixed, 0)
    return out if otherwise is None else np.where(behind.known, out, otherwise)


def solid_difference(frame: Picture, behind: Behind, otherwise: Picture) -> NDArray[np.bool_]:
    """Where something covers a frame at all, (h, w), as in `difference_matte` but with hard edges, in a third of the time."""
    return np.where(behind.known, _differing(frame, behind, otherwise)[1], otherwise > 0.5)


def _differing(
    frame: Picture, behind: Behind, otherwise: Picture | None
) -> tuple[Picture, NDArray[np.bool_], NDArray[np.bool_], Picture]:
    """The picture behind in a frame's light; where something covers it; what is shaded; and how strongly each pixel differs."""
    empty = np.ascontiguousarray(behind.picture * light_of(frame, behind.picture, behind.known))
    across, down = cv2.Sobel(empty, -1, 1, 0, scale=0.125), cv2.Sobel(empty, -1, 0, 1, scale=0.125)
    differs, tint, share = (np.empty(frame.shape[:2], np.float32) for _ in range(3))
    _compared(np.ascontiguousarray(frame), empty, across, down, np.float32(behind.noise), differs, tint, share)
    strength = np.sqrt(np.maximum(cv2.blur(differs, (3, 3)), 0))
    # Where a frame shows the same thing with less light, all channels are less by one factor.
    shaded = (share > DARKEST) & (share < LIGHTEST) & (cv2.blur(tint, (5, 5)) < TINTED)
    strength = np.where(shaded, np.minimum(strength, NONE), strength)
    strength[~behind.known] = 0 if otherwise is None else np.where(otherwise > 0.5, 2 * SURE, 0)[~behind.known]
    solid = _tidied(np.asarray(strength, np.float32))
    return empty, solid, shaded, strength


def as_noisy_as(frame: Picture, behind: Behind) -> Behind:
    """The picture behind with the noise of a frame (h, w, 3) of it, instead of its own: a shadow's colour is told by that."""
    known = behind.known
    apart = np.abs(frame - behind.picture * light_of(frame, behind.picture, known))[known]
    return Behind(behind.picture, known, min(noise_by(apart), max(OF_GRAIN * grain_of(frame), MOST_NOISE)))


def grain_of(frame: Picture) -> float:
    """A frame's grain in levels, by what pixels do not share with their neighbours, robust to edges.

    By the larger of what the lowest quarter and the lower half of it tell: levels are whole numbers.
    """
    fine = unshared(frame)[1:-1, 1:-1]
    quarter, half = np.quantile(fine[::2, ::2], (0.25, 0.5)) if fine.size else (0.0, 0.0)
    return float(max(quarter / 0.319, half / 0.6745))


def held_out(frame: Picture, behind: Behind, beyond: int) -> Picture:
    """The same as what stays in front, by the noise that the frame has, (h, w), 0..1: `beyond` pixels outside of where the picture behind is known it goes on
    as it is at the border, so that no rim of a pane is left open before what crosses it.
    """
    out = difference_matte(frame, as_noisy_as(frame, behind))
    left, top, width, height = cv2.boundingRect(behind.known.view(np.uint8))
    if beyond and width * height > 0:
        rows, columns = (slice(max(a - beyond, 0), a + n + beyond) for a, n in ((top, height), (left, width)))
        known = np.ascontiguousarray(behind.known[rows, columns])
        near = ~known & (_distance(~known) <= beyond)
        out[rows, columns][near] = _from_nearest(out[rows, columns, None], known)[..., 0][near]
    return out


def difference_within(
    behind: Behind, frame: NDArray[np.uint8], box: tuple[int, int, int, int]
) -> tuple[Picture, NDArray[np.bool_]]:
    """The same in a box (left, top, right, bottom) of a frame (h, w, 3) only, and where it is known there."""
    left, top, right, bottom = box
    part = _part(behind, slice(top, bottom), slice(left, right))
    return difference_matte(frame[top:bottom, left:right].astype(np.float32), part), part.known


def _part(behind: Behind, rows: slice, columns: slice) -> Behind:
    picture, known = (
        np.ascontiguousarray(behind.picture[rows, columns]),
        np.ascontiguousarray(behind.known[rows, columns]),
    )
    return Behind(picture, known, behind.noise)


@rows_at_once
def _compared(frame, empty, across, down, noise, differs, tint, share):  # type: ignore[no-untyped-def]
    """Mean square difference in units of noise, the share of light, and how far the channels are from one share of it."""
    h, w, _ = frame.shape
    for y in nb.prange(h):
        for x in range(w):
            total = product = square = bright = np.float32(0)
            for c in range(3):
                e, f = empty[y, x, c], frame[y, x, c]
                own = noise + np.float32(LOOSE) * (abs(across[y, x, c]) + abs(down[y, x, c]))
                off = (f - e) / own
                total += off * off
                product += f * e
                square += e * e
                bright = max(bright, e)
            s = product / max(square, np.float32(1))
            worst = np.float32(0)
            for c in range(3):
                own = noise + np.float32(LOOSE) * (abs(across[y, x, c]) + abs(down[y, x, c]))
                worst = max(worst, abs(frame[y, x, c] - s * empty[y, x, c]) / own)
            differs[y, x] = total / 3
            tint[y, x] = worst
            share[y, x] = s if bright > 12 else np.float32(0)


def _tidied(strength: Picture) -> NDArray[np.bool_]:
    """Likely regions that hold something sure (hysteresis, Canny 1986), without specks; holes filled that are no view behind.

    A hole that shows what is behind differs from it by noise only; where a thing happens to look alike, it still differs more.
    """
    likely = (strength > (SURE + NONE) / 2).view(np.uint8)
    closed = cv2.morphologyEx(likely, cv2.MORPH_CLOSE, _disc(2))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(closed, connectivity=8)
    held = np.zeros(count, bool)
    held[labels[strength > SURE]] = True
    held &= stats[:, cv2.CC_STAT_AREA] >= SPECK
    held[0] = False
    solid = held[labels]
    count, labels, stats, _ = cv2.connectedComponentsWithStats((~solid).view(np.uint8), connectivity=4)
    area = np.maximum(stats[:, cv2.CC_STAT_AREA], 1)
    differs = np.bincount(labels.ravel(), strength.ravel(), count) / area
    filled = (area <= SMALL_HOLE) | ((area <= HOLE) & (differs > ALIKE))
    filled[labels[solid]] = False
    return np.asarray(solid | filled[labels])


def _mixed(
    frame: Picture,
    empty: Picture,
    solid: NDArray[np.bool_],
    shaded: NDArray[np.bool_],
    strength: Picture,
    noise: float,
) -> Picture:
    solid = np.ascontiguousarray(solid)
    inside, outside = _distance(solid), _distance(~solid)
    own = _own_colour(frame, inside)
    way = own - empty
    length, covers = summed(way * way), frame - empty
    share = summed(covers * way) / np.maximum(length, np.float32((4 * noise) ** 2))
    mixed = empty + np.clip(share, 0, 1)[..., None] * way
    alpha = np.clip(_share_of_light(mixed, empty, own) / WHOLE, 0, 1).astype(np.float32)
    # Where both sides look alike, or the pixel is no mixture of the two, the outline of what differs stands.
    plain = cv2.GaussianBlur(solid.astype(np.float32), (0, 0), 1.0)
    over = frame - mixed
    rest = np.sqrt(summed(over * over))
    told = np.clip(np.sqrt(length) / (8 * noise) - 0.5, 0, 1) * np.clip(2 - rest / (6 * noise + 4), 0, 1)
    told = np.asarray(cv2.blur(np.asarray(told, np.float32), (3, 3)), np.float32)
    alpha = np.asarray(alpha * told + plain * (1 - told), np.float32)
    alpha[(outside > BAND) | (strength < NONE / 2) | (shaded & (outside > EDGE))] = 0
    alpha[inside > BAND] = 1
    return alpha


def _share_of_light(mixed: Picture, empty: Picture, own: Picture) -> Picture:
    """The share of the thing's own colour in each pixel's light (h, w): what is blurred is mixed in linear light.

    mixed: (h, w, 3), between what is behind and the thing's own colour as they are encoded.
    """
    now, behind, thing = (_light(p) for p in (mixed, empty, own))
    way = thing - behind
    return np.asarray(summed((now - behind) * way) / np.maximum(summed(way * way), np.float32(1e-6)), np.float32)


def _light(values: Picture) -> Picture:
    """Display-encoded values 0..255 as linear light, 0..1, from a table."""
    return np.asarray(_LIGHT[np.clip(values * FINE, 0, len(_LIGHT) - 1).astype(np.int32)])


def _own_colour(frame: Picture, inside: Picture) -> Picture:
    """The thing's colour at each pixel, from the nearest place deep inside it, or less deep where it is thin."""
    shallow = inside > DEEP if (inside > DEEP).any() else inside > 0
    own = _from_nearest(_mean_within(frame, shallow), shallow)
    deep = inside > DEEPER
    if deep.any():
        near = (_distance(~deep) < 2.5 * DEEPER)[..., None]
        own = np.where(near, _from_nearest(_mean_within(frame, deep), deep), own)
    return np.asarray(own, np.float32)


def _distance(where: NDArray[np.bool_]) -> Picture:
    """Pixels from each place inside to the nearest outside; 0 outside."""
    return np.asarray(cv2.distanceTransform(where.view(np.uint8), cv2.DIST_L2, 5), np.float32)


def _from_nearest(values: Picture, source: NDArray[np.bool_]) -> Picture:
    """Each pixel's value from the nearest place of the source."""
    _, labels = cv2.distanceTransformWithLabels(
        (~source).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    by_label = np.zeros((int(labels.max()) + 1, values.shape[2]), np.float32)
    by_label[labels[source]] = values[source]
    return np.asarray(by_label[labels])


def _mean_within(frame: Picture, source: NDArray[np.bool_]) -> Picture:
    """Each pixel's colour averaged over its neighbourhood, of what counts."""
    weight = source.astype(np.float32)
    total = cv2.GaussianBlur(frame * weight[..., None], (0, 0), 2.0)
    return np.asarray(total / np.maximum(cv2.GaussianBlur(weight, (0, 0), 2.0), 1e-3)[..., None], np.float32)


def _disc(radius: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)), np.uint8)
