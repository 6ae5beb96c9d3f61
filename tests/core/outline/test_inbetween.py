from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import blob, seeds
from wiseglove.core.geometry.bezier import signed_area
from wiseglove.core.outline.inbetween import Animation, Ease, in_between


def turned(points: np.ndarray, degrees: float, scale: float = 1.0, shift: tuple[float, float] = (0, 0)) -> np.ndarray:
    a = np.radians(degrees)
    matrix = scale * np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])
    out = points.copy()
    centre = points[:, :2].mean(axis=0)
    out[:, :2] = (points[:, :2] - centre) @ matrix + centre + shift
    out[:, 2:4], out[:, 4:6] = points[:, 2:4] @ matrix, points[:, 4:6] @ matrix
    return out


def animation(keys: dict[float, np.ndarray], ease: Ease = "smooth") -> Animation:
    return Animation(np.array(list(keys), np.float64), np.stack(list(keys.values())), (ease,) * len(keys))


@given(seeds, st.sampled_from(["smooth", "linear", "hold"]))
def test_keys_are_met_exactly(seed: int, ease: Ease) -> None:
    keys = {1001.0: blob(seed), 1010.0: blob(seed + 1), 1013.0: blob(seed + 2), 1040.0: blob(seed + 3)}
    found = in_between(animation(keys, ease), np.array(list(keys)))
    assert found == pytest.approx(np.stack(list(keys.values())), abs=1e-9)


@given(seeds, st.floats(-170, 170), st.floats(0.4, 2.5))
def test_a_similarity_keeps_the_shape_on_its_way(seed: int, degrees: float, scale: float) -> None:
    start = blob(seed)
    moving = animation({0.0: start, 10.0: turned(start, degrees, scale, (40, -20))})
    for u, shape in zip((0.25, 0.5, 0.9), in_between(moving, np.array([2.5, 5.0, 9.0])), strict=True):
        expected = turned(start, degrees * u, scale**u, (40 * u, -20 * u))
        assert shape == pytest.approx(expected, abs=1e-7)


def test_a_quarter_turn_keeps_its_area_where_point_by_point_loses_half() -> None:
    start = blob(4)
    end = turned(start, 90)
    middle = in_between(animation({0.0: start, 8.0: end}), np.array([4.0]))[0]
    assert signed_area(middle) == pytest.approx(signed_area(start), rel=1e-9)
    assert signed_area((start + end) / 2) == pytest.approx(signed_area(start) / 2, rel=1e-9)


def test_steady_movement_stays_steady_through_uneven_keys() -> None:
    start = blob(9)
    frames = [0.0, 3.0, 11.0, 14.0]
    steady = animation({f: turned(start, 4 * f, 1.01**f, (3 * f, f)) for f in frames})
    times = np.linspace(0, 14, 57)
    for time, shape in zip(times, in_between(steady, times), strict=True):
        assert shape == pytest.approx(turned(start, 4 * time, 1.01**time, (3 * time, time)), abs=1e-6)


def test_speed_does_not_jump_at_a_key() -> None:
    keys = {0.0: blob(1), 7.0: turned(blob(1), 30, 1, (50, 0)), 20.0: turned(blob(1), 10, 1, (60, 40))}
    step = 1e-4
    before, at, after = in_between(animation(keys), np.array([7 - step, 7.0, 7 + step]))
    assert (at - before) / step == pytest.approx((after - at) / step, abs=0.05)


@given(seeds)
def test_nothing_moves_between_equal_keys(seed: int) -> None:
    still = blob(seed)
    keys = {0.0: turned(still, 40, 1, (-90, 0)), 10.0: still, 20.0: still, 30.0: turned(still, -50, 1, (80, 9))}
    for shape in in_between(animation(keys), np.linspace(10, 20, 21)):
        assert shape == pytest.approx(still, abs=1e-9)


def test_a_hold_holds_until_its_next_key() -> None:
    first, second = blob(1), blob(2)
    held = in_between(animation({0.0: first, 10.0: second}, "hold"), np.array([0, 4, 9.99, 10, 11]))
    assert held[2] == pytest.approx(first)
    assert held[3] == pytest.approx(second)
    assert held[4] == pytest.approx(second)


def test_beyond_the_ends_the_end_keys_hold() -> None:
    moving = animation({5.0: blob(1), 9.0: blob(2)})
    early, late = in_between(moving, np.array([-100.0, 1e6]))
    assert early == pytest.approx(blob(1))
    assert late == pytest.approx(blob(2), abs=1e-9)


def test_the_shorter_way_round_is_taken() -> None:
    start = blob(6)
    middle = in_between(animation({0.0: start, 2.0: turned(start, 200)}), np.array([1.0]))[0]
    assert middle == pytest.approx(turned(start, -80), abs=1e-7)


def test_a_mirrored_key_does_not_explode() -> None:
    start = blob(6)
    mirrored = start * (-1, 1, -1, 1, -1, 1, 1, 1) + (120, 0, 0, 0, 0, 0, 0, 0)
    between = in_between(animation({0.0: start, 10.0: mirrored}), np.linspace(0, 10, 21))
    assert np.isfinite(between).all()
    assert np.abs(between[:, :, :2] - (60, 50)).max() < 80


def test_points_on_one_place_are_defined() -> None:
    nothing = np.tile([5.0, 5, 0, 0, 0, 0, 0, 0], (3, 1))
    between = in_between(animation({0.0: nothing, 10.0: blob(1, 3)}), np.array([0.0, 5.0, 10.0]))
    assert np.isfinite(between).all()


@pytest.mark.parametrize(
    ("frames", "count", "eases"), [([], 0, 0), ([1, 1], 2, 2), ([2, 1], 2, 2), ([1, 2], 3, 2), ([1, 2], 2, 1)]
)
def test_an_impossible_animation_is_refused(frames: list[float], count: int, eases: int) -> None:
    with pytest.raises(ValueError, match=r"key|many|rise"):
        Animation(np.array(frames, np.float64), np.zeros((count, 3, 6)), ("smooth",) * eases)
