"""Compiled inner loops of the key: one pass over the pixels each, plain arrays in and out."""
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numba as nb
import numpy as np


@nb.njit(cache=True, nogil=True, fastmath=True)
def to_roots(picture, out):
    """Linear light (h, w, 3) as 8-bit steps that are even in its square root, about as the eye sees them."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            for c in range(3):
                v = min(max(picture[y, x, c], np.float32(0.0)), np.float32(1.0))
                out[y, x, c] = np.uint8(np.sqrt(v) * np.float32(255.0) + np.float32(0.5))


@nb.njit(cache=True, nogil=True, fastmath=True)
def from_roots(roots, picture, out):
    """Linear light of smoothed roots; what is brighter than they hold stays as it was."""
    for y in range(roots.shape[0]):
        for x in range(roots.shape[1]):
            for c in range(3):
                v = np.float32(roots[y, x, c]) * np.float32(1 / 255)
                out[y, x, c] = v * v if picture[y, x, c] < 1 else picture[y, x, c]


@nb.njit(cache=True, nogil=True, fastmath=True)
def alike(picture, share, total, near, dim, bright, out):
    """1 where a pixel's shares of red, green and blue are within `near` of `share` and its light within bounds."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            light = r + g + b
            inverse = np.float32(1.0) / max(light, np.float32(1e-5))
            off = abs(r * inverse - share[0]) + abs(g * inverse - share[1]) + abs(b * inverse - share[2])
            fits = (off < near) & (light > dim * total) & (light < bright * total)
            out[y, x] = np.uint8(1) if fits else np.uint8(0)


