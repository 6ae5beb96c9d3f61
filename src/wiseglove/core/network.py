"""Small networks that tell a number by signs: one hidden layer, and straight from the signs too; their weights are kept as tables."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
UNUSUAL = 4.0
"""Standard deviations from the mean from which a sign counts no further: what nobody has seen, nobody is told by."""


class Network(NamedTuple):
    """One hidden layer of H, and what goes past it; all for signs in standard deviations from their mean."""

    mean: Array
    """(S,)"""
    deviation: Array
    """(S,)"""
    hidden: Array
    """(S + 1, H), the last row without a sign."""
    out: Array
    """(H + S + 1,), the last without a sign."""

    def tell(self, signs: Array) -> Array:
        """A number for each of M places, (M,), from their signs (M, S)."""
        usual = np.clip((signs - self.mean) / self.deviation, -UNUSUAL, UNUSUAL)
        hidden = np.tanh(usual @ self.hidden[:-1] + self.hidden[-1])
        return np.asarray(np.concatenate([hidden, usual], axis=1) @ self.out[:-1] + self.out[-1])


@cache
def read(path: Path) -> Network:
    """A network as `write` wrote it, read once a process: a line for each sign, with its mean, its deviation, what it counts straight, and what in each hidden one."""
    *signs, bias, out = np.loadtxt(path, delimiter=",", skiprows=1)
    rows = np.stack(signs)
    return Network(
        rows[:, 0], rows[:, 1], np.vstack([rows[:, 3:], bias[3:]]), np.concatenate([out[3:], rows[:, 2], bias[2:3]])
    )


def write(network: Network, path: Path) -> None:
    """Write the weights of a network, (S + 2, 3 + H): signs, what is added to them, and what each hidden one counts."""
    count = len(network.mean)
    width = network.hidden.shape[1]
    table = np.zeros((count + 2, 3 + width))
    table[:count, 0], table[:count, 1] = network.mean, network.deviation
    table[: count + 1, 2] = network.out[width:]
    table[: count + 1, 3:] = network.hidden
    table[count + 1, 3:] = network.out[:width]
    head = ",".join(["mean", "deviation", "straight", *(f"hidden{h}" for h in range(width))])
    np.savetxt(path, table, fmt="%.4g", delimiter=",", header=head, comments="")
