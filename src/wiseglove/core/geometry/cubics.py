"""Cubic curves through stretches of a line: the compiled loops of `fitting`, by Schneider 1990."""

from __future__ import annotations

import math

import numba as nb
import numpy as np

NEWTON_STEPS = 6
LONGEST_HANDLE = 0.9
"""Handles never get longer than this share of the stretch's length, which keeps them from making loops."""


@nb.njit(cache=True)
def cubics_through(stretch, first, last, tolerance, most):  # type: ignore[no-untyped-def]
    """Cubics (K, 4, 2) through a stretch (M, 2) with given end directions (both pointing into the stretch).

    None at all where more than `most` would be needed. Number by number: assigning rows takes seconds to compile.
    """
    room = min(most, len(stretch))
    out = np.empty((room, 4, 2))
    made = 0
    spans = np.empty((len(stretch) + 1, 2), np.int64)
    ways = np.empty((len(stretch) + 1, 2, 2))
    spans[0, 0], spans[0, 1] = 0, len(stretch) - 1
    for k in range(2):
        ways[0, 0, k], ways[0, 1, k] = first[k], last[k]
    waiting = 1
    while waiting:
        waiting -= 1
        begin, end = spans[waiting, 0], spans[waiting, 1]
        leaving, arriving = ways[waiting, 0].copy(), ways[waiting, 1].copy()
        part = stretch[begin : end + 1]
        if made + waiting >= room:
            return out[:0]
        if len(part) == 2:
            third = math.hypot(part[1, 0] - part[0, 0], part[1, 1] - part[0, 1]) / 3
            for k in range(2):
                out[made, 0, k], out[made, 3, k] = part[0, k], part[1, k]
                out[made, 1, k] = part[0, k] + leaving[k] * third
                out[made, 2, k] = part[1, k] + arriving[k] * third
            made += 1
            continue
        cubic, error, worst = approached(part, leaving, arriving, tolerance, 16 * tolerance)
        if error <= tolerance:
            for i in range(4):
                out[made, i, 0], out[made, i, 1] = cubic[i, 0], cubic[i, 1]
            made += 1
            continue
        reach = min(2, worst, len(part) - 1 - worst)
        x, y = part[worst + reach, 0] - part[worst - reach, 0], part[worst + reach, 1] - part[worst - reach, 1]
        length = math.hypot(x, y)
        if length > 1e-9:
            x, y = x / length, y / length
        else:
            x, y = _perpendicular(part, worst)
        # The later part waits below the earlier one, so that pieces come in the order of the line.
        spans[waiting, 0], spans[waiting, 1] = begin + worst, end
        spans[waiting + 1, 0], spans[waiting + 1, 1] = begin, begin + worst
        ways[waiting, 0, 0], ways[waiting, 0, 1] = x, y
        ways[waiting + 1, 1, 0], ways[waiting + 1, 1, 1] = -x, -y
        for k in range(2):
            ways[waiting, 1, k], ways[waiting + 1, 0, k] = arriving[k], leaving[k]
        waiting += 2
    return out[:made]


@nb.njit(cache=True)
def _perpendicular(stretch, index):  # type: ignore[no-untyped-def]
    x, y = stretch[index, 0] - stretch[index - 1, 0], stretch[index, 1] - stretch[index - 1, 1]
    length = max(math.hypot(x, y), 1e-9)
    return -y / length, x / length


@nb.njit(cache=True)
def approached(stretch, first, last, tolerance, hopeless):  # type: ignore[no-untyped-def]
    """The cubic (4, 2) that runs through a stretch (M, 2) best, its error, and at which vertex that is.

    Parameters begin along the chords; Newton steps go on until the error is within the tolerance, or is hopeless.
    """
    t = np.zeros(len(stretch))
    for i in range(1, len(stretch)):
        t[i] = t[i - 1] + math.hypot(stretch[i, 0] - stretch[i - 1, 0], stretch[i, 1] - stretch[i - 1, 1])
    length = t[-1]
    t /= length
    cubic = _least_squares(stretch, t, first, last, length)
    error, worst = _error(stretch, cubic, t)
    for _ in range(NEWTON_STEPS):
        if error <= tolerance or error > hopeless:
            break
        _newton(stretch, cubic, t)
        cubic = _least_squares(stretch, t, first, last, length)
        error, worst = _error(stretch, cubic, t)
    return cubic, error, worst


