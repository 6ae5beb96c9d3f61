"""Compiled inner loops of the alignment; plain arrays in and out, no decisions.

Pictures are float32 (h, w). Points are plate coordinates (centre of the first pixel at 0.5, 0.5) divided by the
level's reduction; a window's `left` and `top` are where its first pixel lies.
"""
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numba as nb
import numpy as np


@nb.njit(cache=True, nogil=True, fastmath=True)
def render(coefs, mask, offset_x, offset_y, inverses, jitters, left, top, curve, made, seen):
    """The reference as the frame would show it: mean over sub-poses, by cubic B-spline (Unser 1999).

    coefs, mask: spline coefficients and what counts of the reference, whose first pixel lies at the offset.
    inverses (K, 3, 3): window to reference. jitters (K, 2): place within the pixel. made, seen: results (h, w).
    curve: values by which the mean (0..1, linear light) is encoded, at even steps; empty where it is encoded already.
    """
    rows, columns = coefs.shape
    count = inverses.shape[0]
    for y in range(made.shape[0]):
        for x in range(made.shape[1]):
            total = np.float32(0.0)
            inside = np.float32(0.0)
            for k in range(count):
                px = left + x + 0.5 + jitters[k, 0]
                py = top + y + 0.5 + jitters[k, 1]
                h = inverses[k]
                w = h[2, 0] * px + h[2, 1] * py + h[2, 2]
                if w <= 0:
                    break
                u = (h[0, 0] * px + h[0, 1] * py + h[0, 2]) / w - 0.5 - offset_x
                v = (h[1, 0] * px + h[1, 1] * py + h[1, 2]) / w - 0.5 - offset_y
                if u < 1 or v < 1 or u >= columns - 2 or v >= rows - 2:
                    break
                i, j = int(u), int(v)
                f, g = np.float32(u - i), np.float32(v - j)
                f1, g1 = 1 - f, 1 - g
                sixth = np.float32(1 / 6)
                a0, a3 = f1 * f1 * f1 * sixth, f * f * f * sixth
                a1 = (4 - 6 * f * f + 3 * f * f * f) * sixth
                a2 = (4 - 6 * f1 * f1 + 3 * f1 * f1 * f1) * sixth
                b0, b3 = g1 * g1 * g1 * sixth, g * g * g * sixth
                b1 = (4 - 6 * g * g + 3 * g * g * g) * sixth
                b2 = (4 - 6 * g1 * g1 + 3 * g1 * g1 * g1) * sixth
                r0 = (
                    a0 * coefs[j - 1, i - 1]
                    + a1 * coefs[j - 1, i]
                    + a2 * coefs[j - 1, i + 1]
                    + a3 * coefs[j - 1, i + 2]
                )
                r1 = a0 * coefs[j, i - 1] + a1 * coefs[j, i] + a2 * coefs[j, i + 1] + a3 * coefs[j, i + 2]
                r2 = (
                    a0 * coefs[j + 1, i - 1]
                    + a1 * coefs[j + 1, i]
                    + a2 * coefs[j + 1, i + 1]
                    + a3 * coefs[j + 1, i + 2]
                )
                r3 = (
                    a0 * coefs[j + 2, i - 1]
                    + a1 * coefs[j + 2, i]
                    + a2 * coefs[j + 2, i + 1]
                    + a3 * coefs[j + 2, i + 2]
                )
                total += b0 * r0 + b1 * r1 + b2 * r2 + b3 * r3
                inside += mask[int(v + 0.5), int(u + 0.5)]
                if k == count - 1:
                    mean = total / count
                    if curve.size > 0:
                        place = min(max(mean, np.float32(0.0)), np.float32(1.0)) ** np.float32(0.5) * (curve.size - 1)
                        low = min(int(place), curve.size - 2)
                        mean = curve[low] + (curve[low + 1] - curve[low]) * (place - low)
                    made[y, x] = mean
                    seen[y, x] = max(np.float32(0.0), inside / count * 8 - 7)


