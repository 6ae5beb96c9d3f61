"""A matte of what covers a known picture: where a frame differs from it, shadows told apart, edges by their mixture."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.clean import Behind, light_of, noise_by
from wiseglove.core.behind.distances import distance, nearest_of
from wiseglove.core.behind.joined import join
from wiseglove.core.behind.mixtures import BAND, EDGE, NONE, SURE, shares_of
from wiseglove.core.behind.regions import DARKEST, LIGHTEST, tidied
from wiseglove.core.noise import unshared
from wiseglove.core.parallel import rows_at_once

Picture = NDArray[np.float32]
OF_GRAIN, MOST_NOISE = 2.2, 3.0
"""Times a frame's own grain, or levels where compression took the grain away, up to which what is off from behind is noise: else
it is what covers most of it."""
SURELY, BESIDE, MANY, MORE = 12.0, (4.0, 14.0), 200, 1.2
"""Times the noise from which a pixel is none of what is behind for certain, how far beside such it is noisy, and how many tell; times
the noise from which that counts."""
VEIL = 0.8
"""Times the light that is missing in a shadow up to which it may be as if light of no hue were added, or taken."""
RIM, INNER = 5, 6
"""Pixels beside what differs, and inside of what does so or has another hue, within which a hue may be a mixture's."""
LOOSE = 0.35
"""Pixels by which the picture behind may lie off, which counts as noise along its edges."""
TINTED, HUED, OF_NOISE = 4.0, 4.0, 1.2
"""Times the noise by which a pixel's colour in a shadow may differ from what it lies on; levels, and times the noise, by which the mean
of five by five may: noise has no hue, cloth has."""


class Differing(NamedTuple):
    """Where a frame (h, w, 3) differs from what is behind, with hard edges.

    empty (h, w, 3): the picture behind in the frame's light; solid: where something covers it; shaded: where there is less light;
    strength: how strongly each pixel differs, in units of the noise, which is in levels; known: where what is behind is.
    """

    frame: Picture
    empty: Picture
    solid: NDArray[np.bool_]
    shaded: NDArray[np.bool_]
    strength: Picture
    noise: float
    known: NDArray[np.bool_]


def difference_matte(frame: Picture, behind: Behind) -> Picture:
    """How much of each pixel is covered (h, w), 0..1, by something that is not in the picture behind.

    frame: (h, w, 3) display-encoded 0..255, of the same view. What was never seen behind counts as not covered.
    """
    left, top, width, height = cv2.boundingRect(behind.known.view(np.uint8))
    if 0 < width * height < 0.9 * behind.known.size:  # a pane: only where it is
        rows, columns = slice(top, top + height), slice(left, left + width)
        out = np.zeros(behind.known.shape, np.float32)
        out[rows, columns] = difference_matte(frame[rows, columns], _part(behind, rows, columns))
        return out
    return with_edges(differing(frame, behind))


def with_edges(told: Differing) -> Picture:
    """How much of each pixel is covered (h, w), 0..1, by what differs; nothing where what is behind is not known.

    The edge is the share of the thing's own colour, from nearby inside, in a mixture with the known background, least
    squares over the channels (Smith & Blinn 1996, known background and foreground).
    """
    out = np.zeros(told.solid.shape, np.float32)
    left, top, width, height = cv2.boundingRect(told.solid.view(np.uint8))
    if width * height:
        around = BAND + 2
        rows, columns = (slice(max(a - around, 0), a + n + around) for a, n in ((top, height), (left, width)))
        part = (rows, columns)
        # Contiguous: else loops are compiled twice.
        here, bare, strong = (np.ascontiguousarray(v[part]) for v in (told.frame, told.empty, told.strength))
        thing, dim, known = (np.ascontiguousarray(v[part]) for v in (told.solid, told.shaded, told.known))
        there = _in_its_shade(here, bare, thing, dim, strong, told.noise)
        out[part] = np.where(known, shares_of(here, there, thing, dim, strong, told.noise, known), 0)
    return out


