"""Fits small networks (`wiseglove.core.network`) to what they shall tell: by L-BFGS (SciPy), from a beginning of chance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from wiseglove.core.network import UNUSUAL, Network

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Way:
    """How a network is fitted: how many are hidden in it, what the square of a weight costs, and how often it is improved at most.

    odds: whether it tells the logarithm of the odds of shares 0..1 (by cross entropy), or numbers as they are (by least squares).
    """

    hidden: int
    calm: float
    rounds: int
    odds: bool = False


def learned(signs: Array, true: Array, weights: Array, begun: int, way: Way) -> Network:
    """A network that tells `true` (P,) from signs (P, S), each counted by its weight (P,); `begun` seeds where it begins."""
    mean, deviation = np.average(signs, axis=0, weights=weights), signs.std(axis=0) + 1e-9
    usual = np.clip((signs - mean) / deviation, -UNUSUAL, UNUSUAL).astype(np.float32)
    share = (weights / weights.sum()).astype(np.float32)
    middle = 0.0 if way.odds else float(share @ true)
    aim = (true - middle).astype(np.float32)
    count = signs.shape[1]
    sizes = [(count, way.hidden), (way.hidden,), (way.hidden,), (count,), (1,)]
    ends = np.cumsum([np.prod(size) for size in sizes])

    def taken_apart(flat: Array) -> list[NDArray[np.float32]]:
        parts = np.split(flat.astype(np.float32), ends[:-1])
        return [part.reshape(size) for part, size in zip(parts, sizes, strict=True)]

    def loss(flat: Array) -> tuple[float, Array]:
        inner, bias, out, straight, more = taken_apart(flat)
        hidden = np.tanh(usual @ inner + bias)
        told = hidden @ out + usual @ straight + more[0]
        if way.odds:
            lost, slope = float(share @ (np.logaddexp(0, told) - aim * told)), share * (1 / (1 + np.exp(-told)) - aim)
        else:
            lost, slope = float(share @ (told - aim) ** 2), 2 * share * (told - aim)
        back = np.outer(slope, out) * (1 - hidden**2)
        slopes = (usual.T @ back, back.sum(axis=0), hidden.T @ slope, usual.T @ slope, way.odds * slope.sum())
        flat_slope = np.concatenate([np.ravel(s) for s in slopes]).astype(np.float64)
        return lost + way.calm * float(flat @ flat), flat_slope + 2 * way.calm * flat

    rng = np.random.default_rng(begun)
    begin = [
        rng.normal(0, 0.3 / np.sqrt(count), sizes[0]),
        np.zeros(way.hidden),
        rng.normal(0, 0.3, way.hidden),
        np.zeros(count + 1),
    ]
    flat = np.concatenate([b.ravel() for b in begin])
    found = minimize(loss, flat, jac=True, method="L-BFGS-B", options={"maxiter": way.rounds})
    inner, bias, out, straight, more = (np.asarray(part, np.float64) for part in taken_apart(found.x))
    print(f"loss {found.fun:.4f} after {found.nit} rounds", flush=True)
    return Network(mean, deviation, np.vstack([inner, bias]), np.concatenate([out, straight, middle + more]))


def cut(told: Array, weights: Array, share: float) -> float:
    """The number beyond which that share of all lies, (P,), each counted by its weight (P,)."""
    down = np.argsort(-told)
    return float(told[down][np.searchsorted(np.cumsum(weights[down]) / weights.sum(), share)])


def mean_of(networks: Sequence[Network]) -> Network:
    """One network that tells the mean of what some of the same signs tell."""
    count, hidden = len(networks), [n.hidden.shape[1] for n in networks]
    out = [n.out[:h] / count for n, h in zip(networks, hidden, strict=True)]
    rest = np.mean([n.out[h:] for n, h in zip(networks, hidden, strict=True)], axis=0)
    first = networks[0]
    return Network(first.mean, first.deviation, np.hstack([n.hidden for n in networks]), np.concatenate([*out, rest]))
