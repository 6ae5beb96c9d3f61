"""Ray casting of a hand made of tapering limbs that melt into each other.

Sphere tracing (Hart 1996) of a smooth union of round-ended tapering limbs, limited to 16-pixel tiles that
know which limbs can be seen in them. Light: a warm lamp, cool ambient from above, the panel's own glow.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

TILE = 16
MELT = 0.0055
"""How far apart two limbs begin to melt together, in metres."""


NEAR, FAR = 0.30, 1.3
"""Metres along a ray between which limbs are looked for."""
SURE = 0.97
"""How much of a distance is gone at once: that to a tapering limb is taken a little too far."""


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


class Limbs(NamedTuple):
    """n tapering limbs: ends (n, 3) in metres, radii (n,), what they are dressed in, and which way their backs face (n, 3)."""

    start: Array
    end: Array
    start_radius: Array
    end_radius: Array
    cloth: NDArray[np.int64]
    dip: Array
    dorsal: Array


class View(NamedTuple):
    """From where it is seen: rotation (3, 3), place (3,), focal length and centre (2,) in pixels, and the shift within a pixel."""

    turn: Array
    place: Array
    focal: float
    centre: Array
    jitter: Array


class Tiles(NamedTuple):
    """A box (left, top, right, bottom), and for each of its tiles which limbs can be seen there and how many."""

    box: NDArray[np.int64]
    lists: NDArray[np.int64]
    counts: NDArray[np.int64]


class Light(NamedTuple):
    """Where the lamp and the panel's glow are, (3,) each."""

    lamp: Array
    glow: Array


@nb.njit(cache=True, fastmath=True)
def cast(limbs, view, tiles, light, colour, hit, phase):  # type: ignore[no-untyped-def]
    """Nearest limb (plate-sized; -1 for none) and its colour (h, w, 3, linear) in the box of the tiles.

    colour and hit hold the sub-frame before this one: a pixel that still shows the same limb is shaded anew only in
    every third sub-frame, by `phase`, since the hand moves by little in between. Where limbs are is always exact.
    """
    left, top = tiles.box[0], tiles.box[1]
    ab = limbs.end - limbs.start
    n = ab.shape[0]
    inv = np.empty(n)
    for i in range(n):
        length = ab[i, 0] ** 2 + ab[i, 1] ** 2 + ab[i, 2] ** 2
        inv[i] = 1.0 / length if length > 1e-12 else 0.0
    melted = (limbs.start, ab, inv, limbs.start_radius, limbs.end_radius - limbs.start_radius)
    for ty in range(tiles.counts.shape[0]):
        for tx in range(tiles.counts.shape[1]):
            seen = (tiles.lists[ty, tx], tiles.counts[ty, tx])
            row, column = top + ty * TILE, left + tx * TILE
            tile = (row, column, min(row + TILE, tiles.box[3]), min(column + TILE, tiles.box[2]))
            begin = _clear(view, row, column, melted, seen) if seen[1] > 0 else FAR
            if begin >= FAR:
                hit[tile[0] : tile[2], tile[1] : tile[3]] = -1
            else:
                _cast_tile(limbs, view, light, melted, seen, tile, begin, colour, hit, phase)


@nb.njit(cache=True, fastmath=True)
def _clear(view, row, column, melted, seen):  # type: ignore[no-untyped-def]
    """How far a tile's rays go with nothing in their way: along the middle one, a cone round all of them (Amanatides 1984)."""
    middle = (row + TILE / 2 - view.jitter[1], column + TILE / 2 - view.jitter[0])
    ray = _ray(view, middle[0], middle[1])
    spread = (TILE / 2 * math.sqrt(2.0) + 0.5) / view.focal
    place, t = view.place, NEAR
    while t < FAR:
        d, _ = _away(place[0] + t * ray[0], place[1] + t * ray[1], place[2] + t * ray[2], melted, seen)
        further = (t + SURE * d) / (1.0 + spread)
        if further < t + 0.001:
            return t
        t = further
    return FAR


