"""Where edges matter, and what a holdout misses or takes too much."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import seeds
from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.core.review.holes import holes
from wiseglove.core.review.matters import AROUND, HIDDEN, area_of, matters, runs_of

PANE = shapely.box(20, 20, 80, 60)


@given(seeds, st.floats(0, 10))
def test_what_lies_over_the_pane_matters_unless_it_is_inside_another_cover(seed: int, grow: float) -> None:
    places = np.random.default_rng(seed).uniform(0, 100, (200, 2))
    other = ellipse(50, 40, 18, 12)
    found = matters(places, [PANE], [grow], [area_of(other)])
    inside = np.hypot((places[:, 0] - 50) / 18, (places[:, 1] - 40) / 12) < 1
    spots = shapely.points(places)
    near = shapely.distance(PANE, spots)
    deep = shapely.distance(area_of(other).boundary, spots)
    assert found[(near < 0.95 * (AROUND + grow)) & ~inside].all()  # round corners are drawn with few pieces
    assert not found[near > AROUND + grow + 0.1].any()
    assert not found[inside & (deep > HIDDEN + 0.1)].any()


def test_outlines_that_cross_themselves_or_are_nothing() -> None:
    eight = np.zeros((4, 8))
    eight[:, :2] = [(0, 0), (10, 10), (10, 0), (0, 10)]
    assert area_of(eight).area == pytest.approx(50)
    assert area_of(np.zeros((3, 8))).area == 0


def test_runs_of_frames() -> None:
    assert runs_of([1, 2, 3, 5, 6, 9], [True, True, False, True, True, True]) == [(1, 2), (5, 6), (9, 9)]


HIGH, WIDE = 160, 220
WHERE = np.ones((HIGH, WIDE), bool)


def screen(seed: int = 1) -> np.ndarray:
    """A picture behind: soft, teal, with lines, 0..255."""
    rng = np.random.default_rng(seed)
    soft = cv2.resize(rng.uniform(0.6, 1.0, (6, 8)).astype(np.float32), (WIDE, HIGH))[..., None]
    return np.asarray(soft * np.array([40.0, 110, 104], np.float32), np.float32)


def matte(*centre: float, size: float = 16.0) -> np.ndarray:
    return np.asarray(coverage(ellipse(*centre, size, size * 1.4), Box(0, 0, WIDE, HIGH)), np.float32)


@pytest.mark.parametrize("case", range(20))
def test_a_forgotten_thumb_and_a_cover_that_is_too_wide_are_found(case: int) -> None:
    rng = np.random.default_rng(case)
    behind = screen(case)
    glove = np.array([200.0, 170, 120], np.float32) if case % 2 else np.array([96.0, 40, 50], np.float32)
    hand, thumb = matte(60, 80), matte(*rng.uniform((120, 40), (190, 120)))
    covered = np.maximum(hand, thumb)
    frame = behind + covered[..., None] * (glove - behind) + rng.normal(0, 2, behind.shape).astype(np.float32)
    (found,) = holes(covered, hand, WHERE, frame, behind)
    assert found.what == "open"
    share = (
        np.logical_and(coverage(_of(found.outline), Box(0, 0, WIDE, HIGH)) > 0.5, thumb > 0.5).sum()
        / (thumb > 0.5).sum()
    )
    assert share > 0.8
    (wide,) = holes(hand, covered, WHERE, behind + hand[..., None] * (glove - behind), behind)
    assert wide.what == "wide"
    assert np.hypot(*np.subtract(wide.centre, found.centre)) < 4


def _of(points: np.ndarray) -> np.ndarray:
    return points if points.shape[1] == 8 else np.pad(points, ((0, 0), (0, 2)))


@pytest.mark.parametrize("light", [0.4, 0.7, 2.2])
def test_shadow_and_lamps_are_no_holes(light: float) -> None:
    behind, dark = screen(), matte(120, 80)
    linear = (behind / 255) ** 2.2 * (1 + dark[..., None] * (light - 1))
    frame = np.asarray(255 * linear ** (1 / 2.2), np.float32)
    assert holes(dark, np.zeros((HIGH, WIDE), np.float32), WHERE, frame, behind) == []


def test_an_edge_a_little_off_is_no_hole() -> None:
    behind = screen()
    covered, held = matte(100, 80), matte(103, 80)
    assert holes(covered, held, WHERE, behind * 2, behind) == []
