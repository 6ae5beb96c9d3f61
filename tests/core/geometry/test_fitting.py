"""Schneider 1990: never farther than the tolerance, and few points."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import blob, seeds
from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.geometry.fitting import LOOKS, TooManyPointsError, evened, fit_closed, fit_sparsely


def farthest(line: np.ndarray, points: np.ndarray) -> float:
    curve = shapely.LinearRing(flatten(points, 0.002))
    return float(shapely.distance(shapely.points(line), curve).max())


def drawn(seed: int, wobble: float = 0.0, count: int = 9) -> np.ndarray:
    line = flatten(blob(seed, count, (200.0, 200.0), 90.0), 0.02)[:-1]
    ring = shapely.LinearRing(line)
    even = np.array([ring.interpolate(d).coords[0] for d in np.arange(0, ring.length, 1.5)])
    return even + np.random.default_rng(seed).normal(0, wobble, even.shape)


@given(seeds, st.floats(0.3, 8.0), st.floats(0.0, 0.4))
def test_no_vertex_is_farther_from_the_curve_than_the_tolerance(seed: int, tolerance: float, wobble: float) -> None:
    line = drawn(seed, wobble)
    fitted = fit_closed(line, tolerance)
    assert len(fitted.points) >= 3
    assert farthest(line, fitted.points) <= tolerance + 0.01


@given(seeds)
def test_more_room_never_needs_more_points_by_much_and_far_fewer_than_were_drawn(seed: int) -> None:
    line = drawn(seed)
    close, loose = fit_closed(line, 0.5), fit_closed(line, 4.0)
    assert len(loose.points) <= len(close.points)
    assert len(close.points) < len(line) / 8


def test_a_circle_needs_few_points() -> None:
    line = flatten(ellipse(100, 100, 60, 60), 0.05)[:-1]
    fitted = fit_closed(line, 0.5)
    assert len(fitted.points) <= 6
    assert not fitted.corners.any()


def test_corners_stay_corners() -> None:
    sides = [np.linspace(a, b, 60, endpoint=False) for a, b in zip(SQUARE, np.roll(SQUARE, -1, axis=0), strict=True)]
    fitted = fit_closed(np.concatenate(sides), 0.6)
    assert fitted.corners.sum() == 4
    assert len(fitted.points) == 4
    for corner in SQUARE:
        assert np.linalg.norm(fitted.points[:, :2] - corner, axis=1).min() < 1.0


SQUARE = np.array([[20.0, 20], [120, 20], [120, 90], [20, 90]])


@given(seeds)
def test_smooth_points_have_their_handles_in_line(seed: int) -> None:
    fitted = fit_closed(drawn(seed), 1.0)
    for point in fitted.points[~fitted.corners]:
        incoming, outgoing = point[2:4], point[4:6]
        cross = incoming[0] * outgoing[1] - incoming[1] * outgoing[0]
        assert abs(cross) <= 1e-6 * max(np.linalg.norm(incoming) * np.linalg.norm(outgoing), 1e-9)
        assert incoming @ outgoing <= 0


@pytest.mark.parametrize("line", [[[1, 1]], [[1, 1], [1, 1], [1, 1], [1, 1]], [[1, 1], [5, 5]]])
def test_what_is_no_closed_line_is_refused(line: list[list[float]]) -> None:
    with pytest.raises(ValueError, match="at least three places"):
        fit_closed(np.array(line, float), 1.0)


def test_a_line_there_and_back_is_fitted_all_the_same() -> None:
    there = np.linspace([10, 10], [200, 60], 80)
    line = np.concatenate([there, there[-2:0:-1]])
    assert farthest(line, fit_closed(line, 1.0).points) <= 1.01


@given(seeds, st.floats(0.2, 1.0))
def test_evening_calms_a_trembling_hand_and_keeps_the_shape(seed: int, tremble: float) -> None:
    steady = drawn(seed)
    shaken = steady + np.random.default_rng(seed).normal(0, tremble, steady.shape)
    curve = shapely.LinearRing(steady)

    def off(line: np.ndarray) -> float:
        return float(np.sqrt(np.mean(shapely.distance(shapely.points(line), curve) ** 2)))

    even = evened(shaken, 1.5)
    assert off(even) < 0.8 * off(shaken)
    steps = np.linalg.norm(np.roll(even, -1, axis=0) - even, axis=1)
    assert steps.max() < 3.0


@given(seeds, st.lists(st.floats(0.5, 12.0), min_size=2, max_size=6), st.floats(0.0, 1.0))
def test_a_coarser_sparse_fit_never_has_more_points(seed: int, tolerances: list[float], wobble: float) -> None:
    line = drawn(seed, wobble)
    counts = [len(fit_sparsely(line, tolerance).points) for tolerance in sorted(tolerances)]
    assert counts == sorted(counts, reverse=True)


@given(seeds, st.floats(0.2, 6.0), st.floats(0.0, 1.0))
def test_a_sparse_fit_keeps_the_tolerance_from_the_evened_line(seed: int, tolerance: float, wobble: float) -> None:
    line = drawn(seed, wobble)
    fitted = fit_sparsely(line, tolerance)
    assert min(farthest(evened(line, step), fitted.points) for step in LOOKS) <= tolerance + 0.01


@pytest.mark.parametrize("tolerance", [0.5, 3.0, 20.0])
def test_a_scribble_is_refused_before_it_takes_long(tolerance: float) -> None:
    scribble = np.random.default_rng(4).uniform(0, 600, (3000, 2))
    with pytest.raises(TooManyPointsError):
        fit_sparsely(scribble, tolerance, most=200)


@given(seed=st.integers(0, 500), tolerance=st.floats(0.5, 20))
def test_as_many_points_as_are_needed_are_enough(seed: int, tolerance: float) -> None:
    line = drawn(seed, 0.2)
    fitted = fit_closed(line, tolerance)
    assert (fit_closed(line, tolerance, most=len(fitted.points) + 1).points == fitted.points).all()
    with pytest.raises(TooManyPointsError):
        fit_closed(line, tolerance, most=1)
