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
    height, width = made.shape
    count = inverses.shape[0]
    # A row at a time: first where each pixel lies, then what is there; so each loop is simple.
    flat = coefs.reshape(-1)
    flat_mask = mask.reshape(-1)
    place = np.empty(width, np.int32)
    fx = np.empty(width, np.float32)
    fy = np.empty(width, np.float32)
    total = np.empty(width, np.float32)
    inside = np.empty(width, np.float32)
    held = np.empty(width, np.float32)
    none, one = np.float32(0.0), np.float32(1.0)
    sixth, four, three, six = np.float32(1 / 6), np.float32(4), np.float32(3), np.float32(6)
    wide, tall = float(columns - 2), float(rows - 2)
    for y in range(height):
        total[:] = none
        inside[:] = none
        held[:] = one
        for k in range(count):
            h = inverses[k]
            px0 = left + 0.5 + jitters[k, 0]
            py = top + y + 0.5 + jitters[k, 1]
            h00, h10, h20 = h[0, 0], h[1, 0], h[2, 0]
            c0 = h[0, 1] * py + h[0, 2]
            c1 = h[1, 1] * py + h[1, 2]
            c2 = h[2, 1] * py + h[2, 2]
            for x in range(width):
                px = px0 + x
                w = h20 * px + c2
                inv = 1.0 / w
                u = (h00 * px + c0) * inv - 0.5 - offset_x
                v = (h10 * px + c1) * inv - 0.5 - offset_y
                good = (w > 0) & (u >= 1) & (v >= 1) & (u < wide) & (v < tall)
                u = u if good else 1.0
                v = v if good else 1.0
                i, j = np.int32(u), np.int32(v)
                fx[x] = np.float32(u - i)
                fy[x] = np.float32(v - j)
                place[x] = j * np.int32(columns) + i
                held[x] = held[x] if good else none
            for x in range(width):
                p = np.int64(place[x])
                f, g = fx[x], fy[x]
                f1, g1 = one - f, one - g
                a0, a3 = f1 * f1 * f1 * sixth, f * f * f * sixth
                a1 = (four - six * f * f + three * f * f * f) * sixth
                a2 = (four - six * f1 * f1 + three * f1 * f1 * f1) * sixth
                b0, b3 = g1 * g1 * g1 * sixth, g * g * g * sixth
                b1 = (four - six * g * g + three * g * g * g) * sixth
                b2 = (four - six * g1 * g1 + three * g1 * g1 * g1) * sixth
                q = p - columns
                r0 = a0 * flat[q - 1] + a1 * flat[q] + a2 * flat[q + 1] + a3 * flat[q + 2]
                r1 = a0 * flat[p - 1] + a1 * flat[p] + a2 * flat[p + 1] + a3 * flat[p + 2]
                q = p + columns
                r2 = a0 * flat[q - 1] + a1 * flat[q] + a2 * flat[q + 1] + a3 * flat[q + 2]
                q = q + columns
                r3 = a0 * flat[q - 1] + a1 * flat[q] + a2 * flat[q + 1] + a3 * flat[q + 2]
                total[x] += b0 * r0 + b1 * r1 + b2 * r2 + b3 * r3
                near = p + (columns if g >= np.float32(0.5) else 0) + (1 if f >= np.float32(0.5) else 0)
                inside[x] += flat_mask[near]
        share = one / np.float32(count)
        if curve.size > 0:
            steps = np.float32(curve.size - 1)
            for x in range(width):
                mean = total[x] * share
                at = np.sqrt(min(max(mean, none), one)) * steps
                low = min(np.int32(at), np.int32(curve.size - 2))
                part = at - np.float32(low)
                made[y, x] = (curve[low] + (curve[low + 1] - curve[low]) * part) if held[x] > none else none
                seen[y, x] = held[x] * max(none, inside[x] * share * 8 - 7)
        else:
            for x in range(width):
                made[y, x] = total[x] * share * held[x]
                seen[y, x] = held[x] * max(none, inside[x] * share * np.float32(8) - np.float32(7))


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
    slope = np.float32(1 / size)
    none = np.float32(0.0)
    floor = np.float32(least)
    for y in range(1, rest.shape[0] - 1):
        # Single numbers and no branches, so that the loop runs on several pixels at once.
        xx0 = xx1 = xx2 = xx3 = xx4 = xy0 = xy1 = xy2 = xy3 = xy4 = yy0 = yy1 = yy2 = yy3 = yy4 = none
        px0 = px1 = px2 = py0 = py1 = py2 = off = here = none
        begin = np.float32((0.5 - centre_x) / size)
        for x in range(1, rest.shape[1] - 1):
            gx, gy = across[y, x], down[y, x]
            v = votes[y, x] if gx * gx + gy * gy >= floor else none
            r = rest[y, x]
            n = begin + np.float32(x) * slope
            n2 = n * n
            vx, vy = v * gx, v * gy
            xx, xy, yy = vx * gx, vx * gy, vy * gy
            rx, ry = vx * r, vy * r
            n3, n4 = n2 * n, n2 * n2
            xx0 += xx
            xx1 += xx * n
            xx2 += xx * n2
            xx3 += xx * n3
            xx4 += xx * n4
            xy0 += xy
            xy1 += xy * n
            xy2 += xy * n2
            xy3 += xy * n3
            xy4 += xy * n4
            yy0 += yy
            yy1 += yy * n
            yy2 += yy * n2
            yy3 += yy * n3
            yy4 += yy * n4
            px0 += rx
            px1 += rx * n
            px2 += rx * n2
            py0 += ry
            py1 += ry * n
            py2 += ry * n2
            off += v * r * r
            here += v
        moments[0, 0], moments[0, 1], moments[0, 2], moments[0, 3], moments[0, 4] = xx0, xx1, xx2, xx3, xx4
        moments[1, 0], moments[1, 1], moments[1, 2], moments[1, 3], moments[1, 4] = xy0, xy1, xy2, xy3, xy4
        moments[2, 0], moments[2, 1], moments[2, 2], moments[2, 3], moments[2, 4] = yy0, yy1, yy2, yy3, yy4
        pulls[0, 0], pulls[0, 1], pulls[0, 2] = px0, px1, px2
        pulls[1, 0], pulls[1, 1], pulls[1, 2] = py0, py1, py2
        energy += float(off)
        if here <= 0:
            continue
        count += float(here)
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
    none = np.float32(0.0)
    columns = rest.shape[1]
    for y in range(1, rest.shape[0] - 1):
        for column in range(out.shape[1]):
            xx = xy = yy = rx = ry = voted = whole = count = none
            for x in range(max(column * block, 1), min(column * block + block, columns - 1)):
                gx, gy = across[y, x], down[y, x]
                steep = gx * gx + gy * gy
                w = weight[y, x] if steep > none else none
                v, r = votes[y, x], rest[y, x]
                vx, vy = v * gx, v * gy
                xx += vx * gx
                xy += vx * gy
                yy += vy * gy
                rx += vx * r
                ry += vy * r
                voted += v * steep
                whole += w * steep
                count += w
            sums = out[y // block, column]
            sums[0] += xx
            sums[1] += xy
            sums[2] += yy
            sums[3] += rx
            sums[4] += ry
            sums[5] += voted
            sums[6] += whole
            sums[7] += count
