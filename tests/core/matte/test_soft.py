"""Soft edges, motion blur and growth, against formulas, sampling and GEOS."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon

from tests.strategies import blob, seeds
from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.matte.combine import Part, cover_matte, outline_matte, reach_box
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.core.matte.shutter import moments, moments_needed, travel
from wiseglove.core.matte.soft import STEEPEST, soft_line

FRAME = Box(0, 0, 120, 110)
widths = st.floats(0, 16, allow_nan=False)


def soft(points: np.ndarray, inner: object, outer: object) -> np.ndarray:
    out = points.copy()
    out[:, 6], out[:, 7] = inner, outer
    return out


def matte(points: np.ndarray, grow: float = 0.0) -> np.ndarray:
    return outline_matte(points[None], FRAME, 1.0, grow)


@pytest.mark.parametrize(("inner", "outer"), [(6.0, 9.0), (0.0, 12.0), (10.0, 0.0), (3.0, 3.0)])
def test_a_circles_edge_falls_evenly_from_its_inner_to_its_outer_radius(inner: float, outer: float) -> None:
    radius, centre = 34.0, (60.0, 55.0)
    got = matte(soft(ellipse(*centre, radius, radius), inner, outer))
    rows, columns = np.mgrid[:110, :120] + 0.5
    distance = np.hypot(columns - centre[0], rows - centre[1]) - radius
    # A ramp averaged over one pixel along the normal: the mean of the clamped line over d - 0.5 .. d + 0.5.
    fine = distance[..., None] + (np.arange(64) + 0.5) / 64 - 0.5
    expected = np.clip((outer - fine) / (inner + outer), 0, 1).mean(axis=-1)
    assert np.abs(got - expected).max() < 2 / 255


@given(seeds)
def test_without_widths_it_is_the_exact_coverage(seed: int) -> None:
    points = blob(seed)
    assert np.array_equal(matte(points), coverage(points, FRAME))


@settings(max_examples=30)
@given(seeds, st.lists(widths, min_size=9, max_size=9), st.lists(widths, min_size=9, max_size=9))
def test_any_widths_give_a_matte_without_holes_or_jumps(seed: int, inner: list[float], outer: list[float]) -> None:
    points = soft(blob(seed), inner, outer)
    got = matte(points)
    assert got.min() >= 0
    assert got.max() <= 1
    # What lies farther inside than the widest inner edge is whole, what lies beyond the widest outer one is clear.
    inside = (coverage(points, FRAME) > 0.5).astype(np.uint8)
    depth = cv2.distanceTransform(inside, cv2.DIST_L2, 5)
    beyond = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
    assert got[depth > max(inner) + 2].min(initial=1.0) > 0.995
    assert got[beyond > max(outer) + 2].max(initial=0.0) < 0.005
    # On the curve itself the ramp is continuous: across it no step is larger than the steepest ramp there or a hard edge's.
    narrow = min(a + b for a, b in zip(inner, outer, strict=True))
    if narrow > 4:
        assert np.abs(np.diff(got, axis=0)).max() < 1.2 / narrow + 0.35 / 4
        assert np.abs(np.diff(got, axis=1)).max() < 1.2 / narrow + 0.35 / 4


@given(seeds, st.lists(widths, min_size=9, max_size=9))
def test_widths_never_change_faster_than_ramps_can_follow(seed: int, outer: list[float]) -> None:
    line = soft_line(soft(blob(seed), 0.0, outer))
    steps = np.linalg.norm(np.diff(line[:, :2], axis=0), axis=1)
    assert (np.abs(np.diff(line[:, 3])) <= STEEPEST * steps + 1e-9).all()
    assert np.array_equal(line[0], line[-1])


def test_thinner_than_its_inner_edge_the_outline_fades_but_does_not_fold() -> None:
    strip = np.zeros((4, 8))
    strip[:, :2] = [[20, 50], [100, 50], [100, 58], [20, 58]]
    got = matte(soft(strip, 12.0, 0.0))
    assert got[54, 60] == pytest.approx(4 / 12, abs=0.06)
    assert (np.diff(got[50:54, 60]) > 0).all()
    assert got[40, 60] == 0


@pytest.mark.parametrize("by", [-4.5, -0.7, -0.3, 0.3, 0.7, 3.25])
def test_growing_moves_the_edge_by_exactly_that_much(by: float) -> None:
    points = ellipse(60, 55, 30, 30)
    # A circle of radius r + by: its area is known, and GEOS offsets it in the same way.
    assert matte(points, by).sum() == pytest.approx(np.pi * (30 + by) ** 2, rel=2e-3)
    star = blob(3)
    offset = Polygon(flatten(star, 0.001)).buffer(by, quad_segs=64)
    assert matte(star, by).sum() == pytest.approx(offset.area, rel=1e-3)


def test_shrinking_takes_thin_parts_away_and_never_turns_inside_out() -> None:
    assert matte(ellipse(60, 55, 4, 30), -5.0).max() == 0
    assert matte(soft(ellipse(60, 55, 4, 30), 2.0, 2.0), -50.0).max() == 0


def test_a_hole_shrinks_when_the_cover_grows() -> None:
    parts = [Part("adds", ellipse(60, 55, 40, 40)[None]), Part("cuts", ellipse(60, 55, 20, 20)[None])]
    grown = cover_matte(parts, FRAME, 1.0, 2.0)
    assert grown.sum() == pytest.approx(np.pi * (42**2 - 18**2), rel=2e-3)


@settings(max_examples=15)
@given(seeds, st.floats(-40, 40), st.floats(-40, 40), st.floats(-40, 40))
def test_motion_blur_is_the_mean_of_many_moments(seed: int, dx: float, dy: float, turn: float) -> None:
    def at(share: float) -> np.ndarray:
        angle = np.radians(turn * (share - 0.5))
        rotation = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        points = blob(seed, size=24.0)
        points[:, :2] = (points[:, :2] - (60, 50)) @ rotation + (60, 50) + (share - 0.5) * np.array([dx, dy])
        points[:, 2:4], points[:, 4:6] = points[:, 2:4] @ rotation, points[:, 4:6] @ rotation
        return points

    def exposure(count: int) -> np.ndarray:
        return np.stack([at((k + 0.5) / count) for k in range(count)])

    needed = moments_needed(travel(exposure(9)) * 9 / 8, 0.0)
    few = outline_matte(exposure(needed), FRAME)
    many = np.mean([coverage(points, FRAME) for points in exposure(400)], axis=0)
    assert np.abs(few - many).max() <= 2 / 255


def test_an_outline_that_crosses_itself_is_blurred_moment_by_moment() -> None:
    eight = np.zeros((4, 8))
    eight[:, :2] = [[20, 20], [80, 80], [80, 20], [20, 80]]
    shapes = np.stack([eight + (k, 0, 0, 0, 0, 0, 0, 0) for k in range(6)])
    expected = np.mean([coverage(points, FRAME) for points in shapes], axis=0)
    assert np.abs(outline_matte(shapes, FRAME) - expected).max() < 1e-5


def test_a_moving_cover_with_a_hole_is_combined_at_each_moment() -> None:
    shift = np.array([1.0, 0, 0, 0, 0, 0, 0, 0])
    big = np.stack([ellipse(50, 55, 30, 30) + k * shift for k in range(8)])
    hole = np.stack([ellipse(50, 55, 12, 12) + k * shift for k in range(8)])
    got = cover_matte([Part("adds", big), Part("cuts", hole)], FRAME)
    each = [cover_matte([Part("adds", b[None]), Part("cuts", h[None])], FRAME) for b, h in zip(big, hole, strict=True)]
    assert np.abs(got - np.mean(each, axis=0)).max() < 1e-5


def test_an_exposure_lies_around_its_frame_and_a_phase_shifts_it() -> None:
    # Frame f is exposed over f - s/2 .. f + s/2 with s = angle / 360.
    assert moments(10, 180, 0, 2) == pytest.approx([9.875, 10.125])
    assert moments(10, 360, 90, 1) == pytest.approx([10.25])
    assert moments_needed(0.0, 0.0) == 1


@given(seeds, widths, st.floats(-5, 5))
def test_nothing_lies_beyond_the_box_that_an_outline_can_reach(seed: int, width: float, grow: float) -> None:
    points = soft(blob(seed), width, width)
    whole = Box(-40, -40, 160, 150)
    got = outline_matte(points[None], whole, 1.0, grow)
    box = reach_box(points[None], 1.0, grow)
    got[box.top + 40 : box.bottom + 40, box.left + 40 : box.right + 40] = 0
    assert got.max() < 1e-5
