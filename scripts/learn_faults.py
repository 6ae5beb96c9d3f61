"""Fit what the review's network tells faults of outlines by (`core/review/told`), and write its weights.

    PYTHONPATH=. python scripts/learn_faults.py

Learned from rough states of the tapping hand, its index finger, and parts of the gardener who walks past the panel, each counted
alike. The same gardener before leaves, and three other people, stay aside: `benchmarks/looking` measures on these. Least squares on the
logarithm of true distances, by L-BFGS (SciPy); the mean of a few networks, which began differently, is one of as many times the size.
Takes a quarter of an hour.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from benchmarks.looking import Clip, demo, errors, parts_of, rough
from wiseglove.core.review.fit import OutlineFit
from wiseglove.core.review.told import HALF, UNUSUAL, Network, signs_of, write

Array = NDArray[np.float64]
SEEDS = {"demo": range(100, 118), "panel": range(50, 68)}
"""Rough states that are learned from; others than those that are measured on."""
NETWORKS, HIDDEN, CALM, ROUNDS = 4, 12, 3e-5, 300
"""How many networks the mean is of, how many are hidden in each, what the square of a weight costs, and how often they are improved at most."""
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
    write(mean_of([learned(*known, begun=n) for n in range(NETWORKS)]))


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


def mean_of(networks: Sequence[Network]) -> Network:
    """One network that tells the mean of what some of the same signs tell."""
    count, hidden = len(networks), [n.hidden.shape[1] for n in networks]
    out = [n.out[:h] / count for n, h in zip(networks, hidden, strict=True)]
    rest = np.mean([n.out[h:] for n, h in zip(networks, hidden, strict=True)], axis=0)
    first = networks[0]
    return Network(first.mean, first.deviation, np.hstack([n.hidden for n in networks]), np.concatenate([*out, rest]))


def learned(signs: Array, true: Array, weights: Array, begun: int) -> Network:
    """A network that tells `true` (P,) from signs (P, S), each counted by its weight (P,); `begun` seeds where it begins."""
    mean, deviation = np.average(signs, axis=0, weights=weights), signs.std(axis=0) + 1e-9
    usual = np.clip((signs - mean) / deviation, -UNUSUAL, UNUSUAL).astype(np.float32)
    share = (weights / weights.sum()).astype(np.float32)
    middle = float(share @ true)
    aim = (true - middle).astype(np.float32)
    count = signs.shape[1]
    sizes = [(count, HIDDEN), (HIDDEN,), (HIDDEN,), (count,)]
    ends = np.cumsum([np.prod(size) for size in sizes])

    def taken_apart(flat: Array) -> list[NDArray[np.float32]]:
        parts = np.split(flat.astype(np.float32), ends[:-1])
        return [part.reshape(size) for part, size in zip(parts, sizes, strict=True)]

    def loss(flat: Array) -> tuple[float, Array]:
        inner, bias, out, straight = taken_apart(flat)
        hidden = np.tanh(usual @ inner + bias)
        rest = hidden @ out + usual @ straight - aim
        slope = 2 * share * rest
        back = np.outer(slope, out) * (1 - hidden**2)
        slopes = (usual.T @ back, back.sum(axis=0), hidden.T @ slope, usual.T @ slope)
        flat_slope = np.concatenate([s.ravel() for s in slopes]).astype(np.float64)
        return float(share @ rest**2) + CALM * float(flat @ flat), flat_slope + 2 * CALM * flat

    rng = np.random.default_rng(begun)
    begin = [
        rng.normal(0, 0.3 / np.sqrt(count), sizes[0]),
        np.zeros(HIDDEN),
        rng.normal(0, 0.3, HIDDEN),
        np.zeros(count),
    ]
    found = minimize(
        loss, np.concatenate([b.ravel() for b in begin]), jac=True, method="L-BFGS-B", options={"maxiter": ROUNDS}
    )
    inner, bias, out, straight = (np.asarray(part, np.float64) for part in taken_apart(found.x))
    print(f"mean square {found.fun:.4f} after {found.nit} rounds", flush=True)
    return Network(mean, deviation, np.vstack([inner, bias]), np.concatenate([out, straight, [middle]]))


if __name__ == "__main__":
    main()
