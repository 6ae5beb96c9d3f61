"""A pane's face: where its border runs, what of the insert is seen, and the aspect that perspective tells."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wiseglove.core.compositing.face import Face, on_insert, outline, ring
from wiseglove.core.compositing.pane import lay
from wiseglove.core.geometry.aspect import aspect_of
from wiseglove.core.geometry.homography import unit_square_to_quad
from wiseglove.core.matte.coverage import Box

SQUARE = np.array([[20, 20], [120, 20], [120, 120], [20, 120.0]])
FRAME = Box(0, 0, 160, 140)


def laid(face: Face, insert: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Alpha and red over the whole frame."""
    picture = np.ones((64, 64, 3), np.float32) if insert is None else insert
    seen = lay(picture, SQUARE, FRAME, 1.0, 2, face)
    alpha, red = np.zeros((140, 160), np.float32), np.zeros((140, 160), np.float32)
    alpha[seen.box.slices], red[seen.box.slices] = seen.alpha, seen.colour[..., 0]
    return alpha, red


def test_a_plain_face_is_the_four_corners() -> None:
    assert ring(Face()) == pytest.approx(np.array([[0, 0], [1, 0], [1, 1], [0, 1]]))
    alpha, _ = laid(Face())
    assert alpha.sum() == pytest.approx(100 * 100, rel=1e-4)


@given(st.floats(0.01, 0.5))
def test_round_corners_take_away_the_area_that_circles_leave(radius: float) -> None:
    alpha, _ = laid(Face(radius=radius))
    # Each corner loses the square of its radius without a quarter of the circle; the arcs are drawn in pieces.
    gone = (4 - np.pi) * (100 * radius) ** 2
    assert 100 * 100 - alpha.sum() == pytest.approx(gone, rel=0.06, abs=2)


def test_on_a_wide_screen_the_corners_stay_round() -> None:
    wide = Face(radius=0.2, aspect=2.0)
    corner = ring(wide)[:9] * (2.0, 1.0)
    assert np.hypot(*(corner - (0.2, 0.2)).T) == pytest.approx(np.full(9, 0.2))


def test_edges_bow_out_by_their_share_and_corners_stay() -> None:
    alpha, _ = laid(Face(edges=0.08))
    assert alpha[10:20, 70].sum() == pytest.approx(8, abs=0.7)
    assert alpha[15, 22] == 0
    hollow, _ = laid(Face(edges=-0.08))
    assert hollow[20:40, 70].sum() == pytest.approx(12, abs=0.7)


@given(st.floats(-0.5, 0.5), st.floats(-0.2, 0.2))
def test_corners_and_middle_of_the_insert_stay_whatever_bows(bow: float, edges: float) -> None:
    fixed = np.array([[0, 0], [1, 0], [1, 1], [0, 1], [0.5, 0.5]], np.float64)
    assert on_insert(Face(bow=bow, edges=edges), fixed) == pytest.approx(fixed)


def test_bulging_glass_shows_the_middle_larger_and_bowed_edges_show_the_inserts_edge() -> None:
    x = np.linspace(0, 1, 64, dtype=np.float32)
    ramp = np.repeat(np.tile(x, (64, 1))[..., None], 3, axis=2)
    _, flat = laid(Face(), ramp)
    _, bulging = laid(Face(bow=0.3), ramp)
    slope = [float(p[70, 75] - p[70, 65]) for p in (flat, bulging)]
    assert slope[1] == pytest.approx(0.7 * slope[0], rel=0.05)
    top = on_insert(Face(edges=0.1), np.array([[0.5, -0.1]]))
    assert top == pytest.approx(np.array([[0.5, 0.0]]))


def test_a_soft_border_fades_inwards_only() -> None:
    alpha, _ = laid(Face(soft=20.0))
    row = alpha[70, 15:45]
    assert (row[:5] == 0).all()
    assert (np.diff(row[5:25]) >= -1e-4).all()
    assert row[15] == pytest.approx(0.5, abs=0.06)
    assert row[27:] == pytest.approx(np.ones(3), abs=0.01)


@given(st.floats(0.4, 3.0), st.floats(-50, 50), st.floats(-50, 50), st.floats(700, 2500))
def test_perspective_tells_the_aspect_of_a_real_rectangle(
    aspect: float, yaw: float, pitch: float, focal: float
) -> None:
    a, b = np.radians(yaw), np.radians(pitch)
    turn = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    turn = turn @ np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    flat = np.array([[-aspect, -1, 0], [aspect, -1, 0], [aspect, 1, 0], [-aspect, 1, 0.0]]) @ turn.T + (0.2, -0.1, 9)
    corners = focal * flat[:, :2] / flat[:, 2:] + (640, 360)
    told, by_perspective = aspect_of(corners, 1280, 720)
    if by_perspective and min(abs(yaw), abs(pitch)) > 10:
        assert told == pytest.approx(aspect, rel=0.02)
    if abs(yaw) < 0.01 and abs(pitch) < 0.01:
        assert told == pytest.approx(aspect, rel=0.02)


def test_the_border_goes_with_perspective() -> None:
    corners = np.array([[10, 10], [100, 30], [90, 80], [15, 100.0]])
    there = outline(Face(soft=3.0), unit_square_to_quad(corners))
    assert there[:, :2] == pytest.approx(corners)
    assert there[:, 6] == pytest.approx(np.full(4, 3.0))
