"""Moving a stretch of an outline to the edge nearby in the picture.

Along normals of the curve, a smooth line of offsets is sought that crosses the clearest edge between what lies
inside and what lies outside (dynamic programming, as Amini, Weymouth & Jain 1990 do for active contours); the
outline's points and handles then follow it by least squares.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points, places_at
from wiseglove.core.outline.edges import averaged, length, linear_light, seen_at
from wiseglove.core.outline.normals import SPACING, Normals, follow, normals_at, normals_of

Array = NDArray[np.float64]
BLUR = 1.0
SIDE = 5.0
"""How far to both sides of an edge colours are compared, in pixels."""
PLATEAU, NEAR = 7.0, 4.0
"""How far to both sides colours are looked at to tell how much of the edge is covered; at a sharp edge, NEAR."""
RAMP = 9.0
"""Width of an edge in pixels from which on it counts as blurred; half of it counts as sharp."""
FARTHEST = 2.0
"""Correction of a place that is on an edge already from which on it is not believed, in pixels."""
STIFF = 0.8
"""Price of an offset that differs from its neighbour's, per (px / px) squared."""
PULL = 0.5
"""By how much an edge at the full radius has to be clearer than one where the curve is."""
FAINTEST = 0.8
"""Difference, in roots of linear light (0..16), that edges are measured against at the least; less is grain."""
CLEAR = 0.10
"""Contrast of an edge, in shares of how much colours differ around, below which there is no edge."""
ABOVE_GRAIN = 3.0
"""How many times the grain the colours of the two sides of an edge have to differ."""
FULL = 0.7
"""Contrast that is as good as any more: a stronger edge nearby does not draw the curve off a clear one."""
HUE = 0.7
"""Share of the difference in lightness that does not count when colours along a side are compared: shading changes it."""
ALIKE_IN, ALIKE_OUT, UNLIKE = 0.9, 0.3, 0.6
"""What it costs to leave the inside's and the outside's colours, per range of colours, and the most that both cost."""
DEEP, LAYER = 5.0, 0.5
"""How far inside an edge its likeness reaches, in pixels, and how far its colours are apart."""
SMEARED = 0.1
"""By how much deeper inside a moving edge its likeness is looked for, in pixels for each pixel of travel across it: what
lies nearer is mixed with what lies outside, for as long as the shutter is open."""
OTHER = 3.0
"""What it costs to leave the likeness, per range of colours; more than one range costs no more."""
ROUNDS = 3
"""How often the curve is put where half is covered; once where its likeness is known, as it is near already."""
ENOUGH = 0.5
"""Share of the stretch that has to lie on a clear edge, of what is in the picture."""


@dataclass(frozen=True)
class Snapped:
    """The outline (N, 8) after it, how far its curve moved across itself on the mean, and how much of the stretch has an edge.

    `reason` says in words why nothing was moved, and is empty where it was.
    """

    points: Points
    moved: float
    found: float
    reason: str = ""
    clear: Array | None = None
    """How much each place along the stretch is to be believed (M,), 0..1."""


@dataclass(frozen=True)
class Likeness:
    """What lies inside along an edge that is right: where on the outline (M,), and colours (M, D, 3) from DEEP to the edge.

    `deeper` (M,) is how much deeper inside it is looked for, in pixels.
    """

    segment: NDArray[np.int64]
    t: Array
    colours: Array
    deeper: Array

    def travelling(self, travel: Array) -> Likeness:
        """The same for an edge that travels across itself by (M,) pixels a frame."""
        return replace(self, deeper=SMEARED * travel)


def likeness(picture: NDArray[np.uint8], along: Normals, travel: Array) -> Likeness:
    """What lies inside along an edge in a picture, RGB (H, W, 3), encoded, that travels across itself by (M,) pixels a frame."""
    deeper = SMEARED * travel
    left, top, layer = layer_around(picture, along.places, DEEP + 4 + float(deeper.max(initial=0.0)))
    ticks = np.arange(-DEEP, 0.0, LAYER) - deeper[:, None]
    places = along.places - (left, top)
    seen = seen_at(layer, places[:, None] + along.outward[:, None] * ticks[..., None]).astype(np.float64)
    return Likeness(along.segment, along.t, seen, deeper)


