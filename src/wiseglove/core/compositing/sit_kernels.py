"""Compiled loops of the rows by which a picture sits in. Pictures are (h, w, 3) float32 working values, mattes (h, w)."""

# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numba as nb
import numpy as np

from wiseglove.core.compositing.kernels import ONE, between
from wiseglove.core.parallel import rows_at_once

NONE, TWO, HALF, QUARTER, THIRD = np.float32(0), np.float32(2), np.float32(0.5), np.float32(0.25), np.float32(1 / 3)
NEXT = np.uint32(1)


@rows_at_once
def levelled(picture, saturation, curve, finest, black, white, out):
    """Saturation about luminance, a curve, then from black (3,) to white (3,).

    curve: what light becomes, at even steps of its square root from 0 on, `finest` of them to 1, straight between; empty: the light.
    """
    last = np.float32(curve.shape[0] - 2)
    for y in nb.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            luma = (
                np.float32(0.2126) * picture[y, x, 0] + np.float32(0.7152) * picture[y, x, 1]
                + np.float32(0.0722) * picture[y, x, 2]
            )  # fmt: skip
            for c in range(3):
                value = luma + (picture[y, x, c] - luma) * saturation
                if curve.shape[0]:
                    place = np.sqrt(max(value, np.float32(0))) * finest
                    low = nb.uint32(min(place, last))
                    value = curve[low] + (curve[low + NEXT] - curve[low]) * (place - np.float32(low))
                out[y, x, c] = black[c] + value * (white[c] - black[c])


@rows_at_once
def reflected(front, plate, dark, seen, amount, out):
    """A front with what the plate has above a dark level where it is seen (h, w; 0 or 1)."""
    for y in nb.prange(plate.shape[0]):
        for x in range(plate.shape[1]):
            by = amount * np.float32(seen[y, x])
            for c in range(3):
                out[y, x, c] = front[y, x, c] + max(plate[y, x, c] - dark[y, x, c], NONE) * by


@rows_at_once
def reflected_once(plate, dark, seen, out):
    """What the plate has above a dark level where it is seen (h, w; 0 or 1), and that share, (h, w, 4)."""
    for y in nb.prange(plate.shape[0]):
        for x in range(plate.shape[1]):
            by = np.float32(seen[y, x])
            for c in range(3):
                out[y, x, c] = max(plate[y, x, c] - dark[y, x, c], NONE) * by
            out[y, x, 3] = by


@rows_at_once
def carried_under(around, edge, amount, front):
    """Adds light that is known around, with the share that is known (h, w, 4), to a front at an edge (h, w)."""
    for y in nb.prange(front.shape[0]):
        for x in range(front.shape[1]):
            if edge[y, x]:
                by = amount / max(around[y, x, 3], np.float32(1e-3))
                for c in range(3):
                    front[y, x, c] += around[y, x, c] * by


@nb.njit(cache=True, nogil=True, fastmath=True)
def _summed(plate, clean, free, now, then, share):
    """Adds a row of a plate's sums, of a clean grey and of 1 where it is free (0 or 1) and the grey known to three totals (w,)."""
    for x in range(free.shape[0]):
        by = np.float32(free[x]) if clean[x] >= NONE else NONE
        now[x] += (plate[x, 0] + plate[x, 1] + plate[x, 2]) * by
        then[x] += clean[x] * by
        share[x] += by


@rows_at_once
def compared(plate, clean, free, step, out):
    """Means of step x step pixels, (h, w, 3): of a plate's grey and a clean grey where they are free (0 or 1), and of that.

    Where the clean grey is below nothing it is not known.
    """
    height, width = free.shape
    for row in nb.prange(out.shape[0]):
        below = min(row * step + step, height)
        totals = np.zeros((3, width), np.float32)
        for y in range(row * step, below):
            _summed(plate[y], clean[y], free[y], totals[0], totals[1], totals[2])
        for column in range(out.shape[1]):
            now, then, share = NONE, NONE, NONE
            beyond = min(column * step + step, width)
            for x in range(column * step, beyond):
                now += totals[0, x]
                then += totals[1, x]
                share += totals[2, x]
            by = ONE / np.float32((below - row * step) * (beyond - column * step))
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = now * THIRD * by, then * by, share * by


