"""Compiled inner loops of the key: one pass over the pixels each, rows by several threads, plain arrays in and out."""
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numba as nb
import numpy as np

from wiseglove.core.parallel import rows_at_once


@rows_at_once
def to_roots(values, out):
    """Linear light (h, n) as 8-bit steps that are even in its square root, about as the eye sees them."""
    for y in nb.prange(values.shape[0]):
        for x in range(values.shape[1]):
            v = min(max(values[y, x], np.float32(0.0)), np.float32(1.0))
            out[y, x] = np.uint8(np.int32(np.sqrt(v) * np.float32(255.0) + np.float32(0.5)))


@rows_at_once
def from_roots(roots, values, out):
    """Linear light (h, n) of smoothed roots; what is brighter than they hold stays as it was."""
    for y in nb.prange(roots.shape[0]):
        for x in range(roots.shape[1]):
            v = np.float32(roots[y, x]) * np.float32(1 / 255)
            out[y, x] = v * v if values[y, x] < np.float32(1.0) else values[y, x]


@rows_at_once
def alike(picture, share, total, near, dim, bright, main, one, other, gain, out, steps):
    """1 where a pixel's shares of red, green and blue are within `near` of `share` and its light within bounds.

    steps: by how much the main channel exceeds both others, times `gain`, in 8 bits.
    """
    for y in nb.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            light = r + g + b
            off = abs(r - light * share[0]) + abs(g - light * share[1]) + abs(b - light * share[2])
            fits = (off < near * light) & (light > dim * total) & (light < bright * total)
            out[y, x] = np.uint8(1) if fits else np.uint8(0)
            excess = picture[y, x, main] - max(picture[y, x, one], picture[y, x, other])
            steps[y, x] = np.uint8(
                np.int32(min(max(excess * gain, np.float32(0.0)), np.float32(255.0)) + np.float32(0.5))
            )


@rows_at_once
def foreign(picture, backing, main, one, other, share, out):
    """1 where the main channel exceeds the others by less than a share of what it does in the backing there."""
    for y in nb.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            there = picture[y, x, main] - max(picture[y, x, one], picture[y, x, other])
            back = backing[y, x, main] - max(backing[y, x, one], backing[y, x, other])
            out[y, x] = np.uint8(1) if there < share * max(back, np.float32(1e-4)) else np.uint8(0)


@nb.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _shares(p, p1, p2, f, f1, f2, q, q1, q2, prior):
    """Shares u of f and v of q in p by least squares, with `prior` for how far they are from one together; how far off that is."""
    upper = f * f + f1 * f1 + f2 * f2 + prior
    lower = q * q + q1 * q1 + q2 * q2 + prior
    both = q * f + q1 * f1 + q2 * f2 + prior
    to_back, to_own = p * q + p1 * q1 + p2 * q2 + prior, p * f + p1 * f1 + p2 * f2 + prior
    inverse = np.float32(1.0) / max(upper * lower - both * both, np.float32(1e-9))
    v = (upper * to_back - both * to_own) * inverse
    u = (lower * to_own - both * to_back) * inverse
    e, e1, e2 = p - u * f - v * q, p1 - u * f1 - v * q1, p2 - u * f2 - v * q2
    return u, v, prior * (u + v - np.float32(1.0)) ** 2 + e * e + e1 * e1 + e2 * e2


@rows_at_once
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
    half = np.float32(0.5) * spill
    for y in nb.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            if inside[y, x] > 0:
                out[y, x] = np.float32(0.0)
                continue
            p, p1, p2 = picture[y, x, main], picture[y, x, one], picture[y, x, other]
            q, q1, q2 = backing[y, x, main], backing[y, x, one], backing[y, x, other]
            s, s1, s2 = own[y, x, main], own[y, x, one], own[y, x, other]
            f, f1, f2 = s + half * q, s1 + half * q1, s2 + half * q2
            bb = q * q + q1 * q1 + q2 * q2
            prior = even * bb
            _, v, off = _shares(p, p1, p2, f, f1, f2, q, q1, q2, prior)
            a = min(max(np.float32(1.0) - v, np.float32(0.0)), np.float32(1.0))
            there = p - balance * max(p1, p2) - rest * min(p1, p2)
            back = max(q - balance * max(q1, q2) - rest * min(q1, q2), np.float32(1e-4))
            solid = s - balance * max(s1, s2) - rest * min(s1, s2)
            solid = min(solid + half * back, np.float32(0.6) * back)
            d = min(max((back - there) / (back * full), np.float32(0.0)), np.float32(1.0))
            k = min(max((back - there) / max(back - solid, np.float32(0.1) * back), np.float32(0.0)), np.float32(1.0))
            dark = np.float32(1.0) - d * full
            g, g1, g2 = p - dark * q, p1 - dark * q1, p2 - dark * q2
            off_a = grain + off
            off_d = grain + g * g + g1 * g1 + g2 * g2
            off_k = grain + plain * bb
            # The three weigh by the inverse of how far off they are.
            for_a, for_d, for_k = off_d * off_k, off_a * off_k, off_a * off_d
            mixed = (a * for_a + d * for_d + k * for_k) / (for_a + for_d + for_k)
            out[y, x] = min(max((mixed - low) * spread, np.float32(0.0)), np.float32(1.0))


