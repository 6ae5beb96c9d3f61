"""A reference that moves while it is exposed: the course within the exposure, and solving from a sharper frame nearby."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.anchor import sharpest, solve_sharply
from wiseglove.core.motion.moments import at_times, between, course
from wiseglove.core.motion.plane import PlaneSolver
from wiseglove.core.motion.regions import filled
from wiseglove.core.motion.solve import solve_range

Matrix = NDArray[np.float64]
SQUARE = np.array([[0, 0], [100, 0], [100, 80], [0, 80.0]])
speeds = st.floats(-12, 12)


@given(speeds, speeds, speeds, st.integers(2, 12), st.floats(0.2, 1.0))
def test_the_poses_of_an_exposure_have_its_mean_place(
    vx: float, vy: float, bend: float, count: int, shutter: float
) -> None:
    around = {k: SQUARE + np.array([vx * k + bend * k * k, vy * k - 0.5 * bend * k * k]) for k in (-1, 0, 1)}
    path = course(around)
    assert np.allclose(at_times(path, np.array([-1.0, 0, 1])), [around[k] for k in (-1, 0, 1)])
    # The mean of t squared over an exposure s is s squared over 12 (integral of a parabola).
    wanted = SQUARE + np.array([bend, -0.5 * bend]) * shutter**2 / 12
    for poses in (between(path, count, shutter), between(path, 1, shutter)):
        mean = np.mean([apply(pose, SQUARE) for pose in poses], axis=0)
        assert np.abs(mean - wanted).max() < 0.021  # what stands still to this counts as still


def test_four_neighbours_follow_what_two_cannot() -> None:
    def place(k: float) -> Matrix:
        return SQUARE + np.array([8 * np.sin(1.1 * k), 0.0])

    exact = place(0.4)
    few = at_times(course({k: place(k) for k in (-1, 0, 1)}), np.array([0.4]))[0]
    more = at_times(course({k: place(k) for k in range(-2, 3)}), np.array([0.4]))[0]
    assert np.abs(more - exact).max() < 0.3 * np.abs(few - exact).max()


SIZE = (200, 300)
QUAD = np.array([[70, 50], [220, 55], [215, 150], [75, 145.0]])
RNG = np.random.default_rng(7)
TEXTURE = cv2.GaussianBlur(RNG.uniform(0, 255, SIZE).astype(np.float32), (0, 0), 1.5)
TEXTURE = np.clip(128 + (TEXTURE - TEXTURE.mean()) * 3, 10, 245)


def way(time: float) -> NDArray[np.float64]:
    """Where the patch has gone: a jerk about frame 3, nearly still from frame 7 on."""
    return np.array([14 * np.tanh((time - 3) / 1.6), 6 * np.sin(time / 2.0) * np.exp(-(((time - 3) / 3) ** 2))])


@cache
def picture(frame: int) -> NDArray[np.float32]:
    """The mean of an exposure of half a frame, in linear light."""
    total = np.zeros(SIZE, np.float64)
    light = ((TEXTURE / 255) ** 2.4).astype(np.float32)
    for k in range(16):
        x, y = way(frame + ((k + 0.5) / 16 - 0.5) * 0.5)
        total += cv2.warpAffine(light, np.array([[1, 0, x], [0, 1, y]]), SIZE[::-1], borderMode=cv2.BORDER_REFLECT)
    noise = np.random.default_rng(frame).standard_normal(SIZE)
    return np.asarray(255 * (total / 16) ** (1 / 2.4) + noise, np.float32)


def make(at: int):  # type: ignore[no-untyped-def]
    def run(frame: int, on: Matrix) -> PlaneSolver:
        mask = filled(apply(on, QUAD + way(at)), SIZE)
        return PlaneSolver(picture, frame, mask)

    return run


def errors(places: dict, at: int) -> list[float]:  # type: ignore[type-arg]
    out = []
    for frame, place in places.items():
        if frame != at:
            assert place.status == "solved", (frame, place.reason)
            corners = apply(place.matrix, QUAD + way(at))
            out.append(float(np.linalg.norm(corners - QUAD - way(frame), axis=1).mean()))
    return out


@pytest.mark.parametrize("at", [2, 4])
def test_a_blurred_reference_costs_little_more_than_a_sharp_one(at: int) -> None:
    frames = range(14)
    told: list[int] = []
    found = solve_sharply(make(at), at, 0, 13, lambda place: told.append(place.frame), near=frames)
    assert sorted(found) == list(frames)
    assert set(told) == set(frames)
    assert np.array_equal(found[at].matrix, np.eye(3))
    sharp = errors(solve_sharply(make(10), 10, 0, 13, lambda place: None, near=frames), 10)
    plain = errors(solve_range(make(at)(at, np.eye(3)), 0, 13, lambda place: None), at)
    own = errors(found, at)
    assert np.mean(own) < max(1.3 * np.mean(sharp), 0.05)
    assert np.mean(own) < np.mean(plain)


def test_a_still_reference_is_kept_and_a_range_elsewhere_comes_out_the_same() -> None:
    assert sharpest(make(10)(10, np.eye(3)), range(14))[0] == 10
    anchor, matrix, _ = sharpest(make(3)(3, np.eye(3)), range(14))
    assert anchor >= 6
    assert np.abs(apply(matrix, QUAD + way(3)) - QUAD - way(anchor)).max() < 0.6
    whole = solve_sharply(make(3), 3, 0, 13, lambda place: None, near=range(14))
    known = {frame: place for frame, place in whole.items() if frame <= 9}
    later = solve_sharply(make(3), 3, 10, 13, lambda place: None, near=range(14), known=known)
    for frame in range(10, 14):
        one, other = (apply(places[frame].matrix, QUAD + way(3)) for places in (whole, later))
        assert np.abs(one - other).max() < 0.08, frame


def test_it_stops_when_it_is_told_to() -> None:
    assert len(solve_sharply(make(3), 3, 0, 13, lambda place: None, lambda: True, near=range(14))) < 14