def snap(
    picture: NDArray[np.uint8],
    points: Points,
    chosen: list[int],
    kinds: list[str],
    radius: float,
    pull: float = PULL,
    like: Likeness | None = None,
) -> Snapped:
    """Move the stretch between chosen points (all: the whole outline) onto the edge within `radius` pixels.

    picture: RGB (H, W, 3), encoded; points (N, 8). `pull` is what an edge at the full radius has to be clearer than
    one where the curve is, and `like` what lies inside, for a whole outline, where that is known from another frame. Where
    the edge is not clear the curve follows its neighbourhood. Not moved, with a reason, where there is no edge to move to.
    """
    segments = stretch_between(len(points), chosen)
    smeared = 0.0 if like is None else float(like.deeper.max(initial=0.0))
    left, top, part = crop(picture, points, radius + 2 * SIDE + 4 + smeared)
    if part.size == 0:
        return Snapped(points, 0.0, 0.0, "The stretch lies outside the picture.")
    here = points.copy()
    here[:, :2] -= (left, top)
    light = linear_light(part, BLUR)
    # By the square root dark edges count about as much as bright ones.
    layer = np.sqrt(light + 1.0)
    closed = len(segments) == len(points)

    def across(shape: Points) -> Normals:
        return normals_of(shape, segments) if like is None else normals_at(shape, like.segment, like.t)

    movable = np.zeros(len(points), bool)
    movable[[k for i in segments for k in (i, (i + 1) % len(points))]] = True
    moved, share = here, 0.0
    for reach, step, colour in ((radius, 0.5, 1.0), (min(radius, 6.0), 0.25, 0.5)):
        along = across(moved)
        away, contrast = offsets(layer, along, reach, step, colour, pull, closed, like)
        # Of what lies beyond the picture nothing is known; it goes along with the rest.
        shown = ((along.places > 0) & (along.places < (part.shape[1], part.shape[0]))).all(axis=1)
        share = float((contrast > CLEAR)[shown].mean()) if shown.any() else 0.0
        if share < ENOUGH:
            return Snapped(points, 0.0, share, "There is no clear edge along this stretch within the radius.")
        clear = np.clip(contrast / (2 * CLEAR), 0.02, 1.0)
        moved = follow(moved, along, along.places + along.outward * away[:, None], movable, kinds, clear)
    for _ in range(ROUNDS if like is None else 1):
        along = normals_at(moved, along.segment, along.t)
        away, even = _half_covered(light, along, closed)
        believed = clear * even
        moved = follow(moved, along, along.places + along.outward * away[:, None], movable, kinds, believed)
    before = normals_of(here, segments)
    change = places_at(moved, before.segment, before.t)[0] - before.places
    out = moved.copy()
    out[:, :2] += (left, top)
    return Snapped(out, float(np.abs((change * before.outward).sum(axis=1)).mean()), share, "", believed)


def stretch_between(count: int, chosen: list[int]) -> list[int]:
    """Segments of an outline whose two ends are chosen; all of them where no two neighbours are."""
    wanted = set(chosen)
    between = [i for i in range(count) if i in wanted and (i + 1) % count in wanted]
    return between or list(range(count))


def crop(picture: NDArray[np.uint8], points: Points, margin: float) -> tuple[int, int, NDArray[np.uint8]]:
    """The picture around points (M, 2 or more) with a margin in pixels; its left, its top, and the part, which may be empty."""
    low, high = points[:, :2].min(axis=0) - margin, points[:, :2].max(axis=0) + margin
    left, top = (max(int(v), 0) for v in low)
    right, bottom = (int(v) + 1 for v in high)
    return left, top, picture[top : max(bottom, top), left : max(right, left)]


def layer_around(picture: NDArray[np.uint8], places: Array, margin: float) -> tuple[int, int, NDArray[np.float32]]:
    """The picture around places (M, 2 or more), calmed, as roots of linear light (h, w, 3), with its left and top; it may be empty."""
    left, top, part = crop(picture, places, margin)
    if part.size == 0:
        return left, top, np.zeros((0, 0, 3), np.float32)
    return left, top, np.sqrt(linear_light(part, BLUR) + 1.0)


