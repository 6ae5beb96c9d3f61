"""Fitting cubic Bezier outlines to drawn lines, with as few points as a tolerance needs.

Schneider 1990, "An algorithm for automatically fitting digitized curves" (Graphics Gems): least squares for the
two handle lengths, Newton steps on the parameters, and a split at the worst place where that is not enough.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points

Array = NDArray[np.float64]

CORNER = np.radians(60.0)
"""Turn over the length of CORNER_REACH to both sides from which a place counts as a corner."""
CORNER_REACH = 6.0
COARSE_REACH = 3.0
"""Where the tolerance is large, corners are looked for over this many tolerances: smaller ones need no point."""
RUNGS = tuple(0.5 * 2 ** (k / 3) for k in range(24))
"""Tolerances, in pixels, that a sparse fit tries up to the one that is wanted."""
HOPELESS = 1.6
"""Where a finer rung needs this many times the points, the still finer ones are not tried."""
LOOKS = (0.5, 1.0, 1.5)
"""Steps, in pixels, at which a drawn line is looked at: coarser ones make corners of what is round."""
LONGEST = 100_000.0
"""Pixels of a line that is fitted at all: some thirty times round a large plate."""
NEWTON_STEPS = 6
LONG = 6_000.0
"""Pixels from which on a line is looked at in one step only, a coarse one where the tolerance is large, and on one rung."""
LONGEST_HANDLE = 0.9
"""Handles never get longer than this share of the stretch's length, which keeps them from making loops."""


@dataclass(frozen=True)
class Fitted:
    """An outline (N, 8), and which of its points are corners (N,)."""

    points: Points
    corners: NDArray[np.bool_]


class TooManyPointsError(ValueError):
    """The line cannot be fitted with as many points as are allowed."""


def fit_closed(line: Array, tolerance: float, most: int = 1 << 30) -> Fitted:
    """An outline that no vertex of a closed line (M, 2) is farther away from than `tolerance` pixels.

    The line's last vertex runs on to its first. Raises ValueError for fewer than three places that differ, and
    TooManyPointsError where more than `most` points would be needed.
    """
    line = _without_repeats(np.asarray(line, np.float64))
    if len(line) < 3:
        raise ValueError("a closed line needs at least three places")
    breaks, sharp = _starts(line, max(CORNER_REACH, COARSE_REACH * tolerance))
    if len(breaks) > most:
        raise TooManyPointsError
    cubics: list[Array] = []
    corner_of: list[bool] = []
    for start, end in zip(breaks, np.append(breaks[1:], breaks[0] + len(line)), strict=True):
        stretch = line[np.arange(start, end + 1) % len(line)]
        first = _tangent_at(line, start, 1, sharp)
        last = _tangent_at(line, end % len(line), -1, sharp)
        pieces = list(_fit(stretch, first, last, tolerance, most - len(cubics)))
        if not pieces:
            raise TooManyPointsError
        cubics += pieces
        corner_of += [sharp] + [False] * (len(pieces) - 1)
    return _as_outline(cubics, corner_of)


def fit_sparsely(line: Array, tolerance: float, most: int = 1 << 30) -> Fitted:
    """The closed line (M, 2) as an outline within `tolerance` pixels, with as few points as `fit_closed` finds for it.

    Where corners are found depends on the tolerance and on how finely the line is looked at, so that a finer fit
    can have fewer points than a coarser one. All RUNGS up to the tolerance count, down to where they are
    hopeless, so a coarser one has no more; for a line longer than LONG it need not be so. Raises as `fit_closed` does.
    """
    if _length(line) > LONGEST:
        raise TooManyPointsError
    rungs = [rung for rung in RUNGS if rung <= tolerance * (1 + 1e-9)] or [tolerance]
    data = np.ascontiguousarray(line, np.float64)
    best = _looked_at(data.tobytes(), rungs.pop(), most)
    for rung in reversed(rungs if _length(data) <= LONG else []):
        try:
            fitted = _looked_at(data.tobytes(), rung, most)
        except TooManyPointsError:
            break
        if len(fitted.points) > HOPELESS * len(best.points):
            break
        if len(fitted.points) < len(best.points):
            best = fitted
    return best


@lru_cache(maxsize=64)
def _looked_at(line: bytes, tolerance: float, most: int) -> Fitted:
    """The best of a few looks; kept, as a slider comes back to it."""
    places = np.frombuffer(line).reshape(-1, 2)
    found: list[Fitted] = []
    for step in _looks(places, tolerance):
        try:
            found.append(fit_closed(_evened(line, step), tolerance, most))
        except TooManyPointsError:
            continue
    if not found:
        raise TooManyPointsError
    return min(found, key=lambda f: len(f.points))