@nb.njit(cache=True, fastmath=True)
def _cast_tile(limbs, view, light, melted, seen, tile, begin, colour, hit, phase):  # type: ignore[no-untyped-def]
    """The pixels of a tile (top, left, bottom, right), whose rays meet nothing before `begin`."""
    for row in range(tile[0], tile[2]):
        for column in range(tile[1], tile[3]):
            before = hit[row, column]
            hit[row, column] = -1
            ray = _ray(view, row, column)
            t, nearest = _met(view.place, ray, begin, melted, seen)
            if t < 0:
                continue
            hit[row, column] = nearest
            if before == nearest and (row + 2 * column + phase) % 3 != 0:
                continue
            place = (view.place[0] + t * ray[0], view.place[1] + t * ray[1], view.place[2] + t * ray[2])
            normal, albedo, gloss, grain = _dressed(limbs, melted, place, _normal(place, melted, seen), nearest)
            seen_colour = _lit(light, melted, seen, place, normal, ray, albedo, gloss, grain)
            for k in range(3):
                colour[row, column, k] = seen_colour[k]


@nb.njit(cache=True, fastmath=True, inline="always")
def _ray(view, row, column):  # type: ignore[no-untyped-def]
    """Unit direction in which a pixel looks."""
    u = (column + view.jitter[0] - view.centre[0]) / view.focal
    v = (row + view.jitter[1] - view.centre[1]) / view.focal
    norm = math.sqrt(u * u + v * v + 1.0)
    u, v, w = u / norm, v / norm, 1.0 / norm
    turn = view.turn
    return (
        turn[0, 0] * u + turn[1, 0] * v + turn[2, 0] * w,
        turn[0, 1] * u + turn[1, 1] * v + turn[2, 1] * w,
        turn[0, 2] * u + turn[1, 2] * v + turn[2, 2] * w,
    )


@nb.njit(cache=True, fastmath=True, inline="always")
def _away(x, y, z, melted, seen):  # type: ignore[no-untyped-def]
    """Distance to the limbs that can be seen, and the nearest one."""
    return _distance(x, y, z, melted[0], melted[1], melted[2], melted[3], melted[4], seen[0], seen[1])


@nb.njit(cache=True, fastmath=True, inline="always")
def _met(place, ray, begin, melted, seen):  # type: ignore[no-untyped-def]
    """How far along a ray a limb is met from `begin` on (-1: none is), and which one."""
    t = begin
    nearest = seen[0][0]
    for _ in range(26):
        d, nearest = _away(place[0] + t * ray[0], place[1] + t * ray[1], place[2] + t * ray[2], melted, seen)
        if d < 0.0002:
            return t, nearest
        t += d * SURE
        if t > FAR:
            break
    return -1.0, nearest


@nb.njit(cache=True, fastmath=True, inline="always")
def _normal(place, melted, seen):  # type: ignore[no-untyped-def]
    """Unit normal of the surface at a place, from four distances around it."""
    px, py, pz = place
    e = 0.0004
    d1, _ = _away(px + e, py - e, pz - e, melted, seen)
    d2, _ = _away(px - e, py - e, pz + e, melted, seen)
    d3, _ = _away(px - e, py + e, pz - e, melted, seen)
    d4, _ = _away(px + e, py + e, pz + e, melted, seen)
    return _unit(d1 - d2 - d3 + d4, -d1 - d2 + d3 + d4, -d1 + d2 - d3 + d4)


@nb.njit(cache=True, fastmath=True, inline="always")
def _unit(x, y, z):  # type: ignore[no-untyped-def]
    norm = math.sqrt(x * x + y * y + z * z) + 1e-12
    return x / norm, y / norm, z / norm


