"""Proportions of a pane from its motion, and planes that float before it, against OpenCV's camera model."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wiseglove.core.geometry.floating import BehindCameraError, Float, floating_quad
from wiseglove.core.geometry.proportions import UnknownProportionsError, pixel_shape, proportions

WIDTH, HEIGHT, FOCAL = 1280, 720, 1400.0
CAMERA = np.array([[FOCAL, 0, WIDTH / 2], [0, FOCAL, HEIGHT / 2], [0, 0, 1]])


def board(aspect: float) -> np.ndarray:
    return np.array([[-aspect, -1, 0], [aspect, -1, 0], [aspect, 1, 0], [-aspect, 1, 0]]) / 2


def seen(points: np.ndarray, turn: tuple[float, float, float], away: tuple[float, float, float]) -> np.ndarray:
    """Points in space as OpenCV's pinhole camera sees them."""
    out, _ = cv2.projectPoints(points, np.radians(turn), np.array(away), CAMERA, None)
    return np.asarray(out[:, 0], np.float64)


def turning(aspect: float, swing: float, frames: int = 30) -> np.ndarray:
    return np.stack(
        [seen(board(aspect), (8 * np.sin(k / 5), swing * np.sin(k / 7), 3), (0.1, -0.05, 3.0)) for k in range(frames)]
    )


@pytest.mark.parametrize("aspect", [0.6, 1.0, 1.55, 2.4])
def test_proportions_and_focal_length_are_found_where_the_pane_turns(aspect: float) -> None:
    quads = turning(aspect, 35.0) + np.random.default_rng(1).normal(0, 0.1, (30, 4, 2))
    found = proportions(quads, WIDTH, HEIGHT)
    assert found.aspect == pytest.approx(aspect, rel=0.01)
    assert found.focal == pytest.approx(FOCAL, rel=0.06)


def test_the_focal_length_is_that_of_opencvs_calibration() -> None:
    """cv2.calibrateCamera on the same corners, its other freedoms held; Zhang 2000 is what it names."""
    quads = turning(1.55, 35.0) + np.random.default_rng(2).normal(0, 0.1, (30, 4, 2))
    flags = (
        cv2.CALIB_FIX_ASPECT_RATIO | cv2.CALIB_FIX_PRINCIPAL_POINT | cv2.CALIB_ZERO_TANGENT_DIST | cv2.CALIB_FIX_K1
        | cv2.CALIB_FIX_K2 | cv2.CALIB_FIX_K3 | cv2.CALIB_USE_INTRINSIC_GUESS
    )  # fmt: skip
    guess = np.array([[1000.0, 0, WIDTH / 2], [0, 1000.0, HEIGHT / 2], [0, 0, 1]])
    corners = [q.astype(np.float32) for q in quads]
    _, matrix, *_ = cv2.calibrateCamera(
        [board(1.55).astype(np.float32)] * len(quads), corners, (WIDTH, HEIGHT), guess, None, flags=flags
    )
    assert proportions(quads, WIDTH, HEIGHT).focal == pytest.approx(matrix[0, 0], rel=0.04)


def test_a_pane_that_hardly_turns_is_refused_with_a_reason() -> None:
    rng = np.random.default_rng(3)
    askew = np.stack([seen(board(1.5), (0, 30, 0), (0.002 * k, 0, 9.0)) for k in range(20)])
    with pytest.raises(UnknownProportionsError, match="turns too little"):
        proportions(askew + rng.normal(0, 0.1, askew.shape), WIDTH, HEIGHT)
    with pytest.raises(UnknownProportionsError, match="2 frames only"):
        proportions(turning(1.5, 30)[:2], WIDTH, HEIGHT)


turns = st.tuples(st.floats(-25, 25), st.floats(-40, 40), st.floats(-20, 20))


@given(turns, st.floats(0.5, 2.5))
def test_a_plane_that_floats_nowhere_is_the_pane(turn: tuple[float, float, float], aspect: float) -> None:
    quad = seen(board(aspect), turn, (0.1, 0.05, 3.0))
    assert np.abs(floating_quad(quad, aspect, FOCAL, WIDTH, HEIGHT, Float()) - quad).max() < 1e-3


@given(turns, st.floats(-0.5, 1.0), st.floats(-0.5, 0.5), st.floats(-30, 30), st.floats(-30, 30))
def test_a_floating_plane_is_where_the_camera_sees_it(
    turn: tuple[float, float, float], distance: float, across: float, tilt: float, swing: float
) -> None:
    """The same plane put there in space and projected by OpenCV."""
    aspect, away = 1.5, (0.1, 0.05, 4.0)
    quad = seen(board(aspect), turn, away)
    a, b = np.radians([tilt, swing])
    own = cv2.Rodrigues(np.array([-a, 0, 0]))[0] @ cv2.Rodrigues(np.array([0, -b, 0]))[0]
    points = board(aspect) * 0.6 @ own.T + (across, 0.1, -distance)
    where = Float(distance, across, 0.1, tilt, swing, 0.0, 0.6)
    found = floating_quad(quad, aspect, FOCAL, WIDTH, HEIGHT, where)
    assert np.abs(found - seen(points, turn, away)).max() < 0.05


def test_what_comes_behind_the_camera_is_refused() -> None:
    quad = seen(board(1.5), (0, 20, 0), (0, 0, 3.0))
    with pytest.raises(BehindCameraError, match="closer to the pane"):
        floating_quad(quad, 1.5, FOCAL, WIDTH, HEIGHT, Float(distance=3.2))


@pytest.mark.parametrize("shape", [2.0, 4 / 3, 16 / 15, 0.75])
def test_pixels_that_are_taken_for_square_are_noticed_by_how_the_pane_turns(shape: float) -> None:
    quads = turning(1.55, 35.0) + np.random.default_rng(2).normal(0, 0.1, (30, 4, 2))
    assert pixel_shape(quads, WIDTH, HEIGHT) is None
    found = pixel_shape(quads / (shape, 1.0), WIDTH / shape, HEIGHT)
    assert found == pytest.approx(shape)


def test_a_pane_that_faces_the_camera_upright_tells_no_shape_of_the_pixels() -> None:
    quads = np.stack([seen(board(1.55), (0, 0, 0), (0.02 * k, -0.01 * k, 3.0)) for k in range(30)])
    quads += np.random.default_rng(3).normal(0, 0.15, quads.shape)
    assert pixel_shape(quads / (2.0, 1.0), WIDTH / 2, HEIGHT) is None
    assert pixel_shape(quads[:2], WIDTH, HEIGHT) is None


def test_one_view_tells_no_shape_of_the_pixels_however_often_it_is_seen() -> None:
    quads = np.repeat(seen(board(1.55), (20, 30, 10), (0.1, 0.0, 3.0))[None], 20, axis=0)
    assert pixel_shape(quads / (2.0, 1.0), WIDTH / 2, HEIGHT) is None