@lru_cache(maxsize=2 * len(LOOKS))
def _evened(line: bytes, step: float) -> Array:
    return evened(np.frombuffer(line).reshape(-1, 2), step)


def _looks(line: Array, tolerance: float) -> list[float]:
    """Steps at which a line is looked at."""
    if _length(line) > LONG:
        return [max(LOOKS[-1], tolerance / 16)]
    return [step for step in LOOKS if step <= max(tolerance, LOOKS[0])]


def _length(line: Array) -> float:
    return float(np.linalg.norm(line - np.roll(line, 1, axis=0), axis=1).sum())


def fit_one(stretch: Array) -> Array:
    """The one cubic (4, 2) that fits a stretch (M, 2) best, in the directions in which it begins and ends."""
    first, last = (_way(stretch, which) for which in (1, -1))
    cubic, _, _ = _approached(np.ascontiguousarray(stretch, np.float64), first, last, 0.0, np.inf)
    return np.asarray(cubic)


def _way(stretch: Array, which: int) -> Array:
    """Unit direction into a stretch from its start (1) or its end (-1)."""
    line = stretch[::which]
    away = np.linalg.norm(line - line[0], axis=1)
    ahead = int(np.argmax(away > 1e-6))
    return np.asarray((line[ahead] - line[0]) / max(float(away[ahead]), 1e-9))


def _without_repeats(line: Array) -> Array:
    kept = np.linalg.norm(line - np.roll(line, 1, axis=0), axis=1) > 1e-6
    return line[kept] if kept.any() else line[:1]


def _starts(line: Array, reach: float) -> tuple[NDArray[np.int64], bool]:
    """Indices where stretches begin: the corners, or where there is none two places far from each other."""
    turn = _turns(line, reach)
    place = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    whole = place[-1] + np.linalg.norm(line[0] - line[-1])
    order = np.argsort(-turn)
    breaks = _keeping_distance(order[turn[order] > CORNER], place, whole, reach)
    if len(breaks) >= 2:
        return np.sort(breaks), True
    if len(breaks) == 1:
        opposite = int(
            np.argmax(np.minimum(np.abs(place - place[breaks[0]]), whole - np.abs(place - place[breaks[0]])))
        )
        return np.sort(np.array([breaks[0], opposite])), True
    first = int(np.argmax(np.linalg.norm(line - line.mean(axis=0), axis=1)))
    second = int(np.argmax(np.linalg.norm(line - line[first], axis=1)))
    return np.sort(np.array([first, second])), False


@nb.njit(cache=True)
def _keeping_distance(wanted, place, whole, reach):  # type: ignore[no-untyped-def]
    """Of places along a closed line, those (in the order wanted) that keep more than `reach` from all taken before them."""
    count = max(int(whole / reach), 1)
    taken = np.full(count, -1, np.int64)  # one to a cell: cells are as wide as the reach or wider
    second = np.full(count, -1, np.int64)
    kept = []
    for index in wanted:
        cell = min(int(place[index] / whole * count), count - 1)
        free = True
        for near in range(cell - 1, cell + 2):
            for other in (taken[near % count], second[near % count]):
                if other >= 0:
                    away = abs(place[other] - place[index])
                    if min(away, whole - away) <= reach:
                        free = False
        if free:
            kept.append(index)
            if taken[cell] < 0:
                taken[cell] = index
            else:
                second[cell] = index
    return np.array(kept, dtype=np.int64)


