from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon
from shapely.geometry import box as rectangle

from tests.strategies import blob, outlines, seeds
from wiseglove.core.geometry.bezier import ellipse, flatten, signed_area
from wiseglove.core.matte.combine import Part, cover_matte
from wiseglove.core.matte.coverage import Box, box_of, coverage, fill

FRAME = Box(0, 0, 100, 100)
coordinates = st.floats(-30, 130, allow_nan=False)


def polygon(corners: np.ndarray) -> np.ndarray:
    return np.concatenate([corners, np.zeros((len(corners), 6))], axis=1)


@settings(max_examples=40)
@given(st.lists(st.tuples(coordinates, coordinates), min_size=3, max_size=3))
def test_every_pixel_of_a_triangle_holds_its_exact_area(corners: list[tuple[float, float]]) -> None:
    triangle = Polygon(corners)
    matte = coverage(polygon(np.array(corners)), Box(20, 20, 60, 60))
    exact = np.array(
        [[triangle.intersection(rectangle(x, y, x + 1, y + 1)).area for x in range(20, 60)] for y in range(20, 60)]
    )
    assert np.abs(matte - exact).max() < 2e-5


@given(seeds)
def test_the_sum_of_coverage_is_the_area(seed: int) -> None:
    points = blob(seed)
    assert coverage(points, FRAME).sum() == pytest.approx(abs(signed_area(points)), rel=5e-4)


def test_a_circle_segment_left_by_the_frame_has_its_area() -> None:
    # Area of a circular segment: r^2 acos(d/r) - d sqrt(r^2 - d^2).
    radius, distance = 30.0, 12.0
    seen = coverage(ellipse(-distance, 50, radius, radius), FRAME).sum()
    exact = radius**2 * np.arccos(distance / radius) - distance * np.sqrt(radius**2 - distance**2)
    assert seen == pytest.approx(exact, rel=2e-3)


@given(outlines, st.integers(0, 60), st.integers(0, 60), st.integers(1, 39), st.integers(1, 39))
def test_a_part_equals_the_same_part_of_the_whole(
    points: np.ndarray, left: int, top: int, width: int, height: int
) -> None:
    part = Box(left, top, left + width, top + height)
    whole = coverage(points, Box(-300, -300, 400, 400))[300:400, 300:400]
    assert coverage(points, part) == pytest.approx(whole[part.slices], abs=2e-4)


@given(outlines)
def test_values_stay_within_zero_and_one_whatever_crosses(points: np.ndarray) -> None:
    matte = coverage(points, FRAME)
    assert matte.min() >= 0
    assert matte.max() <= 1


def test_winding_twice_is_still_one() -> None:
    twice = np.concatenate([ellipse(50, 50, 20, 20)] * 2)
    assert coverage(twice, FRAME)[50, 50] == pytest.approx(1)


def test_direction_does_not_matter() -> None:
    points = blob(3)
    backwards = points[::-1][:, [0, 1, 4, 5, 2, 3]]
    assert coverage(points, FRAME) == pytest.approx(coverage(backwards, FRAME), abs=1e-5)


@given(seeds, st.sampled_from([0.25, 0.5, 0.75, 2.0]))
def test_a_scale_is_the_same_as_scaled_points(seed: int, scale: float) -> None:
    points = blob(seed)
    box = Box(0, 0, round(100 * scale), round(100 * scale))
    assert coverage(points, box, scale) == pytest.approx(coverage(points * scale, box), abs=2e-3)


def test_filling_bytes_is_coverage_rounded_and_touches_nothing_else() -> None:
    points = blob(8)
    target = np.full((100, 100), 7, np.uint8)
    box = fill(target, points)
    assert box == box_of(points)
    assert np.abs(target[box.slices] - coverage(points, box) * 255).max() <= 0.51
    outside = np.ones_like(target, bool)
    outside[box.slices] = False
    assert (target[outside] == 7).all()


def test_zero_area_and_places_far_away_give_nothing() -> None:
    assert coverage(polygon(np.array([[10.0, 10], [50, 50], [10, 10]])), FRAME).max() < 1e-6
    assert coverage(blob(1, centre=(5000, 5000)), FRAME).max() < 1e-6
    assert coverage(blob(1, centre=(5000, 50)), FRAME).max() < 1e-6
    assert coverage(blob(1, centre=(-5000, 50)), FRAME).max() < 1e-6


@given(seeds)
def test_union_is_never_a_sum(seed: int) -> None:
    shapes = [blob(seed + k, size=20.0) for k in range(3)]
    union = cover_matte([Part("adds", points[None]) for points in shapes], FRAME)
    a, b, c = (coverage(points, FRAME) for points in shapes)
    assert (union <= 1 + 1e-6).all()
    assert (union >= np.maximum(np.maximum(a, b), c) - 1e-6).all()
    assert union == pytest.approx(a + b + c - a * b - a * c - b * c + a * b * c, abs=1e-5)


def test_outlines_add_cut_and_limit_in_order() -> None:
    big, small = ellipse(50, 50, 30, 30), ellipse(50, 50, 10, 10)
    ring = cover_matte([Part("adds", big[None]), Part("cuts", small[None])], FRAME)
    assert ring[50, 50] == 0
    assert ring[50, 70] == 1
    limited = cover_matte([Part("adds", big[None]), Part("limits", small[None])], FRAME)
    assert limited == pytest.approx(coverage(small, FRAME), abs=1e-6)
    refilled = cover_matte([Part("adds", big[None]), Part("cuts", small[None]), Part("adds", small[None])], FRAME)
    assert refilled[50, 50] == 1


def test_boxes_join_and_meet() -> None:
    a, b = Box(0, 0, 10, 10), Box(5, 6, 20, 8)
    assert a.joined(b) == Box(0, 0, 20, 10)
    assert a.within(b) == Box(5, 6, 10, 8)
    assert a.within(Box(50, 50, 60, 60)).empty
    assert Box(0, 0, 0, 0).joined(b) == b


def test_flattening_at_a_scale_keeps_its_tolerance_in_result_pixels() -> None:
    assert len(flatten(ellipse(0, 0, 10, 10), scale=16.0)) > 2 * len(flatten(ellipse(0, 0, 10, 10)))
