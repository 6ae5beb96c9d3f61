"""Soft edges: a ramp from 1 at the inner offset of a curve to 0 at its outer one, by envelopes.

Each place of the curve with widths wi (inwards) and wo (outwards) puts a ramp around itself. A pixel outside
the curve takes the largest of (wo - d) / (wi + wo) over all places, d being its distance from the place; a pixel
inside takes the smallest of (wo + d) / (wi + wo). Nothing is offset, so nothing can fold or tear.
"""

from __future__ import annotations

import math
import threading

import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import FLATNESS, Points, pieces_for
from wiseglove.core.matte.coverage import Box, Matte, accumulated

STEEPEST = 0.65
"""Largest change of a width along the curve, in px per px; steeper ones would make the ramps overtake each other."""
HARD = 1.5
"""Ramps narrower than this many pixels turn into exact coverage by degrees."""
STEP = 6.0
"""Longest piece, in pixels, of a stretch whose width changes."""

Line = NDArray[np.float64]
"""A closed polyline (M, 4) with its first vertex repeated at the end: x, y, inward width, outward width."""


def is_soft(points: Points) -> bool:
    """Whether any point of an outline (..., N, 8) has a soft edge."""
    return bool(points[..., 6:].max(initial=0.0) > 0.0)


def soft_line(points: Points, scale: float = 1.0, tolerance: float = FLATNESS) -> Line:
    """An outline (N, 8) as a polyline with widths, all in scaled pixels.

    Widths go from point to point by smoothstep, and never change faster than STEEPEST.
    """
    line: Line = _soft_flatten(np.ascontiguousarray(points, np.float64), scale, tolerance)
    return line


@nb.njit(cache=True, fastmath=True)
def _soft_flatten(points, scale, tolerance):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    counts = np.empty(n, np.int64)
    total = 0
    for i in range(n):
        j = (i + 1) % n
        ox, oy = points[i, 4] * scale, points[i, 5] * scale
        ix, iy = points[j, 2] * scale, points[j, 3] * scale
        wx, wy = (points[j, 0] - points[i, 0]) * scale, (points[j, 1] - points[i, 1]) * scale
        narrow = min(points[i, 6] + points[i, 7], points[j, 6] + points[j, 7]) * scale
        # A wide ramp forgives a coarser polyline.
        m = pieces_for(ox, oy, ix, iy, wx, wy, tolerance + 0.004 * narrow)
        if points[i, 6] != points[j, 6] or points[i, 7] != points[j, 7]:
            length = math.hypot(ox, oy) + math.hypot(wx + ix - ox, wy + iy - oy) + math.hypot(ix, iy)
            m = max(m, int(length / STEP) + 1)
        counts[i] = min(max(m, 1), 4096)
        total += counts[i]
    line = np.empty((total + 1, 4), np.float64)
    at = 0
    for i in range(n):
        j = (i + 1) % n
        x0, y0 = points[i, 0], points[i, 1]
        x1, y1 = x0 + points[i, 4], y0 + points[i, 5]
        x3, y3 = points[j, 0], points[j, 1]
        x2, y2 = x3 + points[j, 2], y3 + points[j, 3]
        m = counts[i]
        for k in range(m):
            t = k / m
            s = 1.0 - t
            a, b, c, d = s * s * s, 3.0 * s * s * t, 3.0 * s * t * t, t * t * t
            u = t * t * (3.0 - 2.0 * t)
            line[at, 0] = (a * x0 + b * x1 + c * x2 + d * x3) * scale
            line[at, 1] = (a * y0 + b * y1 + c * y2 + d * y3) * scale
            line[at, 2] = (points[i, 6] * (1.0 - u) + points[j, 6] * u) * scale
            line[at, 3] = (points[i, 7] * (1.0 - u) + points[j, 7] * u) * scale
            at += 1
    for c in range(4):  # by numbers: assigning a row takes five seconds to compile
        line[at, c] = line[0, c]
    # Twice round each way, so that what lies across the seam counts too.
    for _ in range(2):
        for k in range(1, total + 1):
            reach = STEEPEST * math.hypot(line[k, 0] - line[k - 1, 0], line[k, 1] - line[k - 1, 1])
            line[k, 2] = min(line[k, 2], line[k - 1, 2] + reach)
            line[k, 3] = min(line[k, 3], line[k - 1, 3] + reach)
        for c in range(4):
            line[0, c] = line[total, c]
        for k in range(total - 1, -1, -1):
            reach = STEEPEST * math.hypot(line[k, 0] - line[k + 1, 0], line[k, 1] - line[k + 1, 1])
            line[k, 2] = min(line[k, 2], line[k + 1, 2] + reach)
            line[k, 3] = min(line[k, 3], line[k + 1, 3] + reach)
        for c in range(4):
            line[total, c] = line[0, c]
    return line


FAR = np.float32(1e30)
NARROWEST = np.float32(0.02)