@nb.njit(cache=True, nogil=True, fastmath=True)
def cell_sums(frame, made, weight, cell, sums):
    """Sums over cells of w, wI, wJ, wII, wIJ, wJJ into (6, h/cell, w/cell)."""
    for cy in range(sums.shape[1]):
        for cx in range(sums.shape[2]):
            s0 = s1 = s2 = s3 = s4 = s5 = np.float32(0.0)
            for y in range(cy * cell, cy * cell + cell):
                for x in range(cx * cell, cx * cell + cell):
                    w = weight[y, x]
                    i, j = frame[y, x], made[y, x]
                    s0 += w
                    s1 += w * i
                    s2 += w * j
                    s3 += w * i * i
                    s4 += w * i * j
                    s5 += w * j * j
            sums[0, cy, cx] = s0
            sums[1, cy, cx] = s1
            sums[2, cy, cx] = s2
            sums[3, cy, cx] = s3
            sums[4, cy, cx] = s4
            sums[5, cy, cx] = s5


@nb.njit(cache=True, nogil=True, fastmath=True)
def differences(frame, made, weight, gain, lift, rest, across, down):
    """I - (gain J + lift) where there is weight, and gain x the gradient of J; 0 beside what has no weight."""
    for y in range(1, rest.shape[0] - 1):
        for x in range(1, rest.shape[1] - 1):
            g = gain[y, x]
            half = g * np.float32(0.5)
            around = min(min(weight[y, x - 1], weight[y, x + 1]), min(weight[y - 1, x], weight[y + 1, x]))
            if around > 0:
                across[y, x] = (made[y, x + 1] - made[y, x - 1]) * half
                down[y, x] = (made[y + 1, x] - made[y - 1, x]) * half
            if weight[y, x] > 0:
                rest[y, x] = frame[y, x] - g * made[y, x] - lift[y, x]


@nb.njit(cache=True, nogil=True, fastmath=True)
def move(rest, across, down, left, top, change):
    """What is left over once the reference has moved a little further, to first order, in place.

    change: homography of the level's coordinates by which it moves.
    """
    for y in range(1, rest.shape[0] - 1):
        for x in range(1, rest.shape[1] - 1):
            gx, gy = across[y, x], down[y, x]
            if gx == 0 and gy == 0:
                continue
            px, py = left + x + 0.5, top + y + 0.5
            w = change[2, 0] * px + change[2, 1] * py + change[2, 2]
            dx = (change[0, 0] * px + change[0, 1] * py + change[0, 2]) / w - px
            dy = (change[1, 0] * px + change[1, 1] * py + change[1, 2]) / w - py
            rest[y, x] += np.float32(gx * dx + gy * dy)


@nb.njit(cache=True, nogil=True, fastmath=True)
def vote(smoothed, across, down, evidence, weight, noise, slack, votes):
    """How much each pixel counts: Tukey's biweight of the smoothed residual against noise + slack x gradient, times
    what is known of the pixel and its neighbourhood."""
    for y in range(1, votes.shape[0] - 1):
        for x in range(1, votes.shape[1] - 1):
            gx, gy = across[y, x], down[y, x]
            off = smoothed[y, x] / (noise + slack * np.sqrt(gx * gx + gy * gy))
            left = max(np.float32(0.0), 1 - off * off)
            votes[y, x] = weight[y, x] * evidence[y, x] * left * left