def offsets(
    layer: NDArray[np.float32],
    along: Normals,
    reach: float,
    step: float,
    colour: float,
    pull: float,
    closed: bool,
    like: Likeness | None,
) -> tuple[Array, Array]:
    """For each normal (M,) the offset of its edge within `reach` pixels, outwards, and how clear that edge is.

    layer: roots of linear light (H, W, 3); `colour` is how much colours along the sides count, `pull` and `like` as in `snap`.
    """
    far = reach + SIDE
    ticks = np.arange(-far, far + step / 2, step)
    seen = seen_at(layer, along.places[:, None] + along.outward[:, None] * ticks[:, None]).astype(np.float64)
    side = round(SIDE / step)
    short = max(round(1.0 / step), 1)
    total = np.cumsum(np.concatenate([np.zeros_like(seen[:, :1]), seen], axis=1), axis=1)
    inner = (total[:, side : -side - 1] - total[:, : -2 * side - 1]) / side
    outer = (total[:, 2 * side + 1 :] - total[:, side + 1 : -side]) / side
    edge = seen[:, side + short : len(ticks) - side + short] - seen[:, side - short : len(ticks) - side - short]
    strong = np.abs(outer - inner).max(axis=2)
    if like is None:
        scale: Any = max(float(np.percentile(strong, 90)), FAINTEST)
    else:
        # With its likeness known, a faint edge is as good as a strong one elsewhere.
        scale = np.maximum(averaged(np.percentile(strong, 90, axis=1), 8, closed), FAINTEST)[:, None]
    contrast, sides = length(edge) / scale, length(outer - inner)
    score = np.minimum(contrast, FULL) / FULL + 0.3 * np.minimum(sides / scale, 1.0)
    if like is None:
        # What lies well inside now tells what the inside looks like, along the curve; so does the outside.
        deep = averaged(seen[:, 2 : 2 + side].mean(axis=1), 12, closed)
        beyond = averaged(seen[:, -2 - side : -2].mean(axis=1), 12, closed)
        away = ALIKE_IN * _unlike(inner - deep[:, None]) + ALIKE_OUT * _unlike(outer - beyond[:, None])
        score = score - colour * np.minimum(away / scale, UNLIKE)
    else:
        score = score - OTHER * np.minimum(_off_likeness(layer, along, reach, step, like) / scale, 1.0)
    size = score.shape[1]
    score = score - pull * np.linspace(-1, 1, size) ** 2
    best = _best_line(score, STIFF * (step / SPACING) ** 2 * 4, closed)
    rows = np.arange(len(best))
    found = (best - (size - 1) / 2) * step
    # A parabola through the three nearest values of contrast finds the crest between the ticks.
    inside = np.clip(best, 1, size - 2)
    a, b, c = contrast[rows, inside - 1], contrast[rows, inside], contrast[rows, inside + 1]
    bend = a - 2 * b + c
    found = (
        found + np.clip(np.where(bend < -1e-6, 0.5 * (a - c) / np.where(bend < -1e-6, bend, 1), 0), -0.5, 0.5) * step
    )
    # An edge is where both sides differ by more than grain makes them: grain is what pixels two apart do not share.
    apart = round(2.0 / step)
    grain = length(seen[:, apart:-apart] - (seen[:, : -2 * apart] + seen[:, 2 * apart :]) / 2)
    stands_out = sides[rows, best] > ABOVE_GRAIN * np.median(grain)
    return found, np.where(stands_out, contrast[rows, best], 0.0)


def _off_likeness(layer: NDArray[np.float32], along: Normals, reach: float, step: float, like: Likeness) -> Array:
    """How far the colours inside each offset, -reach to reach, are from their likeness, (M, K)."""
    ticks = np.arange(-reach - DEEP, reach, step) - like.deeper[:, None]
    seen = seen_at(layer, along.places[:, None] + along.outward[:, None] * ticks[..., None])
    size, apart = round(2 * reach / step) + 1, round(DEEP / like.colours.shape[1] / step)
    return np.asarray(_mean_distance(seen, like.colours, size, apart), np.float64)


@nb.njit(cache=True)
def _mean_distance(seen, colours, size, apart):  # type: ignore[no-untyped-def]
    """Mean distance (M, size) of colours (M, D, 3) from those seen (M, T, 3), `apart` ticks from each other, from every tick on."""
    rows, depths = colours.shape[:2]
    away = np.zeros((rows, size))
    for m in range(rows):
        for k in range(depths):
            for j in range(size):
                tick = j + k * apart
                red = seen[m, tick, 0] - colours[m, k, 0]
                green = seen[m, tick, 1] - colours[m, k, 1]
                blue = seen[m, tick, 2] - colours[m, k, 2]
                away[m, j] += np.sqrt(red * red + green * green + blue * blue) / depths
    return away


