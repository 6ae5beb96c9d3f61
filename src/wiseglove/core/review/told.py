"""How far places of an outline seem to be off, told by how its edge looks there, around there and all along it.

Signs are what a frame shows beside what the outline's other keys show. What they mean together no straight rule tells: that the
inside looks unlike the keys counts little where the keys differ among themselves, and that an edge is lacking means nothing where they
hardly show one. So a small network tells the logarithm of the distance. Its weights stand in `told.csv`; `scripts/learn_faults.py` fits
them to rough states of outlines whose truth is known.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.network import read
from wiseglove.core.outline.edges import averaged

Array = NDArray[np.float64]
WEIGHTS = Path(__file__).with_name("told.csv")
AROUND, ALONG = 8, 40
"""How often signs are averaged along the outline, to tell what is around a place, and what is further around it."""
HALF = 0.5
"""Pixels that are added to a distance before its logarithm is taken."""


class Looks(NamedTuple):
    """How an outline's edge looks at M places; each (M,). Differences of colour are in shares of how much colours differ along the keys."""

    off: Array
    """Pixels to the edge that was found, across the curve."""
    away: Array
    """Pixels to the nearest part of where the outline seems to be."""
    shift: Array
    """Pixels by which it was looked for elsewhere."""
    unlike: Array
    """How unlike the keys the inside is where the outline lies."""
    unlike_there: Array
    """The same where it seems to be."""
    between: Array
    """How unlike each other the insides here and there are."""
    lacks: Array
    """The share that is missing of the edge that the keys show, 0..1."""
    edge: Array
    """How unlike the inside the outside is on the keys."""
    edge_there: Array
    """The same here, where the outline seems to be."""
    clear: Array
    """Contrast of the edge that was found, in shares of how much colours differ around it."""
    apart: Array
    """How unlike each other the keys are inside."""
    travel: Array
    """Pixels that it travels across the edge in a frame."""


def signs_of(looks: Looks) -> Array:
    """What a place's fault is told by, (M, S): logarithms, at the place, around it, further around it, and in the mean of all places."""
    off, away, shift, travel = (np.log(v + HALF) for v in (looks.off, looks.away, looks.shift, looks.travel))
    unlike, there = (np.log(np.minimum(v, 0.6) + 0.05) for v in (looks.unlike, looks.unlike_there))
    edge, edge_there = (np.log(v + 0.05) for v in (looks.edge, looks.edge_there))
    apart, between = (np.log(v + 0.03) for v in (looks.apart, looks.between))
    main = np.stack([off, unlike, looks.lacks, away], axis=1)
    further = np.stack([edge, np.log(looks.clear + 0.02), there, edge_there, apart, shift], axis=1)
    around = _calming(len(main), AROUND) @ np.concatenate([main, further], axis=1)
    further_around = _calming(len(main), ALONG) @ main[:, [0, 1, 3]]
    all_along = np.broadcast_to(main.mean(axis=0), main.shape)
    rest = np.stack([travel, between], axis=1)
    return np.concatenate([main, further, around, all_along, further_around, rest], axis=1)


@lru_cache(maxsize=64)
def _calming(count: int, times: int) -> Array:
    """What averages signs of so many places of a closed curve, (M, M); one product takes a tenth of the time of going along."""
    return averaged(np.eye(count), times, closed=True)


def fault_by(looks: Looks) -> Array:
    """How far places seem to be off, in pixels, (M,)."""
    return np.asarray(np.maximum(np.exp(read(WEIGHTS).tell(signs_of(looks))) - HALF, 0.0))