@nb.njit(cache=True, nogil=True, fastmath=True)
def normal_equations(rest, votes, across, down, least, centre_x, centre_y, size, freedoms, left_side, right_side):
    """Sums of the weighted least squares for a small change, see `models.directions`.

    Pixels whose squared gradient is below `least` have nothing to say and are skipped. The sums along a row are
    moments in x, from which the row's part of the (n, n) left and (n,) right side follows.
    Returns (sum of votes x residual squared, sum of votes) over the pixels that count.
    """
    left_side[:] = 0.0
    right_side[:] = 0.0
    energy = 0.0
    count = 0.0
    moments = np.zeros((3, 5))
    pulls = np.zeros((2, 3))
    # Each direction is gx * a(x, y) + gy * b(x, y); a and b as (constant, x, x squared) for the row's y.
    a = np.zeros((8, 3))
    b = np.zeros((8, 3))
    for y in range(1, rest.shape[0] - 1):
        moments[:] = 0.0
        pulls[:] = 0.0
        here = 0.0
        for x in range(1, rest.shape[1] - 1):
            v = votes[y, x]
            gx, gy = across[y, x], down[y, x]
            if v <= 0 or gx * gx + gy * gy < least:
                continue
            r = rest[y, x]
            n = np.float32((x + 0.5 - centre_x) / size)
            n2 = n * n
            n3 = n2 * n
            n4 = n2 * n2
            vx, vy = v * gx, v * gy
            xx, xy, yy = vx * gx, vx * gy, vy * gy
            moments[0, 0] += xx
            moments[0, 1] += xx * n
            moments[0, 2] += xx * n2
            moments[0, 3] += xx * n3
            moments[0, 4] += xx * n4
            moments[1, 0] += xy
            moments[1, 1] += xy * n
            moments[1, 2] += xy * n2
            moments[1, 3] += xy * n3
            moments[1, 4] += xy * n4
            moments[2, 0] += yy
            moments[2, 1] += yy * n
            moments[2, 2] += yy * n2
            moments[2, 3] += yy * n3
            moments[2, 4] += yy * n4
            pulls[0, 0] += vx * r
            pulls[0, 1] += vx * r * n
            pulls[0, 2] += vx * r * n2
            pulls[1, 0] += vy * r
            pulls[1, 1] += vy * r * n
            pulls[1, 2] += vy * r * n2
            energy += v * r * r
            here += v
        if here <= 0:
            continue
        count += here
        ny = (y + 0.5 - centre_y) / size
        a[0, 0] = 1.0
        b[1, 0] = 1.0
        a[2, 1], b[2, 0] = 1.0, ny
        b[3, 1], a[3, 0] = 1.0, -ny
        a[4, 1], b[4, 0] = 1.0, -ny
        a[5, 0], b[5, 1] = ny, 1.0
        a[6, 2], b[6, 1] = -1.0, -ny
        a[7, 1], b[7, 0] = -ny, -ny * ny
        for p in range(freedoms):
            for i in range(3):
                right_side[p] += a[p, i] * pulls[0, i] + b[p, i] * pulls[1, i]
            for q in range(p + 1):
                total = 0.0
                for i in range(3):
                    for j in range(3):
                        total += a[p, i] * a[q, j] * moments[0, i + j] + b[p, i] * b[q, j] * moments[2, i + j]
                        total += (a[p, i] * b[q, j] + b[p, i] * a[q, j]) * moments[1, i + j]
                left_side[p, q] += total
    for p in range(freedoms):
        for q in range(p):
            left_side[q, p] = left_side[p, q]
    return energy, count


@nb.njit(cache=True, nogil=True, fastmath=True)
def block_sums(rest, weight, votes, across, down, block, out):
    """For each block: sums of votes x gradient products (xx, xy, yy), votes x gradient x residual (x, y), and the
    gradients' energy with (5) and without (6) votes, and the pixels (7), into (rows, columns, 8)."""
    out[:] = 0.0
    for y in range(1, rest.shape[0] - 1):
        for x in range(1, rest.shape[1] - 1):
            gx, gy = across[y, x], down[y, x]
            steep = gx * gx + gy * gy
            if steep <= 0:
                continue
            sums = out[y // block, x // block]
            v = votes[y, x]
            r = rest[y, x]
            sums[0] += v * gx * gx
            sums[1] += v * gx * gy
            sums[2] += v * gy * gy
            sums[3] += v * gx * r
            sums[4] += v * gy * r
            sums[5] += v * steep
            sums[6] += weight[y, x] * steep
            sums[7] += weight[y, x]
