"""Normals along an outline, handles kept in line, and the least squares that they are part of, against other ways to the same."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from wiseglove.core.geometry.bezier import control_polygon, ellipse, flatten
from wiseglove.core.outline.normals import line_up, normals_of
from wiseglove.core.outline.rows import solved


@given(
    st.floats(5, 80),
    st.floats(5, 80),
    st.floats(0.5, 9),
    st.booleans(),
    st.lists(st.integers(0, 3), min_size=1, max_size=6),
)
def test_they_stand_out_of_the_outline_no_farther_apart_than_asked(
    wide: float, high: float, spacing: float, turned: bool, segments: list[int]
) -> None:
    points = ellipse(10.0, -5.0, wide, high)
    if turned:  # the other way round: its handles change places
        points = points[::-1].copy()
        points[:, [2, 3, 4, 5]] = points[:, [4, 5, 2, 3]]
    along = normals_of(points, segments, spacing)
    lengths = np.linalg.norm(np.diff(control_polygon(points), axis=1), axis=2).sum(axis=1)
    counts = np.maximum((lengths[segments] / spacing).astype(int), 2)
    assert np.array_equal(along.segment, np.repeat(segments, counts)), "in the order in which segments were asked for"
    assert np.allclose(np.linalg.norm(along.outward, axis=1), 1)
    ring = shapely.Polygon(flatten(points, 0.001))
    step = 0.05 * min(wide, high)
    assert not shapely.contains_xy(ring, along.places + step * along.outward).any()
    assert shapely.contains_xy(ring, along.places - step * along.outward).all()
    assert shapely.distance(ring.exterior, shapely.points(along.places)).max() < 0.01


@given(arrays(np.float64, (5, 8), elements=st.floats(-50, 50)), arrays(np.bool_, 5))
def test_handles_of_smooth_points_are_in_line_and_keep_their_lengths(points: np.ndarray, smooth: np.ndarray) -> None:
    before = points.copy()
    line_up(points, smooth)
    arriving, leaving = points[:, 2:4], points[:, 4:6]
    for now, then in ((arriving, before[:, 2:4]), (leaving, before[:, 4:6])):
        assert np.allclose(np.linalg.norm(now, axis=1), np.linalg.norm(then, axis=1))
    assert np.array_equal(points[~smooth], before[~smooth])
    lengths = np.linalg.norm(arriving, axis=1), np.linalg.norm(leaving, axis=1)
    both = smooth & (lengths[0] > 1e-6) & (lengths[1] > 1e-6)
    assert np.array_equal(points[~both], before[~both]), "one handle alone is in line with anything"
    assert np.allclose((arriving * leaving).sum(axis=1)[both], -(lengths[0] * lengths[1])[both])


@given(st.integers(1, 12), st.integers(0, 2**32 - 1))
def test_least_squares_come_out_as_another_solver_has_them(count: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    rows, right = rng.normal(size=(3 * count, count)), rng.normal(size=(count, 2))
    matrix = rows.T @ rows + np.eye(count)
    expected = np.linalg.solve(matrix, right)
    assert np.allclose(solved(np.triu(matrix), right), expected), "of the matrix its upper half is read"


def test_what_is_not_positive_definite_is_refused() -> None:
    with pytest.raises(np.linalg.LinAlgError, match="positive definite"):
        solved(np.diag([1.0, -1.0]), np.zeros((2, 1)))