@nb.njit(cache=True, fastmath=True, error_model="numpy")
def _envelope(line, side, best, width, left, top):  # type: ignore[no-untyped-def]
    """For each pixel in reach of a ramp the value that wins, and how wide its ramp is.

    side is 1 inside and -1 outside; side * (wo + side * d) / (wi + wo) is to be as small as it gets on both.
    """
    rows, columns = side.shape
    for k in range(line.shape[0] - 1):
        ax, ay, bx, by = line[k, 0] - left, line[k, 1] - top, line[k + 1, 0] - left, line[k + 1, 1] - top
        reach = max(max(line[k, 2], line[k, 3]), max(line[k + 1, 2], line[k + 1, 3]))
        if reach < NARROWEST:
            continue
        reach += 0.5
        ex, ey = bx - ax, by - ay
        square = ex * ex + ey * ey
        inverse = 1.0 / square if square > 1e-18 else 0.0
        length = math.sqrt(square)
        nx = -ey / length * reach if length > 1e-9 else 0.0
        ny = ex / length * reach if length > 1e-9 else 0.0
        out_a, out_step = np.float32(line[k, 3]), np.float32(line[k + 1, 3] - line[k, 3])
        whole_a = np.float32(line[k, 2] + line[k, 3])
        whole_step = np.float32(line[k + 1, 2] + line[k + 1, 3]) - whole_a
        vx, vy = np.float32(ex), np.float32(ey)
        hx, hy = np.float32(ex * inverse), np.float32(ey * inverse)
        for row in range(max(int(min(ay, by) - reach), 0), min(int(max(ay, by) + reach) + 1, rows)):
            y = row + 0.5
            # The row's part of all that is in reach: two round ends and the two sides between them.
            low, high = np.inf, -np.inf
            for cx, cy in ((ax, ay), (bx, by)):
                chord = reach * reach - (y - cy) * (y - cy)
                if chord > 0.0:
                    chord = math.sqrt(chord)
                    low, high = min(low, cx - chord), max(high, cx + chord)
            if ey != 0.0:
                for sx, sy in ((ax + nx, ay + ny), (ax - nx, ay - ny)):
                    share = (y - sy) / ey
                    if 0.0 <= share <= 1.0:
                        low, high = min(low, sx + share * ex), max(high, sx + share * ex)
            if low > high:
                continue
            start, stop = max(int(math.ceil(low - 0.5)), 0), min(int(high + 0.5), columns)
            fy = np.float32(y - ay)
            x0 = np.float32(start + 0.5 - ax)
            sides, bests, widths = side[row, start:stop], best[row, start:stop], width[row, start:stop]
            for i in range(len(sides)):
                x = x0 + np.float32(i)
                h = min(max(x * hx + fy * hy, np.float32(0.0)), np.float32(1.0))
                dx, dy = x - h * vx, fy - h * vy
                d = np.float32(math.sqrt(dx * dx + dy * dy))
                whole = max(whole_a + h * whole_step, NARROWEST)
                q = (sides[i] * (out_a + h * out_step) + d) / whole
                nearer = q < bests[i]
                bests[i] = q if nearer else bests[i]
                widths[i] = whole if nearer else widths[i]


@nb.njit(cache=True, fastmath=True)
def _sides(matte, side, best):  # type: ignore[no-untyped-def]
    for row in range(matte.shape[0]):
        for column in range(matte.shape[1]):
            side[row, column] = np.float32(1.0) if matte[row, column] >= np.float32(0.5) else np.float32(-1.0)
            best[row, column] = FAR


@nb.njit(cache=True, fastmath=True)
def _lay(matte, side, best, width):  # type: ignore[no-untyped-def]
    """The ramps, averaged over a pixel, into the matte; narrow ones by degrees."""
    zero, one, half_one = np.float32(0.0), np.float32(1.0), np.float32(0.5)
    for row in range(matte.shape[0]):
        for column in range(matte.shape[1]):
            if best[row, column] >= FAR:
                continue
            w = width[row, column]
            u = side[row, column] * best[row, column]
            # Mean of the clamped ramp over one pixel along its slope: its integral is u^2 / 2 within 0..1.
            half = half_one / w
            low, high = max(u - half, zero), max(u + half, zero)
            under = half_one * low * low if low < one else low - half_one
            over = half_one * high * high if high < one else high - half_one
            ramp = (over - under) * w
            if w < HARD:
                share = w / np.float32(HARD)
                share = share * share * (np.float32(3.0) - np.float32(2.0) * share)
                ramp = matte[row, column] * (one - share) + ramp * share
            matte[row, column] = min(max(ramp, zero), one)


class _Scratch(threading.local):
    """Work space of one thread, kept: fresh memory costs more than all the computing."""

    def __init__(self) -> None:
        self._held = np.zeros((3, 0), np.float32)

    def of(self, shape: tuple[int, ...]) -> tuple[Matte, Matte, Matte]:
        """Three arrays of a shape, with anything in them."""
        size = shape[0] * shape[1]
        if self._held.shape[1] < size:
            self._held = np.zeros((3, size), np.float32)
        side, best, width = (row[:size].reshape(shape) for row in self._held)
        return side, best, width


_scratch = _Scratch()


def soft_coverage(line: Line, box: Box, also: tuple[Line, ...] = ()) -> Matte:
    """Coverage with soft edges of a closed polyline with widths (and further ones: its holes), over a box."""
    lines = (line, *also)
    origin = np.array([box.left, box.top], np.float64)
    matte = accumulated([part[:, :2] - origin for part in lines], box)
    side, best, width = _scratch.of(matte.shape)
    _sides(matte, side, best)
    for part in lines:
        _envelope(np.ascontiguousarray(part), side, best, width, float(box.left), float(box.top))
    _lay(matte, side, best, width)
    return matte
