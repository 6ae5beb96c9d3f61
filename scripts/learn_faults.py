"""Fit what the review's network tells faults of outlines by (`core/review/told`), and write its weights.

    PYTHONPATH=. python scripts/learn_faults.py

Learned from rough states of the tapping hand, its index finger, and parts of the gardener who walks past the panel, each counted
alike. The same gardener before leaves, and three other people, stay aside: `benchmarks/looking` measures on these. Least squares on the
logarithm of true distances, by L-BFGS (SciPy); the mean of a few networks, which began differently, is one of as many times the size.
Takes a quarter of an hour.
"""

from __future__ import annotations

import numpy as np
from networks import Way, learned, mean_of
from numpy.typing import NDArray

from benchmarks.looking import Clip, demo, errors, parts_of, rough
from wiseglove.core.network import write
from wiseglove.core.review.fit import OutlineFit
from wiseglove.core.review.told import HALF, WEIGHTS, signs_of

Array = NDArray[np.float64]
SEEDS = {"demo": range(100, 118), "panel": range(50, 68)}
"""Rough states that are learned from; others than those that are measured on."""
NETWORKS, WAY = 4, Way(hidden=12, calm=3e-5, rounds=300)
"""How many networks the mean is of, and how each is fitted."""
EVERY = 2
"""Which places of an outline are learned from: its neighbours say the same."""
LEAST = 10
"""Places that have to be seen on a frame."""


def main() -> None:
    """Gather, fit, write."""
    signs, true, weights = [], [], []
    for name, seeds in SEEDS.items():
        for clip in demo() if name == "demo" else parts_of(name):
            seen, away = _gathered(clip, seeds)
            signs.append(seen)
            true.append(np.log(away + HALF))
            weights.append(np.full(len(away), 1 / len(away)))
            print(f"{name}, {clip.name}: {len(away)} places", flush=True)
    known = np.concatenate(signs), np.concatenate(true), np.concatenate(weights)
    write(mean_of([learned(*known, n, WAY) for n in range(NETWORKS)]), WEIGHTS)


def _gathered(clip: Clip, seeds: range) -> tuple[Array, Array]:
    """Signs (P, S) and true distances (P,) of places on all frames of some rough states."""
    signs, true = [], []
    for seed in seeds:
        keys, points = rough(clip, seed)
        fit = OutlineFit(points, 0, keys, clip.pictures.__getitem__)
        for frame in range(len(points)):
            looks = fit.looks_on(frame)
            if looks is None:
                continue
            away, counts = errors(clip, frame, fit.along(frame))
            if counts.sum() >= LEAST:
                some = counts & (np.arange(len(away)) % EVERY == frame % EVERY)
                signs.append(signs_of(looks)[some])
                true.append(away[some])
    return np.concatenate(signs), np.concatenate(true)


if __name__ == "__main__":
    main()
