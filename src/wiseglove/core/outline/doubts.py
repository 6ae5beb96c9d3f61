"""How outlines are doubted, stretch by stretch: by how their edge looks beside how it did, a whole figure's also by the matte that it lies on.

What signs mean together no straight rule tells: colours that differ tell little on a short stretch and much on a long one, and a soft
edge of the matte is as good as a sharp one where the figure is fast. So a small network tells the odds of being two pixels off, and another
those of a part that is followed from inside. Their weights stand in `doubts.csv` and `doubts_of_parts.csv`; `scripts/learn_doubts.py` and
`scripts/learn_doubts_of_parts.py` fit them to figures, parts of them and hands that were carried on and whose truth is known.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wiseglove.core.geometry.bezier import Points, signed_area
from wiseglove.core.network import read
from wiseglove.core.outline.looks import Signs, by_segment, logistic
from wiseglove.core.outline.normals import SPACING, Normals

Array = NDArray[np.float64]
WEIGHTS, WEIGHTS_OF_PARTS = (Path(__file__).with_name(name) for name in ("doubts.csv", "doubts_of_parts.csv"))
LEAST = 0.01
"""How near to 0 and 1 a share comes before its odds are taken."""
FARTHEST, ASIDE = 20.0, 6.0
"""Pixels beyond which it says no more how far an edge is, and how far out or in it is."""
FOUND, NEARLY = 1.5, 4.0
"""Pixels within which a place lies on an edge, and within which it nearly does."""
FAR, SIZE, KNOWN = 6, 9, 16
"""Which signs say how far an edge is, how large the figure, and whether what is behind it is known."""
SHARP = 0.2
"""Pixels that are added to how far an edge is before its logarithm is taken."""
APART, LEFT_OUT, NEAR, MANY = 2.0, 4.0, 30.0, 12
"""Pixels from the outline beyond which an edge may be none of its, and is none, up to which it may have been missed, and how many places tell."""


class Edges(Protocol):
    """Edges of a matte: places (M, 2), which way is out of it (M, 2), and by how much of it a pixel differs from the next there, (M,)."""

    places: Array
    outward: Array
    slope: Array


def signs_of(points: Points, along: Normals, looks: Signs, edges: Edges, known: bool) -> Array:
    """What the doubt of each of an outline's N segments is told by, (N, S).

    along: places on all of the outline (N, 8), SPACING apart; edges: of the matte; known: whether what is behind it is.
    """
    count = len(points)
    at = np.full(len(along.t), FARTHEST)
    slope, facing, out = np.zeros((3, len(at)))
    if len(edges.places):
        at, nearest = cKDTree(edges.places).query(along.places)
        slope = edges.slope[nearest]
        facing = (edges.outward[nearest] * along.outward).sum(axis=1)
        out = np.clip(((edges.places[nearest] - along.places) * along.outward).sum(axis=1), -ASIDE, ASIDE)
    of_places = (np.minimum(at, FARTHEST), np.log(slope + 1e-3), facing, out, at > FOUND, at > NEARLY)
    far, *rest = (by_segment(np.asarray(v, np.float64), along.segment, count) for v in of_places)
    beside, missed = beside_of(along, count, edges.places, (APART, LEFT_OUT))
    long = SPACING * np.bincount(along.segment, minlength=count)
    matte = (np.log(far + SHARP), missed >= MANY, np.log(long + 2), _size(points), *rest, np.log(beside + 1))
    return np.stack([*_seen(looks), *matte, np.full(count, float(known))], axis=1)


def beside_of(along: Normals, count: int, places: Array, beyond: Sequence[float]) -> list[NDArray[np.int64]]:
    """How many places of edges (M, 2) lie beside each of `count` segments of an outline, but farther from it than so many pixels."""
    if not len(places):
        return [np.zeros(count, np.int64) for _ in beyond]
    away, nearest = cKDTree(along.places).query(places)
    return [np.bincount(along.segment[nearest[(away > b) & (away < NEAR)]], minlength=count) for b in beyond]


def doubt_by(signs: Array) -> Array:
    """Doubt 0..1 of each of N stretches by its signs (N, S), one half from where a tenth of the good ones has more.

    What lies on no edge is doubted whatever the rest says: that is too rare to be learned.
    """
    lies_on_none = signs[:, FAR] > np.log(NEARLY + SHARP)
    return np.where(lies_on_none, 1.0, logistic(read(WEIGHTS).tell(signs)))


def signs_of_part(points: Points, inside: Array, looks: Signs) -> Array:
    """What the doubt of each segment of a part's outline (N, 8) is told by, (N, S). inside: how it is doubted by shape and inside, (N,), 0..1."""
    return np.stack([odds_of(inside), *_seen(looks), _size(points)], axis=1)


def doubt_of_part(signs: Array) -> Array:
    """Doubt 0..1 of each of N stretches of a part's outline by its signs (N, S)."""
    return logistic(read(WEIGHTS_OF_PARTS).tell(signs))


def odds_of(share: Array) -> Array:
    """Logarithms of the odds of shares 0..1."""
    return np.asarray(np.log((share + LEAST) / (1 + LEAST - share)))


def _seen(looks: Signs) -> tuple[Array, ...]:
    return looks.unlike, looks.unlike_near, looks.step, looks.lacks, looks.clear, looks.first


def _size(points: Points) -> Array:
    """Logarithm of the root of an outline's area, for each segment, (N,)."""
    return np.full(len(points), np.log(max(abs(signed_area(points)), 1.0)) / 2)
