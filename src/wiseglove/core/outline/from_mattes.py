"""Outlines from mattes: the border of each thing on each frame, with the same points all along.

On the frame where it is largest a border is fitted (Schneider 1990). From there, frame by frame, the next border is turned along
its own length until it lies on the one before best, each point goes to the place on it that its own length along the border and
its way (the shift of the border near it) say, and each segment's handles are fitted by least squares. So points stay on what
they were put on, as far as a border tells.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import lengths_along, places_along, twice_area
from wiseglove.core.geometry.fitting import fit_sparsely

Array = NDArray[np.float64]
Matte = NDArray[np.float32]
FINE = 4
"""Parts of a pixel in which a border is looked for."""
SMALLEST = 12.0
"""Square pixels below which a piece or a hole is taken for dirt."""
DENSE = 720
"""Places along a border."""
FARTHEST = 12
"""Frames that may be missing between two on which a thing is the same one."""
OVERLAP = 0.15
"""Share of the smaller of two areas that must be common for them to be the same thing."""


@dataclass
class Traced:
    """One border over time. `shapes` are (N, 6), by frame; a hole cuts, others add."""

    hole: bool
    shapes: dict[int, Array] = field(default_factory=dict)


@dataclass(frozen=True)
class _Border:
    line: Array
    hole: bool
    area: float


def borders(matte: Matte) -> list[_Border]:
    """Lines (M, 2) along which a matte is one half, in pixels; pieces first and largest first."""
    there = np.argwhere(matte > 0.02)
    if not len(there):
        return []
    (top, left), (bottom, right) = np.maximum(there.min(0) - 2, 0), there.max(0) + 3
    part = np.pad(matte[top:bottom, left:right], 1)
    size = (part.shape[1] * FINE, part.shape[0] * FINE)
    large = cv2.resize(part, size, interpolation=cv2.INTER_LINEAR)
    lines, tree = cv2.findContours((large >= 0.5).astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    found = []
    for line, about in zip(lines, tree[0] if tree is not None else [], strict=True):
        hole = about[3] >= 0
        places = (line[:, 0].astype(np.float64) + 0.5) / FINE - 1 + (left, top)
        area = float(cv2.contourArea(line)) / FINE**2
        if len(places) >= 8 and area >= SMALLEST:
            found.append(_Border(_smoothed(places), bool(hole), area))
    return sorted(found, key=lambda b: (b.hole, -b.area))


def _smoothed(line: Array) -> Array:
    """The steps of a pixelled line taken out: a mean over about a pixel to both sides."""
    wide = 2 * FINE + 1
    around = np.concatenate([line[-FINE:], line, line[:FINE]])
    sums = np.cumsum(np.vstack([np.zeros((1, 2)), around]), axis=0)
    return np.asarray((sums[wide:] - sums[:-wide]) / wide)


def traced(
    frames: Iterable[int],
    read: Callable[[int], Matte],
    tolerance: float = 0.6,
    most: int = 12,
    points: int = 200,
    least: int = 1,
) -> list[Traced]:
    """Outlines over frames (rising, some may be missing) from the mattes that `read` gives, (H, W) in 0..1.

    tolerance: px within which a border is fitted. most: things that are kept, by the area that they cover in all, and as many
    of a frame are looked at. points: of each, at most. least: frames on which a thing has to be there.
    """
    lines: list[tuple[bool, dict[int, Array], dict[int, float]]] = []
    before: int | None = None
    for frame in frames:
        taken: set[int] = set()
        before = before if before is not None and frame - before <= FARTHEST else None
        for border in borders(read(frame))[:most]:
            best = _same(lines, border, frame, before, taken)
            if best is None:
                lines.append((border.hole, {}, {}))
                best = len(lines) - 1
            taken.add(best)
            lines[best][1][frame], lines[best][2][frame] = border.line, border.area
        before = frame
    lasting = sorted((line for line in lines if len(line[1]) >= least), key=lambda line: -sum(line[2].values()))[:most]
    lasting.sort(key=lambda line: line[0])  # what adds comes before what cuts
    return [Traced(hole, _consistent(by_frame, areas, tolerance, points)) for hole, by_frame, areas in lasting]


def _same(
    lines: list[tuple[bool, dict[int, Array], dict[int, float]]],
    border: _Border,
    frame: int,
    before: int | None,
    taken: set[int],
) -> int | None:
    """Which of the things that were there on the frame before a border belongs to."""
    found = [
        (max(_common(line, border.line) for line in _expected(by_frame, before, frame)), i)
        for i, (hole, by_frame, _) in enumerate(lines)
        if before is not None and hole == border.hole and i not in taken and before in by_frame
    ]
    best = max(found, default=(0.0, -1))
    return best[1] if best[0] >= OVERLAP else None


def _expected(by_frame: dict[int, Array], before: int, frame: int) -> Iterator[Array]:
    """Where a thing may be on a frame: where it was before, and where it would be had it gone on as it went."""
    last = by_frame[before]
    yield last
    earlier = max((f for f in by_frame if before - FARTHEST <= f < before), default=None)
    if earlier is not None:
        way = (last.mean(0) - by_frame[earlier].mean(0)) / (before - earlier)
        yield last + way * (frame - before)


def _common(one: Array, other: Array) -> float:
    """The common area of two closed lines as a share of the smaller one's."""
    low = np.floor(np.minimum(one.min(0), other.min(0)))
    size = np.ceil(np.maximum(one.max(0), other.max(0)) - low).astype(int) + 1
    scale = min(1.0, 160 / float(size.max()))
    drawn = []
    for line in (one, other):
        canvas = np.zeros((int(size[1] * scale) + 2, int(size[0] * scale) + 2), np.uint8)
        cv2.fillPoly(canvas, [np.round((line - low) * scale).astype(np.int32)], 1)
        drawn.append(canvas)
    smaller = max(min(int(drawn[0].sum()), int(drawn[1].sum())), 1)
    return float((drawn[0] & drawn[1]).sum()) / smaller


