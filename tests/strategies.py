"""Random outlines for property tests."""

from __future__ import annotations

import numpy as np
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays


def blob(seed: int, count: int = 9, centre: tuple[float, float] = (60.0, 50.0), size: float = 30.0) -> np.ndarray:
    """A smooth closed outline that does not cross itself, (count, 8), with hard edges."""
    rng = np.random.default_rng(seed)
    angle = np.arange(count) / count * 2 * np.pi
    radius = size * (1 + 0.25 * rng.uniform(-1, 1, count))
    points = np.stack([centre[0] + radius * np.cos(angle), centre[1] + radius * np.sin(angle)], axis=1)
    chord = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
    return np.concatenate([points, -chord / 6, chord / 6, np.zeros((count, 2))], axis=1)


seeds = st.integers(0, 2**31 - 1)

outlines = arrays(np.float64, st.tuples(st.integers(3, 12), st.just(8)), elements=st.floats(-80, 80)).map(
    lambda p: p * (1, 1, 0.4, 0.4, 0.4, 0.4, 0, 0) + (50, 50, 0, 0, 0, 0, 0, 0)
)
"""Any outline, crossing itself or not, partly outside a 100 x 100 picture."""