@nb.njit(cache=True)
def _least_squares(stretch, t, first, last, length):  # type: ignore[no-untyped-def]
    """Handle lengths that fit best; a third of the chord (Wu & Barsky) where they make no sense."""
    a = b = c = x = y = 0.0
    end = len(stretch) - 1
    across = first[0] * last[0] + first[1] * last[1]
    for i in range(end + 1):
        u, s = t[i], 1.0 - t[i]
        out, back = 3 * s * s * u, 3 * s * u * u
        near, far = s * s * s + out, back + u * u * u
        rx = stretch[i, 0] - near * stretch[0, 0] - far * stretch[end, 0]
        ry = stretch[i, 1] - near * stretch[0, 1] - far * stretch[end, 1]
        a += out * out
        b += out * back * across
        c += back * back
        x += out * (first[0] * rx + first[1] * ry)
        y += back * (last[0] * rx + last[1] * ry)
    determinant = a * c - b * b
    leaving = arriving = 0.0
    if abs(determinant) > 1e-12:
        leaving, arriving = (c * x - b * y) / determinant, (a * y - b * x) / determinant
    if leaving < 1e-3 * length or arriving < 1e-3 * length:
        leaving = arriving = math.hypot(stretch[end, 0] - stretch[0, 0], stretch[end, 1] - stretch[0, 1]) / 3
    leaving, arriving = min(leaving, LONGEST_HANDLE * length), min(arriving, LONGEST_HANDLE * length)
    cubic = np.empty((4, 2))
    for k in range(2):
        cubic[0, k], cubic[3, k] = stretch[0, k], stretch[end, k]
        cubic[1, k], cubic[2, k] = stretch[0, k] + first[k] * leaving, stretch[end, k] + last[k] * arriving
    return cubic


@nb.njit(cache=True)
def _error(stretch, cubic, t):  # type: ignore[no-untyped-def]
    """Largest distance from a vertex to the curve at its parameter, and where (never an end)."""
    largest, worst = -1.0, 1
    for i in range(1, len(stretch) - 1):
        u, s = t[i], 1.0 - t[i]
        w0, w1, w2, w3 = s * s * s, 3 * s * s * u, 3 * s * u * u, u * u * u
        x = w0 * cubic[0, 0] + w1 * cubic[1, 0] + w2 * cubic[2, 0] + w3 * cubic[3, 0] - stretch[i, 0]
        y = w0 * cubic[0, 1] + w1 * cubic[1, 1] + w2 * cubic[2, 1] + w3 * cubic[3, 1] - stretch[i, 1]
        away = math.hypot(x, y)
        if away > largest:
            largest, worst = away, i
    return largest, worst


@nb.njit(cache=True)
def _newton(stretch, cubic, t):  # type: ignore[no-untyped-def]
    """One Newton step of each parameter towards the foot of its vertex on the curve."""
    end = len(t) - 1
    reached = 0.0
    for i in range(1, end):
        u, s = t[i], 1.0 - t[i]
        away_velocity = away_bend = speed = 0.0
        for k in range(2):
            d0, d1, d2 = cubic[1, k] - cubic[0, k], cubic[2, k] - cubic[1, k], cubic[3, k] - cubic[2, k]
            velocity = 3 * (s * s * d0 + 2 * s * u * d1 + u * u * d2)
            bend = 6 * (s * (d1 - d0) + u * (d2 - d1))
            place = (
                s * s * s * cubic[0, k]
                + 3 * s * s * u * cubic[1, k]
                + 3 * s * u * u * cubic[2, k]
                + u * u * u * cubic[3, k]
            )
            away = place - stretch[i, k]
            away_velocity += away * velocity
            away_bend += away * bend
            speed += velocity * velocity
        slope = speed + away_bend
        if abs(slope) > 1e-9:
            u -= away_velocity / slope
        # Parameters never run backwards.
        reached = max(reached, min(max(u, 0.0), 1.0))
        t[i] = reached
    t[0], t[end] = 0.0, 1.0