def _consistent(lines: dict[int, Array], areas: dict[int, float], tolerance: float, points: int) -> dict[int, Array]:
    """The same points on every frame, from the largest border both ways."""
    first = max(areas, key=lambda f: areas[f])
    while True:
        try:
            line = _clockwise(lines[first])
            shape = np.asarray(fit_sparsely(line, tolerance, points).points[:, :6], np.float64)
            break
        except ValueError:
            tolerance *= 1.5
    out = {first: shape}
    for order in (sorted(f for f in lines if f > first), sorted((f for f in lines if f < first), reverse=True)):
        dense = _dense(lines[first])
        at = _places_on(dense, shape[:, :2])
        for frame in order:
            following, back = _aligned(dense, _dense(lines[frame]))
            at = _moved(dense, back, at)
            dense = following
            out[frame] = _fitted(dense, at)
    return out


def _dense(line: Array) -> Array:
    """A closed line at evenly spaced places, (DENSE, 2), clockwise as it is seen."""
    closed = np.vstack([line, line[:1]])
    return _clockwise(places_along(closed, np.linspace(0, lengths_along(closed)[-1], DENSE, endpoint=False)))


def _clockwise(line: Array) -> Array:
    """A closed line the way round that is clockwise as it is seen."""
    return np.asarray(line if twice_area(line) >= 0 else line[::-1], np.float64)


def _places_on(dense: Array, places: Array) -> Array:
    """How far along a border, in its places, the nearest ones to some points are."""
    distance = ((dense[None] - places[:, None]) ** 2).sum(2)
    return np.asarray(np.argmin(distance, axis=1), np.float64)


def _aligned(before: Array, after: Array) -> tuple[Array, Array]:
    """The next border begun where it lies on the one before best, as it is and as it was before it shifted, turned and grew.

    With places as complex numbers z, the sum of |a - r b|^2 over the best r is smallest where the circular correlation of a and
    b is largest (Umeyama 1991 gives the same r).
    """
    one, other = _complex(before), _complex(after)
    one, other = one - one.mean(), other - other.mean()
    product = np.fft.ifft(np.conj(np.fft.fft(one)) * np.fft.fft(other))
    shift = int(np.argmax(np.abs(product)))
    back = np.roll(other, -shift) * np.conj(product[shift]) / np.abs(other**2).sum()
    return np.roll(after, -shift, axis=0), np.stack([back.real, back.imag], axis=1) + before.mean(0)


def _complex(line: Array) -> NDArray[np.complex128]:
    return np.asarray(line[:, 0] + 1j * line[:, 1])


NEAR = DENSE // 60


def _moved(before: Array, after: Array, at: Array) -> Array:
    """Where points are on the next border: near the same length along it, where its course is most like the one before."""
    reach = np.arange(-NEAR, NEAR + 1)
    wings = np.arange(-2 * NEAR, 2 * NEAR + 1, 4)
    out = np.empty_like(at)
    for i, place in enumerate(at):
        own = before[(int(round(place)) + wings) % DENSE]
        own = own - own.mean(0)
        others = after[(int(round(place)) + reach[:, None] + wings) % DENSE]
        others = others - others.mean(1, keepdims=True)
        cost = ((others - own) ** 2).sum((1, 2)) + 0.02 * len(wings) * (reach / 2.0) ** 2
        out[i] = place + reach[int(np.argmin(cost))]
    return _in_order(out)


def _in_order(at: Array) -> Array:
    """Places along a border kept in their order, at least one apart, all the way round."""
    first = int(np.argmin(at))
    turned = np.roll(at, -first)
    for i in range(1, len(turned)):
        turned[i] = max(turned[i], turned[i - 1] + 1)
    if turned[-1] > turned[0] + DENSE - 1:
        turned = np.linspace(turned[0], turned[0] + DENSE, len(turned), endpoint=False).round()
    return np.asarray(np.roll(turned, first))


def _fitted(dense: Array, at: Array) -> Array:
    """An outline (N, 6) with its points on places of a border and handles that follow it best.

    Between two points the curve is linear in its two inner control points, so they are found at once for lengths along the
    border as parameters.
    """
    count = len(at)
    out = np.zeros((count, 6))
    for i in range(count):
        start, end = at[i], at[(i + 1) % count]
        end = end + DENSE if end <= start else end
        stretch = dense[np.arange(round(start), round(end) + 1) % DENSE]
        t = np.linspace(0, 1, len(stretch))[:, None]
        p, q = stretch[0], stretch[-1]
        out[i, :2] = p
        if len(stretch) < 4:
            out[i, 4:6], out[(i + 1) % count, 2:4] = (q - p) / 3, (p - q) / 3
            continue
        basis = np.concatenate([3 * t * (1 - t) ** 2, 3 * t**2 * (1 - t)], axis=1)
        rest = stretch - p * (1 - t) ** 3 - q * t**3
        control = np.linalg.lstsq(basis, rest, rcond=None)[0]
        out[i, 4:6], out[(i + 1) % count, 2:4] = control[0] - p, control[1] - q
    return out
