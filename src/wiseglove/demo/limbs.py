"""Ray casting of a hand made of tapering limbs that melt into each other.

Sphere tracing (Hart 1996) of a smooth union of round-ended tapering limbs, limited to 16-pixel tiles that
know which limbs can be seen in them. Light: a warm lamp, cool ambient from above, the panel's own glow.
"""

from __future__ import annotations

import math

import numba as nb
import numpy as np
from numpy.typing import NDArray

TILE = 16
MELT = 0.0055
"""How far apart two limbs begin to melt together, in metres."""


LATTICE = np.random.default_rng(19).uniform(-1, 1, (32, 32, 32)).astype(np.float32)


@nb.njit(cache=True, fastmath=True, inline="always")
def _noise(x, y, z):  # type: ignore[no-untyped-def]
    """Smooth value noise in -1..1, periodic over 32."""
    xf, yf, zf = math.floor(x), math.floor(y), math.floor(z)
    fx, fy, fz = x - xf, y - yf, z - zf
    fx, fy, fz = fx * fx * (3 - 2 * fx), fy * fy * (3 - 2 * fy), fz * fz * (3 - 2 * fz)
    i, j, k = int(xf) & 31, int(yf) & 31, int(zf) & 31
    i1, j1, k1 = (i + 1) & 31, (j + 1) & 31, (k + 1) & 31
    low = (LATTICE[i, j, k] * (1 - fx) + LATTICE[i1, j, k] * fx) * (1 - fy)
    low += (LATTICE[i, j1, k] * (1 - fx) + LATTICE[i1, j1, k] * fx) * fy
    high = (LATTICE[i, j, k1] * (1 - fx) + LATTICE[i1, j, k1] * fx) * (1 - fy)
    high += (LATTICE[i, j1, k1] * (1 - fx) + LATTICE[i1, j1, k1] * fx) * fy
    return low * (1 - fz) + high * fz


@nb.njit(cache=True, fastmath=True, inline="always")
def _distance(px, py, pz, a, ab, inv, ra, dr, which, count):  # type: ignore[no-untyped-def]
    """Distance to the melted limbs, and the nearest limb."""
    best = 1e3
    d = 1e3
    nearest = which[0]
    for k in range(count):
        i = which[k]
        qx, qy, qz = px - a[i, 0], py - a[i, 1], pz - a[i, 2]
        h = min(max((qx * ab[i, 0] + qy * ab[i, 1] + qz * ab[i, 2]) * inv[i], 0.0), 1.0)
        qx, qy, qz = qx - h * ab[i, 0], qy - h * ab[i, 1], qz - h * ab[i, 2]
        radius = ra[i] + h * dr[i]
        square = qx * qx + qy * qy + qz * qz
        if square > (d + MELT + radius) ** 2:
            continue  # too far to touch what was found already
        own = math.sqrt(square) - radius
        if own < best:
            best = own
            nearest = i
        blend = max(MELT - abs(own - d), 0.0) / MELT
        d = min(own, d) - blend * blend * MELT * 0.25
    return d, nearest


