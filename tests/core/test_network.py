"""Small networks and the tables that they are kept as."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from wiseglove.core.network import UNUSUAL, Network, read, write

PLACES = 40


def made(rng: np.random.Generator, count: int, hidden: int) -> Network:
    """One of any weights."""
    return Network(
        rng.normal(size=count),
        rng.uniform(1, 2, count),
        rng.normal(size=(count + 1, hidden)),
        rng.normal(size=hidden + count + 1),
    )


@given(st.integers(0, 1000), st.integers(1, 12), st.integers(1, 9))
def test_what_it_tells_is_what_a_table_of_its_weights_says_by_hand(seed: int, count: int, hidden: int) -> None:
    """All hidden ones, what goes straight through, and what is added."""
    rng = np.random.default_rng(seed)
    network = made(rng, count, hidden)
    signs = rng.normal(scale=3, size=(PLACES, count))
    usual = np.clip((signs[0] - network.mean) / network.deviation, -UNUSUAL, UNUSUAL)
    by_hand = usual @ network.out[hidden:-1] + network.out[-1]
    for h in range(hidden):
        by_hand += network.out[h] * np.tanh(usual @ network.hidden[:count, h] + network.hidden[count, h])
    assert np.isclose(network.tell(signs)[0], by_hand)


@given(st.integers(0, 1000))
def test_what_nobody_has_seen_counts_no_further(seed: int) -> None:
    rng = np.random.default_rng(seed)
    network = made(rng, 5, 3)
    far = network.mean + network.deviation * rng.choice([-1, 1], 5) * UNUSUAL
    further = network.mean + (far - network.mean) * rng.uniform(1, 1e6, 5)
    assert np.allclose(network.tell(far[None]), network.tell(further[None]))


def test_weights_are_read_as_they_were_written(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    network = made(rng, 29, 5)
    write(network, tmp_path / "weights.csv")
    signs = rng.normal(size=(PLACES, 29))
    np.testing.assert_allclose(
        network.tell(signs), read(tmp_path / "weights.csv").tell(signs), atol=0.05
    )  # four digits