@rows_at_once
def shaded(picture, light, step, amount, out):
    """A picture under a shadow by an amount; light: as wide, of `step` times fewer rows, straight between them."""
    for y in nb.prange(picture.shape[0]):
        up, down, low = between(y, step, light.shape[0])
        upper, lower = light[up], light[down]
        for x in range(picture.shape[1]):
            by = ONE + amount * (upper[x] + (lower[x] - upper[x]) * low - ONE)
            for c in range(3):
                out[y, x, c] = picture[y, x, c] * by


@nb.njit(cache=True, nogil=True, fastmath=True)
def _held(value):
    return min(max(value, NONE), ONE)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _mixed(back, front, mode, out):
    """B(back, front) of rows (n,); see `blend.blended`, of whose modes this is the place. A loop for each: none asks again."""
    count = out.shape[0]
    if mode == 1:
        for i in range(count):
            b, s = _held(back[i]), _held(front[i])
            out[i] = b + s - b * s
    elif mode == 2:
        for i in range(count):
            out[i] = back[i] * front[i]
    elif mode == 3:
        for i in range(count):
            b, s = _held(back[i]), _held(front[i])
            out[i] = TWO * b * s if b <= HALF else ONE - TWO * (ONE - b) * (ONE - s)
    elif mode == 4:
        for i in range(count):
            out[i] = back[i] + front[i]
    elif mode == 5:
        for i in range(count):
            out[i] = max(back[i], front[i])
    elif mode == 6:
        for i in range(count):
            out[i] = min(back[i], front[i])
    else:
        for i in range(count):
            b, s = _held(back[i]), _held(front[i])
            bright = ((np.float32(16) * b - np.float32(12)) * b + np.float32(4)) * b if b <= QUARTER else np.sqrt(b)
            darker = b - (ONE - TWO * s) * b * (ONE - b)
            out[i] = darker if s <= HALF else b + (TWO * s - ONE) * (bright - b)


@rows_at_once
def blended(back, front, mode, share, out):
    """The front, by a share after its blend mode with the back."""
    for y in nb.prange(back.shape[0]):
        below, above, row = back[y].reshape(-1), front[y].reshape(-1), out[y].reshape(-1)
        _mixed(below, above, mode, row)
        for i in range(row.shape[0]):
            row[i] = above[i] + (row[i] - above[i]) * share


@rows_at_once
def times(picture, matte, out):
    """A picture times a matte."""
    for y in nb.prange(matte.shape[0]):
        for x in range(matte.shape[1]):
            for c in range(3):
                out[y, x, c] = picture[y, x, c] * matte[y, x]


@rows_at_once
def told_apart(plate, matte, clear, solid, covers, behind):
    """A plate where a matte is solid, and where it is clear, with the share (0 or 1) that is known, (h, w, 4) each."""
    for y in nb.prange(matte.shape[0]):
        for x in range(matte.shape[1]):
            m = matte[y, x]
            inside = ONE if m >= solid else NONE
            outside = ONE if m <= clear else NONE
            for c in range(3):
                covers[y, x, c] = plate[y, x, c] * inside
                behind[y, x, c] = plate[y, x, c] * outside
            covers[y, x, 3], behind[y, x, 3] = inside, outside


@nb.njit(cache=True, nogil=True, fastmath=True)
def _near(close, far, enough, c):
    """What is known close by, or where that is little, farther off: of means (4,) of colours and the share that is known."""
    distant = far[c] / max(far[3], np.float32(1e-6))
    return distant + (close[c] / max(close[3], np.float32(1e-6)) - distant) * min(close[3] * enough, ONE)


@rows_at_once
def own_in_band(plate, matte, cover_close, cover_far, close, far, enough, clear, solid, any_solid, out):
    """Where a matte is between its ends: what the cover itself gives to the plate; see `cover_edges.own_share`.

    cover_close, cover_far, close, far: means of what is known of the cover and of what lies behind, within windows, (h, w, 4),
    the far ones half as large; `enough`: one over the share of a close window that must be known for it to count wholly.
    """
    for y in nb.prange(matte.shape[0]):
        for x in range(matte.shape[1]):
            m = matte[y, x]
            if m <= clear or m >= solid:
                continue
            for c in range(3):
                cover = _near(cover_close[y, x], cover_far[y // 2, x // 2], enough, c)
                back = _near(close[y, x], far[y // 2, x // 2], enough, c)
                rest = min(max(plate[y, x, c] - (ONE - m) * back, NONE), TWO * m * cover + np.float32(1e-3))
                out[y, x, c] = rest * m + cover * m * (ONE - m) if any_solid else rest