@nb.njit(cache=True, fastmath=True)
def cast(  # type: ignore[no-untyped-def]
    a, b, ra, rb, cloth, dip, dorsal, turn, place, focal, centre, jitter, box, lists, counts, lamp, glow,
    colour, hit, phase,
):  # fmt: skip
    """Nearest limb (plate-sized; -1 for none) and its colour (h, w, 3, linear) in a box (left, top, right, bottom).

    colour and hit hold the sub-frame before this one: a pixel that still shows the same limb is shaded anew only in
    every third sub-frame, by `phase`, since the hand moves by little in between. Where limbs are is always exact.
    """
    left, top = box[0], box[1]
    ab = b - a
    n = a.shape[0]
    inv = np.empty(n)
    for i in range(n):
        length = ab[i, 0] ** 2 + ab[i, 1] ** 2 + ab[i, 2] ** 2
        inv[i] = 1.0 / length if length > 1e-12 else 0.0
    dr = rb - ra
    for row in range(top, box[3]):
        for column in range(left, box[2]):
            ty, tx = (row - top) // TILE, (column - left) // TILE
            count = counts[ty, tx]
            before = hit[row, column]
            hit[row, column] = -1
            if count == 0:
                continue
            which = lists[ty, tx]
            u = (column + jitter[0] - centre[0]) / focal
            v = (row + jitter[1] - centre[1]) / focal
            norm = math.sqrt(u * u + v * v + 1.0)
            u, v, w = u / norm, v / norm, 1.0 / norm
            rx = turn[0, 0] * u + turn[1, 0] * v + turn[2, 0] * w
            ry = turn[0, 1] * u + turn[1, 1] * v + turn[2, 1] * w
            rz = turn[0, 2] * u + turn[1, 2] * v + turn[2, 2] * w
            t = 0.30
            found = False
            nearest = which[0]
            for _ in range(26):
                d, nearest = _distance(
                    place[0] + t * rx, place[1] + t * ry, place[2] + t * rz, a, ab, inv, ra, dr, which, count
                )
                if d < 0.0002:
                    found = True
                    break
                t += d * 0.97
                if t > 1.3:
                    break
            if not found:
                continue
            hit[row, column] = nearest
            if before == nearest and (row + 2 * column + phase) % 3 != 0:
                continue
            px, py, pz = place[0] + t * rx, place[1] + t * ry, place[2] + t * rz
            e = 0.0004
            d1, _ = _distance(px + e, py - e, pz - e, a, ab, inv, ra, dr, which, count)
            d2, _ = _distance(px - e, py - e, pz + e, a, ab, inv, ra, dr, which, count)
            d3, _ = _distance(px - e, py + e, pz - e, a, ab, inv, ra, dr, which, count)
            d4, _ = _distance(px + e, py + e, pz + e, a, ab, inv, ra, dr, which, count)
            nx, ny, nz = d1 - d2 - d3 + d4, -d1 - d2 + d3 + d4, -d1 + d2 - d3 + d4
            norm = math.sqrt(nx * nx + ny * ny + nz * nz) + 1e-12
            nx, ny, nz = nx / norm, ny / norm, nz / norm

            # Where on its limb: along the axis, around it from the dorsal side.
            i = nearest
            length = math.sqrt(ab[i, 0] ** 2 + ab[i, 1] ** 2 + ab[i, 2] ** 2) + 1e-9
            qx, qy, qz = px - a[i, 0], py - a[i, 1], pz - a[i, 2]
            along = (qx * ab[i, 0] + qy * ab[i, 1] + qz * ab[i, 2]) / length
            side_x = (ab[i, 1] * dorsal[i, 2] - ab[i, 2] * dorsal[i, 1]) / length
            side_y = (ab[i, 2] * dorsal[i, 0] - ab[i, 0] * dorsal[i, 2]) / length
            side_z = (ab[i, 0] * dorsal[i, 1] - ab[i, 1] * dorsal[i, 0]) / length
            up = qx * dorsal[i, 0] + qy * dorsal[i, 1] + qz * dorsal[i, 2]
            across = qx * side_x + qy * side_y + qz * side_z
            grain = _noise(along * 900, up * 900, across * 900 + i * 7)
            blotch = _noise(along * 130, up * 130 + 3.0, across * 130 + i * 3)
            gloss = 0.10
            if cloth[i] == 1:
                rib = math.sin(math.atan2(across, up) * 34.0)
                row_of = math.sin(along * 2400.0 + 1.5 * rib)
                ar, ag, ab_ = 0.055 + 0.016 * rib, 0.125 + 0.03 * rib, 0.115 + 0.03 * rib
                shade = 1.0 + 0.12 * row_of + 0.12 * grain
                nx, ny, nz = nx + 0.22 * rib * side_x, ny + 0.22 * rib * side_y, nz + 0.22 * rib * side_z
                gloss = 0.015
            elif cloth[i] == 2:
                fold = _noise(along * 38 + 1.7, math.atan2(across, up) * 1.3, 4.0)
                ar, ag, ab_ = 0.055, 0.068, 0.098
                shade = 1.0 + 0.30 * fold + 0.10 * grain
                nx, ny, nz = nx + 0.35 * fold * side_x, ny + 0.35 * fold * side_y, nz + 0.35 * fold * side_z
                gloss = 0.01
            else:
                # Pale knitted back, dipped in dark rubber from the middle of the fingers to the tips and palm.
                dipped = dip[i] + along * 22.0 - up * 18.0 + 0.16 * blotch > 1.0
                wrinkle = math.exp(-((min(abs(along), abs(along - length)) / 0.0048) ** 2)) * (inv[i] > 0.0)
                lines = math.sin(along * 2900.0 + 0.8 * blotch)
                if dipped:
                    ar, ag, ab_ = 0.070, 0.030, 0.040
                    shade = 1.0 + 0.10 * grain + 0.22 * blotch
                    gloss = 0.16
                else:
                    weave = math.sin(along * 3100.0) * math.sin(across * 3100.0)
                    ar, ag, ab_ = 0.40, 0.355, 0.275
                    shade = 1.0 + 0.15 * weave + 0.10 * grain + 0.10 * blotch
                    gloss = 0.012
                shade *= 1.0 - 0.22 * wrinkle * max(lines, 0.0)
                if not dipped and inv[i] > 0.0 and abs(up) < 0.0011 + 0.0004 * grain:  # seam along a finger's side
                    shade *= 0.55
                bump = 0.10 * grain + 0.10 * blotch + 0.10 * wrinkle * lines
                nx, ny, nz = nx + bump * side_x, ny + bump * side_y, nz + bump * side_z
            norm = math.sqrt(nx * nx + ny * ny + nz * nz) + 1e-12
            nx, ny, nz = nx / norm, ny / norm, nz / norm

            occlusion = 1.0
            reach = 0.006
            for _ in range(2):
                d, _ = _distance(px + nx * reach, py + ny * reach, pz + nz * reach, a, ab, inv, ra, dr, which, count)
                occlusion -= 0.42 * max(reach - d, 0.0) / reach
                reach *= 2.0
            occlusion = max(occlusion, 0.12)

            lx, ly, lz = lamp[0] - px, lamp[1] - py, lamp[2] - pz
            norm = math.sqrt(lx * lx + ly * ly + lz * lz)
            lx, ly, lz = lx / norm, ly / norm, lz / norm
            shadow = 1.0
            reach = 0.006
            for _ in range(4):
                d, _ = _distance(px + lx * reach, py + ly * reach, pz + lz * reach, a, ab, inv, ra, dr, which, count)
                shadow = min(shadow, max(d, 0.0) / (0.22 * reach))
                reach *= 2.0
            shadow = 0.12 + 0.88 * shadow
            lambert = max((nx * lx + ny * ly + nz * lz + 0.15) / 1.15, 0.0) * shadow
            hx, hy, hz = lx - rx, ly - ry, lz - rz
            norm = math.sqrt(hx * hx + hy * hy + hz * hz)
            shine = max((nx * hx + ny * hy + nz * hz) / norm, 0.0) ** 28 * gloss * shadow * (1.0 + 0.5 * grain)
            ambient = (0.55 - 0.45 * ny) * occlusion
            gx, gy, gz = glow[0] - px, glow[1] - py, glow[2] - pz
            norm = math.sqrt(gx * gx + gy * gy + gz * gz)
            bounce = max((nx * gx + ny * gy + nz * gz) / norm, 0.0) * 0.018 / (norm * norm + 0.02) * occlusion
            grazing = 1.0 - max(-(nx * rx + ny * ry + nz * rz), 0.0)
            rim = grazing**3 * 0.10 * occlusion
            colour[row, column, 0] = ar * shade * (1.75 * lambert + 0.13 * ambient + 0.35 * bounce + rim) + 1.2 * shine
            colour[row, column, 1] = ag * shade * (1.42 * lambert + 0.16 * ambient + 0.80 * bounce + rim) + 1.0 * shine
            colour[row, column, 2] = ab_ * shade * (1.02 * lambert + 0.23 * ambient + 0.78 * bounce + rim) + 0.8 * shine


