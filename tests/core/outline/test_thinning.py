"""Thinning out ends, whatever the tolerance, and what it keeps is enough."""

from __future__ import annotations

import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.core.outline.thin import thin_out
from wiseglove.core.patience import TooLongError, patience


def wandering(count: int, points: int, seed: int) -> np.ndarray:
    """An outline (count, points, 8) that goes its own way on every frame."""
    steps = np.random.default_rng(seed).normal(0, 1, (count, points, 8))
    steps[..., 6:] = 0
    start = np.zeros((1, points, 8))
    start[..., :6] = np.random.default_rng(seed + 1).normal(0, 100, (1, points, 6))
    return np.asarray(start + np.cumsum(steps, axis=0))


@pytest.mark.parametrize("tolerance", [1e-13, 1e-300, 0.0])
def test_a_tolerance_below_rounding_keeps_every_frame_and_ends(tolerance: float) -> None:
    thinned = thin_out(range(30), wandering(30, 5, 1), tolerance, None)
    assert len(thinned.frames) == 30
    assert thinned.error < 1e-9


@given(st.integers(0, 10_000), st.floats(0.05, 20), st.booleans())
def test_what_is_kept_holds_the_tolerance(seed: int, tolerance: float, put: bool) -> None:
    """Measured anew from the kept keys alone, on every frame; with a pivot put by hand as without."""
    shapes = wandering(24, 6, seed)
    pivot = (30.0, -20.0) if put else None
    frames = list(range(1001, 1025))
    thinned = thin_out(frames, shapes, tolerance, pivot)
    chosen = [frames.index(f) for f in thinned.frames]
    kept = Animation(np.array(thinned.frames, float), shapes[chosen], ("smooth",) * len(chosen), pivot)
    places = in_between(kept, np.array(frames, float))[..., :2]
    assert np.hypot(*np.moveaxis(places - shapes[..., :2], -1, 0)).max() <= tolerance + 1e-6
    assert thinned.error <= tolerance + 1e-9 or len(chosen) == len(frames)


def test_it_gives_up_when_the_time_is_over() -> None:
    started = time.monotonic()
    with patience(0.2), pytest.raises(TooLongError, match="Nothing was changed"):
        thin_out(range(4000), wandering(4000, 60, 3), 0.01, None)
    assert time.monotonic() - started < 10
