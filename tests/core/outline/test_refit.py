"""An outline fitted anew to a closed line with its own points, and what counts as a whole figure's outline."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from wiseglove.core.geometry.bezier import Points, ellipse, flatten
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.outline.refit import SPACING, refitted
from wiseglove.core.outline.silhouette import Silhouette, SilhouetteFollower


def round_outline(count: int, radius: float, centre: tuple[float, float] = (150.0, 150.0)) -> Points:
    """A circle with as many smooth points, clockwise as it is seen."""
    angle = np.arange(count) * 2 * np.pi / count
    handle = 4 / 3 * np.tan(np.pi / (2 * count)) * radius
    out = np.zeros((count, 8))
    out[:, :2] = np.stack([np.cos(angle), np.sin(angle)], axis=1) * radius + centre
    out[:, 4:6] = np.stack([-np.sin(angle), np.cos(angle)], axis=1) * handle
    out[:, 2:4] = -out[:, 4:6]
    return out


def line_of(points: Points) -> tuple[np.ndarray, np.ndarray]:
    along = normals_of(points, list(range(len(points))), SPACING)
    return along.places, along.outward


def apart(points: Points, line: np.ndarray) -> float:
    """Mean distance both ways, by shapely."""
    own = flatten(points, 0.1)
    one, other = shapely.LinearRing(own), shapely.LinearRing(line)
    return float((shapely.distance(other, shapely.points(own)).mean() + shapely.distance(one, shapely.points(line)).mean()) / 2)  # fmt: skip


@settings(max_examples=30, deadline=None)
@given(
    waves=st.integers(2, 4),
    height=st.floats(2, 14),
    turned=st.floats(0, 6.28),
    shift=st.tuples(st.floats(-6, 6), st.floats(-6, 6)),
)
def test_it_comes_to_lie_on_a_line_nearby(waves: int, height: float, turned: float, shift: tuple[float, float]) -> None:
    angle = np.linspace(0, 2 * np.pi, 180, endpoint=False)
    radius = 90 + height * np.sin(waves * angle + turned)
    line = np.stack([np.cos(angle), np.sin(angle)], axis=1) * radius[:, None] + 150 + np.array(shift)
    way = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
    facing = np.stack([way[:, 1], -way[:, 0]], axis=1) / np.linalg.norm(way, axis=1, keepdims=True)
    points = round_outline(12, 90.0)
    fitted = refitted(points, ["smooth"] * 12, line, facing)
    assert fitted.shape == points.shape
    assert apart(fitted, line) < max(0.35 * apart(points, line), 0.6)


def test_few_points_go_where_a_gap_opens() -> None:
    """As between two legs: a slot as deep as half of the thing, which the outline has no point near."""
    area = np.zeros((300, 300), np.float32)
    cv2.circle(area, (150, 150), 90, 1.0, -1, cv2.LINE_AA)
    cv2.line(area, (150, 290), (150, 170), 0.0, 30, cv2.LINE_AA)
    edges = Silhouette(area)
    points = round_outline(16, 90.0)
    fitted = edges.recut(points, ["free"] * 16)
    ring = edges.places
    before, after = (float(shapely.distance(shapely.LinearRing(flatten(p, 0.1)), shapely.points(ring)).mean()) for p in (points, fitted))  # fmt: skip
    assert before > 12
    assert after < 2.0
    assert shapely.LinearRing(flatten(fitted, 0.1)).length < 1.1 * cv2.arcLength(ring.astype(np.float32), True)


@pytest.mark.parametrize("rough", [0.0, 1.2])
def test_a_whole_thing_is_told_from_a_part_of_it(rough: float) -> None:
    picture = np.zeros((300, 300, 3), np.uint8)
    body, head = ellipse(150, 190, 50, 80), ellipse(150, 90, 30, 34)
    for part in (body, head):
        cv2.fillPoly(picture, [np.round(flatten(part, 0.2)).astype(np.int32)], (200, 160, 120))
    picture = np.asarray(cv2.GaussianBlur(picture, (0, 0), 1.0), np.uint8)
    whole = Silhouette((picture[..., 0] > 100).astype(np.float32))

    def covered(frame: np.ndarray, box: tuple[int, int, int, int]) -> tuple[np.ndarray, np.ndarray]:
        left, top, right, bottom = box
        matte = frame[top:bottom, left:right, 0].astype(np.float32) / 200
        return matte, np.ones(matte.shape, bool)

    kinds = ["smooth"] * 24
    outline = whole.onto(whole.recut(round_outline(24, 80.0, (150.0, 165.0)), kinds), kinds, ((8.0, 2), (4.0, 1)), 0.3)
    outline[:, :2] += np.random.default_rng(2).normal(0, 1, (24, 2)) * rough
    assert not SilhouetteFollower(picture, outline, kinds, covered).accumulates
    assert SilhouetteFollower(picture, head, ["smooth"] * 4, covered).accumulates