@nb.njit(cache=True, nogil=True, fastmath=True)
def _cleaned(picture, alpha, backing, y, x, main, one, other, balance, amount, tint, least):
    """The backing taken out of a pixel by its alpha, and of what is left the main channel limited by the others.

    amount: share of the excess that goes, (h, w) or one for all, (1, 1). tint: what comes for it, (h, w, 3) or one for
    all, (1, 1, 3).
    """
    u, v = (y, x) if tint.shape[0] > 1 else (0, 0)
    a = alpha[y, x]
    gain, rest = np.float32(1.0) / max(a, least), np.float32(1.0) - a
    m = max((picture[y, x, main] - rest * backing[y, x, main]) * gain, np.float32(0.0))
    p = max((picture[y, x, one] - rest * backing[y, x, one]) * gain, np.float32(0.0))
    q = max((picture[y, x, other] - rest * backing[y, x, other]) * gain, np.float32(0.0))
    most = balance * min(p, q) + (np.float32(1.0) - balance) * max(p, q)
    goes = amount[y, x] if amount.shape[0] > 1 else amount[0, 0]
    excess = goes * max(m - most, np.float32(0.0))
    return m - excess + excess * tint[u, v, main], p + excess * tint[u, v, one], q + excess * tint[u, v, other]


@rows_at_once
def sure_means(picture, alpha, backing, main, one, other, balance, amount, tint, least, step, top, share):
    """Like `gathered`, of the subject's own colours: they weigh 0 where the matte is a half or less, 1 from three quarters on."""
    height, width, _ = picture.shape
    inverse = np.float32(1.0 / (step * step))
    for j in nb.prange(share.shape[0]):
        for i in range(share.shape[1]):
            total = a = b = c = np.float32(0.0)
            for y in range(np.int64(j) * step, min((np.int64(j) + 1) * step, height)):
                for x in range(i * step, min((i + 1) * step, width)):
                    if alpha[y, x] > np.float32(0.5):
                        w = min((alpha[y, x] - np.float32(0.5)) * np.float32(4.0), np.float32(1.0))
                        m, p, q = _cleaned(
                            picture, alpha, backing, y, x, main, one, other, balance, amount, tint, least
                        )
                        total += w
                        a += w * m
                        b += w * p
                        c += w * q
            share[j, i] = total * inverse
            top[j, i, main], top[j, i, one], top[j, i, other] = a * inverse, b * inverse, c * inverse


@rows_at_once
def completed(picture, alpha, backing, main, one, other, balance, amount, tint, least, out):
    """A pixel's own colour where there is enough of the subject in it to tell; elsewhere that of around, which `out` holds."""
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            a = alpha[y, x]
            if a > least:
                m, p, q = _cleaned(
                    picture, alpha, backing, np.int64(y), x, main, one, other, balance, amount, tint, least
                )
                sure = min((a - least) / np.float32(0.35), np.float32(1.0))
                out[y, x, main] += (m - out[y, x, main]) * sure
                out[y, x, one] += (p - out[y, x, one]) * sure
                out[y, x, other] += (q - out[y, x, other]) * sure


@rows_at_once
def united(alpha, core, garbage, out):
    """(key united with core) without garbage; core and garbage may be (1, 1) for none."""
    with_core, with_garbage = core.shape[0] > 1, garbage.shape[0] > 1
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            a = alpha[y, x]
            if with_core:
                a = a + core[y, x] - a * core[y, x]
            out[y, x] = a * (np.float32(1.0) - garbage[y, x]) if with_garbage else a


