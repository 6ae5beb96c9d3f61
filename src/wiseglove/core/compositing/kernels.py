"""Compiled loops of the composite. Pictures are (h, w, 3) float32 working values, mattes (h, w)."""

# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numba as nb
import numpy as np

from wiseglove.core.parallel import rows_at_once

ONE = np.float32(1)
"""Plain numbers are wide ones for numba, and whatever they touch is computed in wide ones, five times as slowly."""


@rows_at_once
def displayed(working, table, out):
    """8-bit pixels of working values by a table of 65536 levels, clipped to 0..1."""
    for y in nb.prange(working.shape[0]):
        for x in range(working.shape[1]):
            for c in range(working.shape[2]):
                value = working[y, x, c] * np.float32(65535.0) + np.float32(0.5)
                out[y, x, c] = table[nb.uint16(min(max(value, np.float32(0)), np.float32(65535)))]


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
            by = ONE / max(a, np.float32(1e-6))
            for c in range(3):
                colour[y, x, c] = total[y, x, c] * by


@rows_at_once
def laid(back, front, alpha, nearer):
    """A front laid over the back, in place, held out by what is nearer; see `over.over_with_holdout`."""
    for y in nb.prange(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            seen = alpha[y, x] * (ONE - nearer[y, x])
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
                plain = b + (front[y, x, c] - b) * a * (ONE - n)
                clean = own[y, x, c] + (ONE - n) * (front[y, x, c] * a + b * (ONE - a))
                back[y, x, c] = plain + (clean - plain) * inside


@nb.njit(cache=True, nogil=True, fastmath=True)
def _seen_added(colour, alpha, nearer, total):
    """Adds what is seen of a row of a layer to a total (w, 3)."""
    for x in range(alpha.shape[0]):
        seen = alpha[x] * (ONE - nearer[x])
        total[x, 0] += colour[x, 0] * seen
        total[x, 1] += colour[x, 1] * seen
        total[x, 2] += colour[x, 2] * seen


@rows_at_once
def made_small(colour, alpha, nearer, opacity, left, top, step, out):
    """What is seen of a layer whose first pixel is (left, top), premultiplied, as means of step x step pixels in `out` (h, w, 3)."""
    share = np.float32(1 / (step * step)) * opacity
    height, width = alpha.shape
    for row in nb.prange(top // step, (top + height - 1) // step + 1):
        total = np.zeros((width, 3), np.float32)
        for y in range(max(row * step - top, 0), min(row * step - top + step, height)):
            _seen_added(colour[y], alpha[y], nearer[y], total)
        for column in range(left // step, (left + width - 1) // step + 1):
            r, g, b = np.float32(0), np.float32(0), np.float32(0)
            for x in range(max(column * step - left, 0), min(column * step - left + step, width)):
                r += total[x, 0]
                g += total[x, 1]
                b += total[x, 2]
            out[row, column, 0] += r * share
            out[row, column, 1] += g * share
            out[row, column, 2] += b * share


@nb.njit(cache=True, nogil=True, fastmath=True, inline="always")
def between(at, step, count):
    """The coarse row, of `count`, from which a fine one is on the way to the next, that, and how far."""
    place = min(max((at + 0.5) / step - 0.5, 0.0), count - 1.0)
    low = int(place)
    return low, min(low + 1, count - 1), np.float32(place - low)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _lit(row, over, over_next, low, amount, around, around_next, low_light, strength):
    """One row of `lightened`, all flat; a function of its own, so that the compiler sees that none of it overlaps."""
    for i in range(row.shape[0]):
        light = ONE + (around[i] + (around_next[i] - around[i]) * low_light) * strength[i]
        row[i] = row[i] * light + (over[i] + (over_next[i] - over[i]) * low) * amount


@rows_at_once
def lightened(
    picture, left, top, glow, glow_step, glow_amount, light, light_step, light_amount, alpha, nearer, across, down
):
    """A picture with glow over it and light on all but the pane's face, in place.

    left, top: the picture's first pixel in the frame. glow, light: as wide as the frame, of `step` times fewer rows of all of it;
    straight between their rows. alpha, nearer (h, w): of the pane and of what hides it, whose first pixel is (across, down) of
    the picture.
    """
    width = picture.shape[1]
    for y in nb.prange(picture.shape[0]):
        up, below, low = between(top + y, glow_step, glow.shape[0])
        g0, g1 = glow[up, left : left + width].reshape(-1), glow[below, left : left + width].reshape(-1)
        up, below, low_light = between(top + y, light_step, light.shape[0])
        l0, l1 = light[up, left : left + width].reshape(-1), light[below, left : left + width].reshape(-1)
        strength = np.empty((width, 3), np.float32)
        strength[:] = light_amount
        if 0 <= y - down < alpha.shape[0]:
            for x in range(alpha.shape[1]):
                by = light_amount * (ONE - alpha[y - down, x] * (ONE - nearer[y - down, x]))
                strength[across + x, 0] = strength[across + x, 1] = strength[across + x, 2] = by
        _lit(picture[y].reshape(-1), g0, g1, low, glow_amount, l0, l1, low_light, strength.reshape(-1))
