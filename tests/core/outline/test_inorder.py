"""Closed lines matched in order."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from wiseglove.core.outline.inorder import matched

Array = NDArray[np.float64]


def ring(count: int, start: float = 0.0, radius: float = 50.0) -> tuple[Array, Array]:
    """Places of a circle, and which way is out there."""
    angles = start + np.arange(count) * 2 * np.pi / count
    way = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    return 100 + radius * way, way


def at(line: Array, position: Array) -> Array:
    return line[np.round(position).astype(int) % len(line)]


@given(st.floats(0, 6.2), st.integers(90, 200), st.floats(40, 55))
def test_a_circle_is_matched_with_another_place_by_place(start: float, count: int, radius: float) -> None:
    places, outward = ring(120, start)
    line, facing = ring(count, 0.0, radius)
    position = matched(places, outward, line, facing)
    along = (at(line, position) - 100) / radius
    assert ((along * outward).sum(axis=1) > np.cos(0.12)).all()


@given(st.integers(0, 10_000))
def test_positions_never_run_back_and_go_round_once(seed: int) -> None:
    rng = np.random.default_rng(seed)
    places, outward = ring(100, rng.uniform(0, 6))
    line, facing = ring(130)
    line = line + rng.normal(0, 3, line.shape)
    begin = matched(places, outward, line, facing)
    step = np.diff(np.concatenate([begin, begin[:1]]))
    back = step < -1e-9
    assert back.sum() == 1, "only where it closes"
    assert step[back][0] == pytest.approx(begin.min() - begin.max(), abs=len(line) / 4)


def test_places_are_spread_along_what_has_opened() -> None:
    """Two sides of a gap that opened in a straight edge: no place was there before, some are now."""
    x = np.arange(0, 200, 2.0)
    bottom = np.stack([x, np.full(len(x), 100.0)], axis=1)
    rest = np.stack([x[::-1], np.zeros(len(x))], axis=1)
    places = np.concatenate([bottom, rest])
    outward = np.concatenate([np.tile([0.0, 1.0], (len(x), 1)), np.tile([0.0, -1.0], (len(x), 1))])
    up, down = np.arange(98, 40, -2.0), np.arange(40, 100, 2.0)
    gap = np.concatenate([np.stack([np.full(len(up), 98.0), up], 1), np.stack([np.full(len(down), 102.0), down], 1)])
    sides = np.concatenate([np.tile([1.0, 0.0], (len(up), 1)), np.tile([-1.0, 0.0], (len(down), 1))])
    line = np.concatenate([bottom[:50], gap, bottom[51:], rest])
    facing = np.concatenate([outward[:50], sides, outward[51:]])
    found = at(line, matched(places, outward, line, facing))
    inside = found[(found[:, 1] > 45) & (found[:, 1] < 95)]
    assert len(inside) >= 12
    assert inside[:, 1].min() < 60
    far = (places[:, 0] < 30) | (places[:, 0] > 170)
    assert np.abs(found - places)[far].max() < 2.1