@nb.njit(cache=True, fastmath=True)
def _dressed(limbs, melted, place, normal, i):  # type: ignore[no-untyped-def]
    """Normal with the cloth's relief, albedo, gloss and grain, by where on limb i a place is."""
    ab = melted[1]
    length = math.sqrt(ab[i, 0] ** 2 + ab[i, 1] ** 2 + ab[i, 2] ** 2) + 1e-9
    qx, qy, qz = place[0] - limbs.start[i, 0], place[1] - limbs.start[i, 1], place[2] - limbs.start[i, 2]
    along = (qx * ab[i, 0] + qy * ab[i, 1] + qz * ab[i, 2]) / length
    dorsal = limbs.dorsal
    side = (
        (ab[i, 1] * dorsal[i, 2] - ab[i, 2] * dorsal[i, 1]) / length,
        (ab[i, 2] * dorsal[i, 0] - ab[i, 0] * dorsal[i, 2]) / length,
        (ab[i, 0] * dorsal[i, 1] - ab[i, 1] * dorsal[i, 0]) / length,
    )
    up = qx * dorsal[i, 0] + qy * dorsal[i, 1] + qz * dorsal[i, 2]
    across = qx * side[0] + qy * side[1] + qz * side[2]
    grain = _noise(along * 900, up * 900, across * 900 + i * 7)
    if limbs.cloth[i] == 1:
        albedo, gloss, relief = _ribbed(along, up, across, grain)
    elif limbs.cloth[i] == 2:
        albedo, gloss, relief = _folded(along, up, across, grain)
    else:
        blotch = _noise(along * 130, up * 130 + 3.0, across * 130 + i * 3)
        albedo, gloss, relief = _knitted(along, up, across, grain, blotch, length, limbs.dip[i], melted[2][i] > 0.0)
    rough = _unit(normal[0] + relief * side[0], normal[1] + relief * side[1], normal[2] + relief * side[2])
    return rough, albedo, gloss, grain


@nb.njit(cache=True, fastmath=True, inline="always")
def _ribbed(along, up, across, grain):  # type: ignore[no-untyped-def]
    """The cuff: ribs that run along it. Albedo, gloss and relief."""
    rib = math.sin(math.atan2(across, up) * 34.0)
    shade = 1.0 + 0.12 * math.sin(along * 2400.0 + 1.5 * rib) + 0.12 * grain
    albedo = (shade * (0.055 + 0.016 * rib), shade * (0.125 + 0.03 * rib), shade * (0.115 + 0.03 * rib))
    return albedo, 0.015, 0.22 * rib


@nb.njit(cache=True, fastmath=True, inline="always")
def _folded(along, up, across, grain):  # type: ignore[no-untyped-def]
    """The sleeve: soft folds. Albedo, gloss and relief."""
    fold = _noise(along * 38 + 1.7, math.atan2(across, up) * 1.3, 4.0)
    shade = 1.0 + 0.30 * fold + 0.10 * grain
    return (shade * 0.055, shade * 0.068, shade * 0.098), 0.01, 0.35 * fold


@nb.njit(cache=True, fastmath=True, inline="always")
def _knitted(along, up, across, grain, blotch, length, dip, long):  # type: ignore[no-untyped-def]
    """The glove: a pale knitted back, dipped in dark rubber from the middle of the fingers to the tips and palm."""
    dipped = dip + along * 22.0 - up * 18.0 + 0.16 * blotch > 1.0
    wrinkle = math.exp(-((min(abs(along), abs(along - length)) / 0.0048) ** 2)) * long
    lines = math.sin(along * 2900.0 + 0.8 * blotch)
    shade = 1.0 + 0.10 * grain
    if dipped:
        shade += 0.22 * blotch
    else:
        shade += 0.15 * math.sin(along * 3100.0) * math.sin(across * 3100.0) + 0.10 * blotch
    shade *= 1.0 - 0.22 * wrinkle * max(lines, 0.0)
    if not dipped and long and abs(up) < 0.0011 + 0.0004 * grain:  # seam along a finger's side
        shade *= 0.55
    relief = 0.10 * grain + 0.10 * blotch + 0.10 * wrinkle * lines
    if dipped:
        return (shade * 0.070, shade * 0.030, shade * 0.040), 0.16, relief
    return (shade * 0.40, shade * 0.355, shade * 0.275), 0.012, relief


