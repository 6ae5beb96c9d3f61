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
def mattes(picture, backing, own, inside, main, one, other, balance, low, high, grain, out):
    """Where a pixel's difference lies between that of the backing (0) and the subject's own (1), both ends clipped.

    The subject is either as its solid colours around are, or dark, as hair before a face is. Each way gives a matte and
    a mix of the two colours; the nearer that mix comes to the pixel, the more its matte counts.
    """
    spread = np.float32(1.0) / max(high - low, np.float32(1e-3))
    rest = np.float32(1.0) - balance
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            if inside[y, x] > 0:
                out[y, x] = np.float32(0.0)
                continue
            there = picture[y, x, main] - balance * max(picture[y, x, one], picture[y, x, other])
            there -= rest * min(picture[y, x, one], picture[y, x, other])
            back = backing[y, x, main] - balance * max(backing[y, x, one], backing[y, x, other])
            back = max(back - rest * min(backing[y, x, one], backing[y, x, other]), np.float32(1e-4))
            solid = own[y, x, main] - balance * max(own[y, x, one], own[y, x, other])
            solid = min(solid - rest * min(own[y, x, one], own[y, x, other]), np.float32(0.6) * back)
            a = min(max((back - there) / max(back - solid, np.float32(0.1) * back), np.float32(0.0)), np.float32(1.0))
            d = min(max((back - there) / back, np.float32(0.0)), np.float32(1.0))
            off_a = off_d = grain
            for c in range(3):
                p, q = picture[y, x, c], backing[y, x, c]
                e = p - a * own[y, x, c] - (1 - a) * q
                f = p - (1 - d) * q
                off_a += e * e
                off_d += f * f
            off_a *= off_a
            off_d *= off_d
            mixed = (a * off_d + d * off_a) / (off_a + off_d)
            out[y, x] = min(max((mixed - low) * spread, np.float32(0.0)), np.float32(1.0))


@nb.njit(cache=True, nogil=True, fastmath=True)
def cleaned(picture, alpha, backing, main, one, other, balance, share, least, out):
    """The backing taken out of each pixel by its alpha, and of what is left the main channel limited by the others."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            a = alpha[y, x]
            gain = np.float32(1.0) / max(a, least)
            for c in range(3):
                out[y, x, c] = max((picture[y, x, c] - (1 - a) * backing[y, x, c]) * gain, np.float32(0.0))
            p, q = out[y, x, one], out[y, x, other]
            most = balance * min(p, q) + (1 - balance) * max(p, q)
            excess = max(out[y, x, main] - most, np.float32(0.0))
            out[y, x, main] -= excess
            for c in range(3):
                out[y, x, c] += excess * share