def _in_its_shade(
    frame: Picture, empty: Picture, solid: NDArray[np.bool_], shaded: NDArray[np.bool_], strength: Picture, noise: float
) -> Picture:
    """The picture behind (h, w, 3) in the light that there is just beyond the edge of what is solid (h, w).

    Close to it a pixel in its shadow would do for a mixture with it.
    """
    outside = distance(~solid)
    beside, dim = np.empty_like(solid), np.empty_like(solid)
    product, square = np.empty_like(outside), np.empty_like(outside)
    found = (beside, dim, product, square)
    _beside(frame, empty, outside, shaded, strength, np.float32(NONE * noise), *found)
    if not dim.any():
        return empty
    told = cv2.GaussianBlur(product, (0, 0), EDGE / 2) / np.maximum(cv2.GaussianBlur(square, (0, 0), EDGE / 2), 1.0)
    light = _from_nearest(np.clip(told, DARKEST, 1.0)[..., None].astype(np.float32), beside)
    light = np.asarray(cv2.GaussianBlur(light, (0, 0), EDGE / 2), np.float32)
    light[outside > EDGE] = 1
    return np.asarray(cv2.multiply(empty, cv2.merge([light] * 3)), np.float32)


def differing(frame: Picture, behind: Behind, otherwise: Picture | None = None) -> Differing:
    """Where something covers a frame (h, w, 3) at all.

    What was never seen behind counts as covered where `otherwise` (h, w), 0..1, is more than half; without that as not covered.
    """
    empty = np.ascontiguousarray(behind.picture * light_of(frame, behind.picture, behind.known))
    across, down = cv2.Sobel(empty, -1, 1, 0, scale=0.125), cv2.Sobel(empty, -1, 0, 1, scale=0.125)
    differs, tint, share = (np.empty(frame.shape[:2], np.float32) for _ in range(3))
    frame, rest = np.ascontiguousarray(frame), np.empty_like(frame)
    _compared(frame, empty, across, down, np.float32(behind.noise), differs, tint, share, rest)
    noise = max(behind.noise, min(_noise_beside(differs, behind), MOST_NOISE))
    if noise > MORE * behind.noise:
        _compared(frame, empty, across, down, np.float32(noise), differs, tint, share, rest)
    hue, allowed = cv2.blur(rest, (5, 5)), np.float32(max(HUED, OF_NOISE * noise))
    strength, shaded = np.asarray(cv2.blur(differs, (3, 3)), np.float32), np.empty(differs.shape, bool)
    thing = np.zeros_like(differs) if otherwise is None else np.ascontiguousarray(otherwise, np.float32)
    known, hued, dimmed = np.ascontiguousarray(behind.known), np.empty_like(shaded), np.empty_like(differs)
    _strong(strength, share, cv2.blur(tint, (5, 5)), hue, allowed, empty, known, thing, shaded, hued, dimmed)
    _unshade(strength, shaded, hued & (dimmed > NONE), dimmed)
    solid = tidied(strength, frame, empty)
    if join(solid, shaded & (dimmed > SURE), frame, empty, noise):
        found = solid & shaded
        strength[found] = dimmed[found]
        shaded &= ~found
        solid = tidied(strength, frame, empty)
    if otherwise is not None:
        solid = np.where(known, solid, otherwise > 0.5)
    return Differing(frame, empty, solid, shaded, strength, noise, known)


def _unshade(strength: Picture, shaded: NDArray[np.bool_], hued: NDArray[np.bool_], dimmed: Picture) -> None:
    """Take what has another hue than what is behind out of what is shaded, in place, but for the rim of what differs anyway.

    There it is a mixture: what is blurred has some of the thing's hue far out.
    """
    left, top, width, height = cv2.boundingRect(hued.view(np.uint8))
    if not width * height:
        return
    part = tuple(slice(max(a - INNER, 0), a + n + INNER) for a, n in ((top, height), (left, width)))
    such, differs = hued[part], strength[part] > NONE
    core = such & ((distance(~differs) > RIM) | (distance(such | differs) > INNER))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * INNER + 1, 2 * INNER + 1))
    taken = such & (cv2.dilate(core.view(np.uint8), disc) > 0)
    strength[part][taken] = dimmed[part][taken]
    shaded[part][taken] = False