@nb.njit(cache=True, nogil=True, fastmath=True)
def differences(picture, main, one, other, balance, out):
    """By how much the main channel exceeds the others, of which the larger counts `balance` and the smaller the rest."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            a, b = picture[y, x, one], picture[y, x, other]
            out[y, x] = picture[y, x, main] - balance * max(a, b) - (1 - balance) * min(a, b)


@nb.njit(cache=True, nogil=True, fastmath=True)
def mattes(picture, backing, own, inside, main, one, other, balance, low, high, grain, spill, even, plain, out):
    """How much of each pixel is the subject, both ends clipped: three explanations, each weighing by how well it fits.

    The subject may be as its solid colours around are, only lighter or darker (least squares on those colours and the
    backing, with `even` times the backing's square for how far both shares are from one together); or dark, as hair before
    a face is, with a share `spill` of the backing's light on it; or of some other colour, whose difference is as that of
    the colours around: this tells nothing of how well it fits, and weighs as if it were off by `plain` times the square.
    """
    spread = np.float32(1.0) / max(high - low, np.float32(1e-3))
    rest = np.float32(1.0) - balance
    full = np.float32(1.0) - spill
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            if inside[y, x] > 0:
                out[y, x] = np.float32(0.0)
                continue
            bb = ff = bf = pb = pf = np.float32(0.0)
            for c in range(3):
                p, q = picture[y, x, c], backing[y, x, c]
                f = own[y, x, c] + np.float32(0.5) * spill * q
                bb += q * q
                ff += f * f
                bf += q * f
                pb += p * q
                pf += p * f
            prior = even * bb
            upper, both, lower = ff + prior, bf + prior, bb + prior
            inverse = np.float32(1.0) / max(upper * lower - both * both, np.float32(1e-9))
            v = (upper * (pb + prior) - both * (pf + prior)) * inverse
            u = (lower * (pf + prior) - both * (pb + prior)) * inverse
            a = min(max(np.float32(1.0) - v, np.float32(0.0)), np.float32(1.0))
            there = picture[y, x, main] - balance * max(picture[y, x, one], picture[y, x, other])
            there -= rest * min(picture[y, x, one], picture[y, x, other])
            back = backing[y, x, main] - balance * max(backing[y, x, one], backing[y, x, other])
            back = max(back - rest * min(backing[y, x, one], backing[y, x, other]), np.float32(1e-4))
            solid = own[y, x, main] - balance * max(own[y, x, one], own[y, x, other])
            solid -= rest * min(own[y, x, one], own[y, x, other])
            solid = min(solid + np.float32(0.5) * spill * back, np.float32(0.6) * back)
            d = min(max((back - there) / (back * full), np.float32(0.0)), np.float32(1.0))
            k = min(max((back - there) / max(back - solid, np.float32(0.1) * back), np.float32(0.0)), np.float32(1.0))
            off_a = grain + prior * (u + v - np.float32(1.0)) ** 2
            off_d = grain
            for c in range(3):
                p, q = picture[y, x, c], backing[y, x, c]
                e = p - u * (own[y, x, c] + np.float32(0.5) * spill * q) - v * q
                g = p - (np.float32(1.0) - d * full) * q
                off_a += e * e
                off_d += g * g
            for_a, for_d, for_k = (
                np.float32(1.0) / off_a,
                np.float32(1.0) / off_d,
                np.float32(1.0) / (grain + plain * bb),
            )
            mixed = (a * for_a + d * for_d + k * for_k) / (for_a + for_d + for_k)
            out[y, x] = min(max((mixed - low) * spread, np.float32(0.0)), np.float32(1.0))


@nb.njit(cache=True, nogil=True, fastmath=True)
def cleaned(picture, alpha, backing, main, one, other, balance, amount, tint, least, out):
    """The backing taken out of each pixel by its alpha, and of what is left the main channel limited by the others.

    amount: share of the excess that goes, (h, w) or one for all, (1, 1). tint: what comes for it, (h, w, 3) or one for all, (1, 1, 3).
    """
    each, own_amount = tint.shape[0] > 1, amount.shape[0] > 1
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            u, v = (y, x) if each else (0, 0)
            a = alpha[y, x]
            if a <= 0:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = np.float32(0.0)
                continue
            gain = np.float32(1.0) / max(a, least)
            for c in range(3):
                out[y, x, c] = max((picture[y, x, c] - (1 - a) * backing[y, x, c]) * gain, np.float32(0.0))
            p, q = out[y, x, one], out[y, x, other]
            most = balance * min(p, q) + (1 - balance) * max(p, q)
            goes = amount[y, x] if own_amount else amount[0, 0]
            excess = goes * max(out[y, x, main] - most, np.float32(0.0))
            out[y, x, main] -= excess
            for c in range(3):
                out[y, x, c] += excess * tint[u, v, c]


@nb.njit(cache=True, nogil=True, fastmath=True)
def united(alpha, core, garbage, out):
    """(key united with core) without garbage; core and garbage may be (1, 1) for none."""
    with_core, with_garbage = core.shape[0] > 1, garbage.shape[0] > 1
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            a = alpha[y, x]
            if with_core:
                a = a + core[y, x] - a * core[y, x]
            out[y, x] = a * (np.float32(1.0) - garbage[y, x]) if with_garbage else a


@nb.njit(cache=True, nogil=True, fastmath=True)
def surely(alpha, out):
    """How surely a pixel's colour is the subject's own: 0 where the matte is a half or less, 1 from three quarters on."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            out[y, x] = min(max((alpha[y, x] - np.float32(0.5)) * np.float32(4.0), np.float32(0.0)), np.float32(1.0))


@nb.njit(cache=True, nogil=True, fastmath=True)
def gathered(values, weight, step, rows, top, share):
    """Means over blocks of step x step pixels: of the weight (h, w), and of values (h, w, c) times it.

    rows: which rows of blocks `top` and `share` hold, one after the other.
    """
    height, width, channels = values.shape
    inverse = np.float32(1.0 / (step * step))
    for j in range(share.shape[0]):
        for i in range(share.shape[1]):
            total = np.float32(0.0)
            for c in range(channels):
                top[j, i, c] = np.float32(0.0)
            for y in range(rows[j] * step, min((rows[j] + 1) * step, height)):
                for x in range(i * step, min((i + 1) * step, width)):
                    w = weight[y, x]
                    if w > 0:
                        total += w
                        for c in range(channels):
                            top[j, i, c] += w * values[y, x, c]
            share[j, i] = total * inverse
            for c in range(channels):
                top[j, i, c] *= inverse


@nb.njit(cache=True, nogil=True, fastmath=True)
def settled(sums, share, below):
    """What is known in a window (sums over shares) where there is enough of it, and what came from wider ones elsewhere."""
    for y in range(below.shape[0]):
        for x in range(below.shape[1]):
            s = share[y, x]
            sure = min(s / np.float32(0.3), np.float32(1.0))
            inverse = sure / max(s, np.float32(1e-6))
            for c in range(below.shape[2]):
                below[y, x, c] = sums[y, x, c] * inverse + below[y, x, c] * (1 - sure)


@nb.njit(cache=True, nogil=True, fastmath=True)
def completed(own, around, alpha, least, out):
    """A pixel's own colour where there is enough of the subject in it to tell, and the colours around elsewhere."""
    for y in range(own.shape[0]):
        for x in range(own.shape[1]):
            if alpha[y, x] <= least:
                for c in range(3):
                    out[y, x, c] = around[y, x, c]
                continue
            sure = min(max((alpha[y, x] - least) / np.float32(0.35), np.float32(0.0)), np.float32(1.0))
            for c in range(3):
                out[y, x, c] = around[y, x, c] + (own[y, x, c] - around[y, x, c]) * sure
