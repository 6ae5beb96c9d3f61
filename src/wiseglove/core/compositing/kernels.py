"""Compiled loops of the composite. Pictures are (h, w, 3) float32 working values, mattes (h, w)."""

# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numba as nb
import numpy as np

from wiseglove.core.parallel import rows_at_once


@rows_at_once
def displayed(working, table, out):
    """8-bit pixels of working values by a table of 65536 levels, clipped to 0..1."""
    for y in nb.prange(working.shape[0]):
        for x in range(working.shape[1]):
            for c in range(working.shape[2]):
                value = working[y, x, c] * np.float32(65535.0) + np.float32(0.5)
                out[y, x, c] = table[int(min(max(value, np.float32(0)), np.float32(65535)))]


@rows_at_once
def curved(values, table, out):
    """Values (h, w, c) through a curve that a table gives at even steps from 0 to 1, straight between them.

    Those outside are left for whoever calls: the result says for each row whether there are any.
    """
    last = table.shape[0] - 1
    outside = np.zeros(values.shape[0], np.bool_)
    for y in nb.prange(values.shape[0]):
        for x in range(values.shape[1]):
            for c in range(values.shape[2]):
                place = values[y, x, c] * np.float32(last)
                if not 0 <= place < last:
                    outside[y] = outside[y] or place != last
                    place = np.float32(min(max(place, np.float32(0)), np.float32(last)))
                low = max(min(int(place), last - 1), 0)  # also where the value is no number
                out[y, x, c] = table[low] + (table[low + 1] - table[low]) * (place - np.float32(low))
    return outside


@rows_at_once
def gathered(colour, alpha, total):
    """Adds a premultiplied layer to a total (h, w, 4)."""
    for y in nb.prange(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            a = alpha[y, x]
            for c in range(3):
                total[y, x, c] += colour[y, x, c] * a
            total[y, x, 3] += a


@rows_at_once
def parted(total, share, colour, alpha):
    """A total (h, w, 4) times a share as unpremultiplied colour and alpha."""
    for y in nb.prange(total.shape[0]):
        for x in range(total.shape[1]):
            a = total[y, x, 3]
            alpha[y, x] = a * share
            by = 1 / max(a, np.float32(1e-6))
            for c in range(3):
                colour[y, x, c] = total[y, x, c] * by


@rows_at_once
def laid(back, front, alpha, nearer):
    """A front laid over the back, in place, held out by what is nearer; see `over.over_with_holdout`."""
    for y in nb.prange(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            seen = alpha[y, x] * (1 - nearer[y, x])
            for c in range(3):
                back[y, x, c] += (front[y, x, c] - back[y, x, c]) * seen


@rows_at_once
def laid_clean(back, front, alpha, nearer, own, amount):
    """The same with what the covers themselves give to each pixel, (h, w, 3), in place of what the plate has there."""
    for y in nb.prange(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            a, n = alpha[y, x], nearer[y, x]
            inside = a * amount
            for c in range(3):
                b = back[y, x, c]
                plain = b + (front[y, x, c] - b) * a * (1 - n)
                clean = own[y, x, c] + (1 - n) * (front[y, x, c] * a + b * (1 - a))
                back[y, x, c] = plain + (clean - plain) * inside


@rows_at_once
def lightened(picture, glow, glow_amount, light, light_amount, face):
    """A picture with glow over it and light on all but the pane's face (h, w), in place."""
    for y in nb.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            around = light_amount * (1 - face[y, x])
            for c in range(3):
                picture[y, x, c] = picture[y, x, c] * (1 + light[y, x, c] * around) + glow[y, x, c] * glow_amount


@rows_at_once
def levelled(picture, saturation, gamma, black, white, out):
    """Saturation about luminance, gamma, then from black (3,) to white (3,)."""
    for y in nb.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            luma = (
                np.float32(0.2126) * picture[y, x, 0] + np.float32(0.7152) * picture[y, x, 1]
                + np.float32(0.0722) * picture[y, x, 2]
            )  # fmt: skip
            for c in range(3):
                value = luma + (picture[y, x, c] - luma) * saturation
                if gamma != 1:
                    value = max(value, np.float32(0)) ** gamma
                out[y, x, c] = black[c] + value * (white[c] - black[c])


@rows_at_once
def reflected(plate, dark, seen, amount, front):
    """Adds to a front what the plate has above a dark level where it is seen (h, w; 0 or 1)."""
    for y in nb.prange(plate.shape[0]):
        for x in range(plate.shape[1]):
            by = amount * seen[y, x]
            if by > 0:
                for c in range(3):
                    front[y, x, c] += max(plate[y, x, c] - dark[y, x, c], np.float32(0)) * by


@rows_at_once
def times(picture, matte, out):
    """A picture times a matte."""
    for y in nb.prange(matte.shape[0]):
        for x in range(matte.shape[1]):
            for c in range(3):
                out[y, x, c] = picture[y, x, c] * matte[y, x]


@rows_at_once
def own_in_band(plate, matte, cover, behind, solid, out):
    """Where a matte is between its ends: what the cover itself gives to the plate; see `cover_edges.own_share`."""
    for y in nb.prange(matte.shape[0]):
        for x in range(matte.shape[1]):
            m = matte[y, x]
            if m <= np.float32(0.02) or m >= np.float32(0.98):
                continue
            for c in range(3):
                most = 2 * m * cover[y, x, c] + np.float32(1e-3)
                rest = min(max(plate[y, x, c] - (1 - m) * behind[y, x, c], np.float32(0)), most)
                out[y, x, c] = rest * m + cover[y, x, c] * m * (1 - m) if solid else rest