def tiles(circles: NDArray[np.float64], box: tuple[int, int, int, int]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which limbs each tile of a box can see. circles (n, 2, 3): x, y, radius on the plate of both ends."""
    left, top, right, bottom = box
    rows, columns = -(-(bottom - top) // TILE), -(-(right - left) // TILE)
    centre_x = left + (np.arange(columns) + 0.5) * TILE
    centre_y = top + (np.arange(rows) + 0.5) * TILE
    start, end = circles[:, 0, :2], circles[:, 1, :2]
    span = end - start
    size = np.maximum((span**2).sum(axis=1), 1e-9)
    grid = np.stack(np.meshgrid(centre_x, centre_y), axis=-1)[:, :, None, :]
    share = np.clip(((grid - start) * span).sum(axis=-1) / size, 0, 1)
    away = np.linalg.norm(grid - start - share[..., None] * span, axis=-1)
    seen = away < circles[:, :, 2].max(axis=1) + TILE * 0.75 + 4
    counts = seen.sum(axis=-1)
    lists = np.zeros((rows, columns, max(int(counts.max(initial=0)), 1)), np.int64)
    for row, column in zip(*np.nonzero(counts), strict=True):
        which = np.flatnonzero(seen[row, column])
        lists[row, column, : len(which)] = which
    return lists, counts