@nb.njit(cache=True, fastmath=True)
def _lit(light, melted, seen, place, normal, ray, albedo, gloss, grain):  # type: ignore[no-untyped-def]
    """Linear colour of a place: the lamp with its shadow, the sky, the panel's glow, a rim."""
    px, py, pz = place
    nx, ny, nz = normal
    occlusion = 1.0
    reach = 0.006
    for _ in range(2):
        d, _ = _away(px + nx * reach, py + ny * reach, pz + nz * reach, melted, seen)
        occlusion -= 0.42 * max(reach - d, 0.0) / reach
        reach *= 2.0
    occlusion = max(occlusion, 0.12)
    lx, ly, lz = _unit(light.lamp[0] - px, light.lamp[1] - py, light.lamp[2] - pz)
    shadow = 1.0
    reach = 0.006
    for _ in range(4):
        d, _ = _away(px + lx * reach, py + ly * reach, pz + lz * reach, melted, seen)
        shadow = min(shadow, max(d, 0.0) / (0.22 * reach))
        reach *= 2.0
    shadow = 0.12 + 0.88 * shadow
    lambert = max((nx * lx + ny * ly + nz * lz + 0.15) / 1.15, 0.0) * shadow
    hx, hy, hz = _unit(lx - ray[0], ly - ray[1], lz - ray[2])
    shine = max(nx * hx + ny * hy + nz * hz, 0.0) ** 28 * gloss * shadow * (1.0 + 0.5 * grain)
    ambient = (0.55 - 0.45 * ny) * occlusion
    gx, gy, gz = light.glow[0] - px, light.glow[1] - py, light.glow[2] - pz
    norm = math.sqrt(gx * gx + gy * gy + gz * gz)
    bounce = max((nx * gx + ny * gy + nz * gz) / norm, 0.0) * 0.018 / (norm * norm + 0.02) * occlusion
    rim = (1.0 - max(-(nx * ray[0] + ny * ray[1] + nz * ray[2]), 0.0)) ** 3 * 0.10 * occlusion
    return (
        albedo[0] * (1.75 * lambert + 0.13 * ambient + 0.35 * bounce + rim) + 1.2 * shine,
        albedo[1] * (1.42 * lambert + 0.16 * ambient + 0.80 * bounce + rim) + 1.0 * shine,
        albedo[2] * (1.02 * lambert + 0.23 * ambient + 0.78 * bounce + rim) + 0.8 * shine,
    )


def tiles(circles: NDArray[np.float64], box: tuple[int, int, int, int]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which limbs each tile of a box can see. circles (n, 2, 3): x, y, radius on the plate of both ends."""
    left, top, right, bottom = box
    shape = (-(-(bottom - top) // TILE), -(-(right - left) // TILE))
    lists, counts = np.zeros((*shape, len(circles)), np.int64), np.zeros(shape, np.int64)
    _listed(circles, left, top, lists, counts)
    return lists, counts


@nb.njit(cache=True)
def _listed(circles, left, top, lists, counts):  # type: ignore[no-untyped-def]
    for i in range(circles.shape[0]):
        x, y = circles[i, 0, 0], circles[i, 0, 1]
        dx, dy = circles[i, 1, 0] - x, circles[i, 1, 1] - y
        size = max(dx * dx + dy * dy, 1e-9)
        reach = max(circles[i, 0, 2], circles[i, 1, 2]) + TILE * 0.75 + 4
        for row in range(counts.shape[0]):
            for column in range(counts.shape[1]):
                cx, cy = left + (column + 0.5) * TILE - x, top + (row + 0.5) * TILE - y
                share = min(max((cx * dx + cy * dy) / size, 0.0), 1.0)
                if math.hypot(cx - share * dx, cy - share * dy) < reach:
                    lists[row, column, counts[row, column]] = i
                    counts[row, column] += 1


@nb.njit(cache=True)
def put(colour, hit, part, picture, counts):  # type: ignore[no-untyped-def]
    """Put the limbs' colour over the picture and add one to the counts (parts, h, w) of the part that is seen."""
    for row in range(hit.shape[0]):
        for column in range(hit.shape[1]):
            nearest = hit[row, column]
            if nearest >= 0:
                for k in range(3):
                    picture[row, column, k] = colour[row, column, k]
                counts[part[nearest], row, column] += 1