def _unlike(difference: Array) -> Array:
    """How unlike two colours are (..., 3): lightness counts less than hue."""
    return length(difference - HUE * difference.mean(axis=-1, keepdims=True))


def _half_covered(light: NDArray[np.float32], along: Normals, closed: bool) -> tuple[Array, Array]:
    """Offsets (M,) and how far each is to be believed (0..1), to where what is inside covers half, also where motion or defocus has blurred the edge.

    Between the colours inside and outside a pixel's share of the inside is a coverage, in linear light. The colours are
    taken well off a blurred edge, but near a sharp one, where they are those of the edge itself.
    """
    step = 0.5
    ticks = np.arange(-PLATEAU, PLATEAU + step / 2, step)
    seen = seen_at(light, along.places[:, None] + along.outward[:, None] * ticks[:, None]).astype(np.float64)
    wide, square = _covers(seen, 6, closed)
    cut = round((PLATEAU - NEAR) / step)
    near, square_near = _covers(seen[:, cut:-cut], 3, closed)
    # c (1 - c) of a ramp adds up to a sixth of its width.
    soft = np.clip(averaged(wide, 6, closed)[:, cut:-cut], 0, 1)
    ramp = (soft * (1 - soft)).sum(axis=1) * step * 6
    sharp = np.clip(2 - 2 * ramp / RAMP, 0, 1)
    offsets = sharp * _crossing(near, step) + (1 - sharp) * _crossing(wide, step)
    square = np.where(sharp > 0.5, square_near, square)
    weight = square / (square + np.median(square) * 0.05 + 4.0)
    # The curve is near the edge already: what is farther off is another edge, or a shadow.
    weight = weight * np.clip(FARTHEST - np.abs(offsets), 0, 1)
    return averaged(offsets * weight, 8, closed), np.maximum(weight, 0.02)


def _covers(seen: Array, flat: int, closed: bool) -> tuple[Array, Array]:
    """The inside's share (M, K) of colours (M, K, 3) across an edge, and the squared difference of both sides (M,).

    The first and last `flat` of the K are taken for inside and outside.
    """
    inner = averaged(seen[:, :flat].mean(axis=1), 3, closed)
    outer = averaged(seen[:, -flat:].mean(axis=1), 3, closed)
    axis = inner - outer
    square = (axis**2).sum(axis=1)
    return ((seen - outer[:, None]) * axis[:, None]).sum(axis=2) / np.maximum(square, 1e-3)[:, None], square


def _crossing(cover: Array, step: float) -> Array:
    """Where coverage (M, K) falls through a half, nearest to the middle, in pixels from there; 0 where it does not."""
    ticks = (np.arange(cover.shape[1]) - (cover.shape[1] - 1) / 2) * step
    before, after = cover[:, :-1], cover[:, 1:]
    falls = (before >= 0.5) & (after < 0.5)
    places = ticks[:-1] + np.where(falls, (before - 0.5) / np.maximum(before - after, 1e-6), 0) * step
    rows, nearest = np.arange(len(cover)), np.where(falls, np.abs(places), np.inf).argmin(axis=1)
    return np.asarray(np.where(falls[rows, nearest], places[rows, nearest], 0.0))


@nb.njit(cache=True)
def _best_line(score, stiff, closed):  # type: ignore[no-untyped-def]
    """Indices (M,) of the line through score (M, K) with the largest sum, less `stiff` times each step squared."""
    rows, size = score.shape
    most = 4
    turns = 2 if closed else 1
    total = np.zeros(size)
    came = np.zeros((rows * turns, size), np.int16)
    for row in range(rows * turns):
        now = np.empty(size)
        for k in range(size):
            best, where = -1e18, k
            for j in range(max(k - most, 0), min(k + most + 1, size)):
                value = total[j] - stiff * (k - j) * (k - j)
                if value > best:
                    best, where = value, j
            now[k] = best + score[row % rows, k]
            came[row, k] = where
        total = now
    out = np.empty(rows, np.int64)
    k = int(np.argmax(total))
    for row in range(rows * turns - 1, -1, -1):
        if closed:
            # Of two rounds the middle half of each counts least at a seam: the second round's first half and the
            # first round's second half.
            if rows // 2 <= row < rows // 2 + rows:
                out[row % rows] = k
        else:
            out[row] = k
        k = came[row, k]
    return out
