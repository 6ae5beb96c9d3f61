"""Histogram and waveform against NumPy's own."""

from __future__ import annotations

import numpy as np
from hypothesis import given

from tests.strategies import seeds
from wiseglove.core.compositing import scopes


def picture(seed: int) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    inside = np.zeros((40, 60), bool)
    top, left = rng.integers(0, 20, 2)
    inside[top : top + rng.integers(1, 20), left : left + rng.integers(1, 40)] = True
    return rng.integers(0, 256, (40, 60, 3)).astype(np.uint8), inside & (rng.random((40, 60)) < 0.8)


@given(seeds)
def test_the_histogram_is_numpys(seed: int) -> None:
    pixels, inside = picture(seed)
    ours = scopes.histogram(pixels, inside)
    for c in range(3):
        theirs, _ = np.histogram(pixels[inside][:, c], bins=256, range=(-0.5, 255.5))
        assert (ours[c] == theirs).all()


@given(seeds)
def test_the_waveform_is_numpys_histogram_of_levels_by_columns(seed: int) -> None:
    pixels, inside = picture(seed)
    ours = scopes.waveform(pixels, inside, 12)
    rows, across = np.nonzero(inside)
    assert ours.sum() == 3 * len(rows)
    if not len(rows):
        return
    ends = across.min(), across.max() + 1
    for c in range(3):
        theirs, _, _ = np.histogram2d(
            pixels[rows, across, c], across, bins=(256, 12), range=((-0.5, 255.5), (ends[0] - 1e-6, ends[1] - 1e-6))
        )
        assert (ours[c] == theirs).all()


def test_both_are_drawn_side_by_side_and_light_levels_are_at_the_top() -> None:
    bright = np.full((20, 30, 3), 250, np.uint8)
    inside = np.ones((20, 30), bool)
    drawn = scopes.drawn([bright, bright], inside)
    assert drawn.shape == (scopes.TALL + 6 + scopes.BAR, 2 * scopes.WIDE + 8, 3)
    light = drawn[: scopes.TALL, : scopes.WIDE].mean(axis=(1, 2))
    assert light.argmax() < 6
