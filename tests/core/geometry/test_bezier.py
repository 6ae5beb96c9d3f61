from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon

from tests.strategies import blob, outlines, seeds
from wiseglove.core.geometry.bezier import (
    bounds,
    control_polygon,
    ellipse,
    flatten,
    insert_point,
    signed_area,
)


def on_curve(points: np.ndarray, per_segment: int = 50) -> np.ndarray:
    t = np.linspace(0, 1, per_segment)[:, None]
    weights = np.concatenate([(1 - t) ** 3, 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t**2, t**3], axis=1)
    return (weights @ control_polygon(points)).reshape(-1, 2)


def test_circle_from_four_cubics_has_the_known_error() -> None:
    # The usual kappa 0.5522847 gives a largest radial error of 0.027 % (published widely, e.g. Goldapp 1991).
    radius = np.hypot(*on_curve(ellipse(0, 0, 1, 1), 2000).T)
    assert radius.max() - 1 == pytest.approx(0.000273, abs=2e-6)
    assert radius.min() >= 1 - 1e-9


@given(outlines)
def test_flattening_stays_within_its_tolerance(points: np.ndarray) -> None:
    line = LineString(flatten(points, 0.05))
    assert max(line.distance(Point(p)) for p in on_curve(points, 12)) <= 0.05 + 1e-9


@given(seeds)
def test_area_agrees_with_a_fine_polygon(seed: int) -> None:
    points = blob(seed)
    assert abs(signed_area(points)) == pytest.approx(Polygon(flatten(points, 1e-4)).area, rel=1e-5)


def test_clockwise_on_screen_is_positive() -> None:
    assert signed_area(ellipse(5, 5, 2, 3)) == pytest.approx(np.pi * 6, rel=1e-3)
    assert signed_area(ellipse(5, 5, 2, 3)[::-1][:, [0, 1, 4, 5, 2, 3]]) < 0


@given(outlines)
def test_bounds_hold_the_curve(points: np.ndarray) -> None:
    left, top, right, bottom = bounds(points)
    curve = on_curve(points, 20)
    assert (curve >= (left - 1e-9, top - 1e-9)).all()
    assert (curve <= (right + 1e-9, bottom + 1e-9)).all()


@given(seeds, st.integers(0, 8), st.floats(0.02, 0.98))
def test_a_new_point_changes_no_keys_shape(seed: int, segment: int, t: float) -> None:
    keys = np.stack([blob(seed), blob(seed + 1)])
    grown = insert_point(keys, segment, t)
    assert grown.shape == (2, 10, 8)
    for before, after in zip(keys, grown, strict=True):
        assert signed_area(after) == pytest.approx(signed_area(before), rel=1e-9)
        line = LineString(flatten(before, 1e-3))
        assert max(line.distance(Point(p)) for p in on_curve(after, 12)) < 2e-3


@pytest.mark.parametrize(("segment", "t"), [(9, 0.5), (-1, 0.5), (0, 0.0), (0, 1.0)])
def test_a_point_beside_the_curve_is_refused(segment: int, t: float) -> None:
    with pytest.raises(ValueError, match="no place"):
        insert_point(blob(1)[None], segment, t)
