"""Boil: what is put in is found where it was put in, and smooth motion has none."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import blob, seeds
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.core.review.boil import boil, overworked

COUNT = 40


def moving(seed: int) -> np.ndarray:
    """A shape that glides and turns, as a few smooth keys make it."""
    rng = np.random.default_rng(seed)
    keys = np.stack([blob(seed, 12, size=60.0) for _ in range(4)])
    keys[..., :2] += rng.uniform(-25, 25, (4, 1, 2))
    return in_between(Animation(np.linspace(0, COUNT - 1, 4), keys, ("smooth",) * 4), np.arange(COUNT))


@given(seeds)
def test_smooth_motion_does_not_boil(seed: int) -> None:
    assert boil(moving(seed)).amount[4:-4].max() < 0.12


@given(seeds, st.integers(0, 11))
def test_what_is_put_in_is_found_along_the_outline(seed: int, place: int) -> None:
    points = moving(seed)
    shaken = np.random.default_rng(seed + 1).normal(0, 0.6, (COUNT, 2))
    points[:, place, :2] += shaken
    found = boil(points)
    at, where = found.worst()
    away = abs(found.segment[where] + found.t[where] - place) % 12
    assert min(away, 12 - away) < 1.3  # within a tenth of the length of twelve segments
    assert found.amount[at, where] > 0.15


@given(seeds)
def test_what_the_whole_outline_does_is_its_carriers(seed: int) -> None:
    points = moving(seed)
    trembling = points.copy()
    trembling[..., :2] += np.random.default_rng(seed).normal(0, 1.0, (COUNT, 1, 2))
    assert boil(trembling).amount.mean() < boil(points).amount.mean() + 0.05


def test_too_few_frames_say_nothing() -> None:
    assert boil(moving(1)[:4]).amount.max() == 0


def test_keys_on_every_frame_of_what_boils_are_named_and_sparse_ones_are_not() -> None:
    points = moving(3)
    points[10:20, 4, :2] += np.random.default_rng(1).normal(0, 0.8, (10, 2))
    found = boil(points)
    ((first, last),) = overworked([0, *range(10, 20), 39], 0, found)
    assert (first, last) in {(10, 18), (10, 19)}
    assert overworked([0, 13, 26, 39], 0, found) == []
    assert overworked(list(range(26, 39)), 0, boil(moving(3))) == []
