"""Joints: blended motions go through edits exactly, and a bending finger needs few keys."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.joint import Jointed, shares, weights_beyond
from wiseglove.core.motion.path import Motion, smoothed

Array = NDArray[np.float64]
BASE = np.array([[0, 0], [100, 0], [100, 60], [0, 60.0]])
TIMES = np.arange(11.0)


def turning(about: tuple[float, float], degrees: float, count: int = 11) -> Motion:
    """A motion that turns about a place by so much in all."""
    quads = []
    for share in np.linspace(0, 1, count):
        a = np.radians(degrees * share)
        turn = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
        quads.append((BASE - about) @ turn.T + about)
    return Motion(BASE, 0, np.stack(quads))


def finger() -> Array:
    """A bar from (0, 20) to (100, 40), (22, 8), with handles."""
    x = np.linspace(0, 100, 11)
    ring = np.concatenate([np.stack([x, np.full(11, 20.0)], 1), np.stack([x[::-1], np.full(11, 40.0)], 1)])
    points = np.zeros((22, 8))
    points[:, :2] = ring
    points[:, 2:4], points[:, 4:6] = (-3.0, 0.5), (3.0, -0.5)
    points[:, 6:] = 2.0
    return points


def bent(width: float = 20.0) -> Jointed:
    """The bar bends in its middle: what is right of x = 50 turns, the rest stands."""
    points = finger()
    beyond = weights_beyond(points[:, :2], np.array([[50, 60.0], [50, 0]]), width)
    return Jointed((turning((0, 0), 0), turning((50, 30), 40)), 0.0, shares([beyond]))


def test_each_side_of_a_joint_goes_with_its_own_motion_and_nothing_moves_at_rest() -> None:
    points, joint = finger(), bent()
    assert joint.carry(np.array([0.0]), points[None])[0] == pytest.approx(points, abs=1e-9)
    at_end = joint.carry(np.array([10.0]), points[None])[0]
    left, right = points[:, 0] < 39, points[:, 0] > 61
    assert at_end[left] == pytest.approx(points[left], abs=1e-9)
    a = np.radians(40)
    turn = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    assert at_end[right, :2] == pytest.approx((points[right, :2] - (50, 30)) @ turn.T + (50, 30), abs=1e-6)
    assert at_end[right, 4:6] == pytest.approx(points[right, 4:6] @ turn.T, abs=1e-6)
    assert at_end[:, 6:] == pytest.approx(points[:, 6:])
    middle = np.isclose(points[:, 0], 50)
    halves = (points[middle, :2] + ((points[middle, :2] - (50, 30)) @ turn.T + (50, 30))) / 2
    assert at_end[middle, :2] == pytest.approx(halves, abs=1e-6)


@given(st.floats(0, 10), st.floats(0, 80), st.integers(0, 21), st.floats(-30, 30), st.floats(-30, 30))
def test_what_is_put_somewhere_on_any_frame_is_seen_there(
    time: float, width: float, point: int, dx: float, dy: float
) -> None:
    joint = bent(width)
    seen = joint.carry(np.array([time]), finger()[None])[0]
    seen[point, :2] += (dx, dy)
    again = joint.carry(np.array([time]), joint.back(time, seen)[None])[0]
    assert again == pytest.approx(seen, abs=1e-6)


@given(st.floats(0, 200), st.floats(-3, 3))
def test_weights_rise_from_none_to_all_across_the_line_and_swap_with_its_ends(width: float, turn: float) -> None:
    line = np.array([[10, 20], [10 + 30 * np.cos(turn), 20 + 30 * np.sin(turn)]])
    rng = np.random.default_rng(1)
    places = rng.uniform(-100, 100, (50, 2))
    one, other = weights_beyond(places, line, width), weights_beyond(places, line[::-1], width)
    assert one + other == pytest.approx(np.ones(50), abs=1e-6)
    across = places @ np.array([-np.sin(turn), np.cos(turn)])
    assert (np.diff(one[np.argsort(across)]) >= -1e-9).all()
    with pytest.raises(ValueError, match="length"):
        weights_beyond(places, np.array([[1, 1], [1, 1.0]]), width)


def test_several_joints_share_each_point_out_wholly() -> None:
    x = finger()[:, :2]
    weights = shares([weights_beyond(x, np.array([[c, 60.0], [c, 0]]), 25) for c in (30, 70)])
    assert weights.shape == (22, 3)
    assert weights.sum(1) == pytest.approx(np.ones(22))
    assert weights[5].argmax() == 1  # the middle limb


def test_smoothing_takes_jitter_out_and_leaves_a_parabola_as_it_is() -> None:
    times = np.arange(40.0)
    way = BASE + np.stack([3 * times, 0.1 * times**2], 1)[:, None]
    known = {int(t): q for t, q in zip(times, way, strict=True) if t != 20}
    calm = smoothed(known, 4)
    assert calm.keys() == known.keys()
    assert np.stack(list(calm.values())) == pytest.approx(np.stack(list(known.values())), abs=1e-9)
    rng = np.random.default_rng(0)
    shaky = {f: q + rng.normal(0, 0.3, (4, 2)) for f, q in known.items()}
    calm = smoothed(shaky, 4)
    before = np.std([shaky[f] - known[f] for f in known])
    after = np.std([calm[f] - known[f] for f in known])
    assert after < 0.75 * before
    assert smoothed({1: BASE, 2: BASE + 1}, 5) == {1: pytest.approx(BASE), 2: pytest.approx(BASE + 1)}


def test_single_places_go_with_the_mean_of_the_points() -> None:
    place = np.array([[[50.0, 30.0, 0, 0, 0, 0, 0, 0]]])
    mean = bent().of_places()
    assert mean.carry(np.array([10.0]), place)[0, 0, :2] == pytest.approx((50, 30))
    assert apply(mean.matrices(np.array([10.0]))[1, 0], np.array([[50.0, 30.0]]))[0] == pytest.approx((50, 30))