@rows_at_once
def gathered(values, weight, step, top, share):
    """Means over blocks of step x step pixels: of the weight (h, w), and of values (h, w, 3) times it."""
    height, width, _ = values.shape
    inverse = np.float32(1.0 / (step * step))
    for j in nb.prange(share.shape[0]):
        for i in range(share.shape[1]):
            total = a = b = c = np.float32(0.0)
            for y in range(np.int64(j) * step, min((np.int64(j) + 1) * step, height)):
                for x in range(i * step, min((i + 1) * step, width)):
                    w = np.float32(weight[y, x])
                    if w > 0:
                        total += w
                        a += w * values[y, x, 0]
                        b += w * values[y, x, 1]
                        c += w * values[y, x, 2]
            share[j, i] = total * inverse
            top[j, i, 0], top[j, i, 1], top[j, i, 2] = a * inverse, b * inverse, c * inverse


@rows_at_once
def settled(sums, share, below):
    """What is known in a window (sums over shares) where there is enough of it, and what came from wider ones elsewhere."""
    for y in nb.prange(below.shape[0]):
        for x in range(below.shape[1]):
            s = share[y, x]
            sure = min(s / np.float32(0.3), np.float32(1.0))
            inverse = sure / max(s, np.float32(1e-6))
            for c in range(3):
                below[y, x, c] = sums[y, x, c] * inverse + below[y, x, c] * (1 - sure)


@rows_at_once
def levels(top, share, main, one, other, colours, level):
    """Sums as colours (j, i, 3), and by how much the main channel exceeds both others, as a share of all light (j, i)."""
    for j in nb.prange(share.shape[0]):
        for i in range(share.shape[1]):
            inverse = np.float32(1.0) / max(share[j, i], np.float32(1e-4))
            p, q, r = top[j, i, main] * inverse, top[j, i, one] * inverse, top[j, i, other] * inverse
            colours[j, i, main], colours[j, i, one], colours[j, i, other] = p, q, r
            level[j, i] = (p - max(q, r)) / max(p + q + r, np.float32(1e-3))


@rows_at_once
def traced(colours, backing, near, asked, pure, main, one, other, least, mixed, own):
    """For blocks that are asked about: how much of the backing is in a colour (j, i, 3), and what it is mixed with.

    pure (m, 3): what it may be mixed with. near (j, i, 3): the nearest of them; what is hardly more than that one, mixed by
    less than `least`, stays. Least squares on both shares, with a fifth of the backing's square for how far they are from
    one together, as in `mattes`; a mixture must have more of the main channel than what it is mixed with, fit within
    0.003 of the backing's square, and is preferred by how much backing it explains. own is left where none does.
    """
    for j in nb.prange(colours.shape[0]):
        for i in range(colours.shape[1]):
            if not asked[j, i]:
                continue
            p, p1, p2 = colours[j, i, main], colours[j, i, one], colours[j, i, other]
            q, q1, q2 = backing[j, i, main], backing[j, i, one], backing[j, i, other]
            bb = max(q * q + q1 * q1 + q2 * q2, np.float32(1e-6))
            prior, most, worth = np.float32(0.2) * bb, np.float32(0.003) * bb, np.float32(0.01) * bb
            u, v, off = _shares(p, p1, p2, near[j, i, main], near[j, i, one], near[j, i, other], q, q1, q2, prior)
            if v < least and off < most:
                continue
            back = max(q - max(q1, q2), np.float32(1e-4))
            here = (p - max(p1, p2)) / back
            best = np.float32(9e9)
            for m in range(pure.shape[0]):
                f, f1, f2 = pure[m, main], pure[m, one], pure[m, other]
                if (f - max(f1, f2)) / back > here - np.float32(0.03):
                    continue
                u, v, off = _shares(p, p1, p2, f, f1, f2, q, q1, q2, prior)
                if v <= 0 or v >= 1 or off > most or off - worth * v > best:
                    continue
                best = off - worth * v
                lit = min(max(u / max(np.float32(1.0) - v, np.float32(0.2)), np.float32(0.5)), np.float32(1.5))
                mixed[j, i] = v
                own[j, i, main], own[j, i, one], own[j, i, other] = lit * f, lit * f1, lit * f2