def _turns(line: Array, far: float) -> Array:
    """By how much the line turns (radians, 0..pi) over `far` pixels to both sides of each vertex."""
    count = len(line)
    steps = np.linalg.norm(np.roll(line, -1, axis=0) - line, axis=1)
    reach = max(1, min(round(far / max(float(np.median(steps)), 1e-9)), count // 3))
    before = line - np.roll(line, reach, axis=0)
    after = np.roll(line, -reach, axis=0) - line
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    return np.asarray(np.abs(np.arctan2(cross, (before * after).sum(axis=1))))


def _tangent_at(line: Array, index: int, way: int, sharp: bool) -> Array:
    """Unit direction at a vertex: along the line to one side at a corner, else its mean over both sides."""
    here, count = line[index], len(line)
    for reach in range(min(3, count - 1), 0, -1):
        ahead = line[(index + way * reach) % count]
        back = here if sharp else line[(index - way * reach) % count]
        direction = ahead - back
        length = float(np.linalg.norm(direction))
        if length > 1e-9:
            return np.asarray(direction / length)
    return np.array([1.0, 0.0])


@nb.njit(cache=True)
def _fit(stretch, first, last, tolerance, most):  # type: ignore[no-untyped-def]
    """Cubics (K, 4, 2) through a stretch (M, 2) with given end directions (both pointing into the stretch).

    None at all where more than `most` would be needed.
    """
    room = min(most, len(stretch))
    out = np.empty((room, 4, 2))
    made = 0
    spans = np.empty((len(stretch) + 1, 2), np.int64)
    ways = np.empty((len(stretch) + 1, 2, 2))
    spans[0, 0], spans[0, 1] = 0, len(stretch) - 1
    ways[0, 0], ways[0, 1] = first, last
    waiting = 1
    while waiting:
        waiting -= 1
        begin, end = spans[waiting]
        leaving, arriving = ways[waiting, 0].copy(), ways[waiting, 1].copy()
        part = stretch[begin : end + 1]
        if made + waiting >= room:
            return out[:0]
        if len(part) == 2:
            third = math.hypot(part[1, 0] - part[0, 0], part[1, 1] - part[0, 1]) / 3
            out[made, 0], out[made, 3] = part[0], part[1]
            out[made, 1], out[made, 2] = part[0] + leaving * third, part[1] + arriving * third
            made += 1
            continue
        cubic, error, worst = _approached(part, leaving, arriving, tolerance, 16 * tolerance)
        if error <= tolerance:
            out[made] = cubic
            made += 1
            continue
        reach = min(2, worst, len(part) - 1 - worst)
        direction = part[worst + reach] - part[worst - reach]
        length = math.hypot(direction[0], direction[1])
        middle = direction / length if length > 1e-9 else _perpendicular(part, worst)
        # The later part waits below the earlier one, so that pieces come in the order of the line.
        spans[waiting, 0], spans[waiting, 1] = begin + worst, end
        ways[waiting, 0], ways[waiting, 1] = middle, arriving
        spans[waiting + 1, 0], spans[waiting + 1, 1] = begin, begin + worst
        ways[waiting + 1, 0], ways[waiting + 1, 1] = leaving, -middle
        waiting += 2
    return out[:made]


@nb.njit(cache=True)
def _perpendicular(stretch, index):  # type: ignore[no-untyped-def]
    step = stretch[index] - stretch[index - 1]
    length = max(math.hypot(step[0], step[1]), 1e-9)
    return np.array([-step[1] / length, step[0] / length])


@nb.njit(cache=True)
def _approached(stretch, first, last, tolerance, hopeless):  # type: ignore[no-untyped-def]
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
    cubic[0], cubic[3] = stretch[0], stretch[end]
    cubic[1], cubic[2] = stretch[0] + first * leaving, stretch[end] + last * arriving
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


def _as_outline(cubics: list[Array], corner_of: list[bool]) -> Fitted:
    if len(cubics) == 2:  # an outline needs three points: halve the longer one
        longer = int(np.argmax([np.linalg.norm(np.diff(c, axis=0), axis=1).sum() for c in cubics]))
        cubics = [*cubics[:longer], *_halves(cubics[longer]), *cubics[longer + 1 :]]
        corner_of = [*corner_of[: longer + 1], False, *corner_of[longer + 1 :]]
    hard = [0.0, 0.0]
    points = np.array(
        [
            np.concatenate([cubic[0], cubics[i - 1][2] - cubic[0], cubic[1] - cubic[0], hard])
            for i, cubic in enumerate(cubics)
        ]
    )
    return Fitted(points, np.array(corner_of))


def _halves(cubic: Array) -> tuple[Array, Array]:
    a, b, c = (cubic[:-1] + cubic[1:]) / 2
    d, e = (a + b) / 2, (b + c) / 2
    middle = (d + e) / 2
    return np.stack([cubic[0], a, d, middle]), np.stack([middle, e, c, cubic[3]])


def evened(line: Array, step: float) -> Array:
    """A closed hand-drawn line (M, 2) with vertices about `step` apart, its tremble averaged over two neighbours.

    Corners that turn by more than CORNER keep their place.
    """
    closed = np.concatenate([line, line[:1]])
    place = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
    count = max(round(float(place[-1]) / step), 3)
    even = np.linspace(0, place[-1], count, endpoint=False)
    out = np.stack([np.interp(even, place, closed[:, k]) for k in (0, 1)], axis=1)
    for _ in range(2):
        calm = 0.25 * np.roll(out, 1, axis=0) + 0.5 * out + 0.25 * np.roll(out, -1, axis=0)
        out = np.where((_turns(out, CORNER_REACH) > CORNER)[:, None], out, calm)
    return out