def _noise_beside(differs: Picture, behind: Behind) -> float:
    """Noise in levels beside what surely differs: compression keeps what stands still, and smears what something moves past.

    By the upper quarter of mean squares of three channels (chi-squared of three degrees, divided by three: 1.37).
    """
    sure = (differs > SURELY**2) & behind.known
    if not sure.any():
        return behind.noise
    away = distance(~sure)
    beside = differs[(away > BESIDE[0]) & (away < BESIDE[1]) & behind.known]
    return behind.noise * float(np.sqrt(np.quantile(beside, 0.75) / 1.37)) if beside.size > MANY else behind.noise


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
        near = ~known & (distance(~known) <= beyond)
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
def _compared(frame, empty, across, down, noise, differs, tint, share, rest):  # type: ignore[no-untyped-def]
    """Mean square difference in units of noise, the share of light, and how far the channels are from one share of it: in such units, and
    `rest` (h, w, 3) in levels."""
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
                rest[y, x, c] = frame[y, x, c] - s * empty[y, x, c]
                worst = max(worst, abs(rest[y, x, c]) / own)
            differs[y, x] = total / 3
            tint[y, x] = worst
            share[y, x] = s if bright > 12 else np.float32(0)


@rows_at_once
def _beside(frame, empty, outside, shaded, strength, least, beside, dim, product, square):  # type: ignore[no-untyped-def]
    """Just beyond an edge (h, w): where what is behind is seen, and where in a shadow; what its light is told by, 0 elsewhere."""
    h, w = outside.shape
    for y in nb.prange(h):
        for x in range(w):
            away = outside[y, x]
            near = away > np.float32(EDGE) and away < np.float32(2 * EDGE)
            seen = near and (shaded[y, x] or strength[y, x] < np.float32(NONE))
            off = both = own = np.float32(0)
            if seen:
                for c in range(3):
                    off = max(off, abs(frame[y, x, c] - empty[y, x, c]))
                    both += frame[y, x, c] * empty[y, x, c]
                    own += empty[y, x, c] * empty[y, x, c]
            beside[y, x], dim[y, x] = seen, seen and shaded[y, x] and off > least
            product[y, x], square[y, x] = both, own


@nb.njit(cache=True, nogil=True, fastmath=True)
def _off_in_hue(hue, empty, lit):  # type: ignore[no-untyped-def]
    """How many levels of a hue (3,) are none that a shadow may have on what is behind (3,), of which it leaves the share `lit`.

    A veil of light lies over glass, in a shadow as beside it, and what shines by itself loses only what falls on it: what is left
    there has less of its hue, or more, as if as much were added to all channels, or taken from them.
    """
    total = square = over = own = off = np.float32(0)
    for c in range(3):
        total += empty[c]
        square += empty[c] * empty[c]
    level = total / max(square, np.float32(1))
    for c in range(3):
        fuller = empty[c] * level - np.float32(1)
        over += hue[c] * fuller
        own += fuller * fuller
    most = np.float32(VEIL) * max(np.float32(1) - lit, np.float32(0)) / max(level, np.float32(1e-3))
    veil = min(max(over / max(own, np.float32(1e-3)), -most), most)
    for c in range(3):
        off = max(off, abs(hue[c] - veil * (empty[c] * level - np.float32(1))))
    return off


@rows_at_once
def _strong(strength, share, tint, hue, allowed, empty, known, otherwise, shaded, hued, dimmed):  # type: ignore[no-untyped-def]
    """How strongly pixels differ (h, w), in place of its square; little in what is shaded, which is written as well.

    Where a frame shows the same thing with less light, all channels are less by one factor. dimmed: how strongly those differ that do
    so pixel by pixel; hued: which of them have another hue together.
    """
    h, w = strength.shape
    for y in nb.prange(h):
        for x in range(w):
            lit = share[y, x]
            dim = lit > np.float32(DARKEST) and lit < np.float32(LIGHTEST) and tint[y, x] < np.float32(TINTED)
            shaded[y, x], hued[y, x], dimmed[y, x] = dim, False, np.float32(0)
            if not known[y, x]:
                strength[y, x] = np.float32(2 * SURE) if otherwise[y, x] > np.float32(0.5) else np.float32(0)
                continue
            value = np.sqrt(max(strength[y, x], np.float32(0)))
            strength[y, x] = min(value, np.float32(NONE)) if dim else value
            dimmed[y, x] = value if dim else np.float32(0)
            hued[y, x] = dim and _off_in_hue(hue[y, x], empty[y, x], lit) > allowed


def _from_nearest(values: Picture, source: NDArray[np.bool_]) -> Picture:
    """Each pixel's value from the nearest place of the source."""
    labels, nearest = nearest_of(source)
    return np.asarray(values.reshape(-1, values.shape[2])[nearest[labels]])
