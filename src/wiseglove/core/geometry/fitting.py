"""Fitting cubic Bezier outlines to drawn lines, with as few points as a tolerance needs.

Schneider 1990, "An algorithm for automatically fitting digitized curves" (Graphics Gems): least squares for the
two handle lengths, Newton steps on the parameters, and a split at the worst place where that is not enough.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points, lengths_along, places_along
from wiseglove.core.geometry.cubics import approached, cubics_through

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
LONG = 6_000.0
"""Pixels from which on a line is looked at in one step only, a coarse one where the tolerance is large, and on one rung."""


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
        pieces = list(cubics_through(stretch, first, last, tolerance, most - len(cubics)))
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
    cubic, _, _ = approached(np.ascontiguousarray(stretch, np.float64), first, last, 0.0, np.inf)
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
    place = lengths_along(line)
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
    length = float(lengths_along(closed)[-1])
    out = places_along(closed, np.linspace(0, length, max(round(length / step), 3), endpoint=False))
    for _ in range(2):
        calm = 0.25 * np.roll(out, 1, axis=0) + 0.5 * out + 0.25 * np.roll(out, -1, axis=0)
        out = np.where((_turns(out, CORNER_REACH) > CORNER)[:, None], out, calm)
    return out
