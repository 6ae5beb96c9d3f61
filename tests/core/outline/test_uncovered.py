"""Whole figures carried on by what they uncover, before a camera that stands or moves, on made plates with exact truth."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from benchmarks.truth import edge_of, fitted, off
from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.geometry.homography import apply
from wiseglove.core.outline.carry import OutlineFollower
from wiseglove.core.outline.figure import FigureFollower
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.outline.steady import LostError, Steady
from wiseglove.core.outline.towards import carry_range
from wiseglove.core.outline.uncovered import Uncovered
from wiseglove.demo import walker

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
SIZE = (260, 420)
KINDS = ["smooth"] * 4
RADIUS = 42.0


def woven(seed: int, low: int, high: int, coarse: float) -> NDArray[np.float32]:
    """Something with features at every place, (h, w, 3)."""
    grain = np.random.default_rng(seed).normal(0, 1, (*SIZE, 3)).astype(np.float32)
    soft = cv2.GaussianBlur(grain, (0, 0), coarse)
    return np.asarray(cv2.normalize(soft, None, low, high, cv2.NORM_MINMAX), np.float32)


WALL, CLOTH = woven(1, 20, 190, 3.0), woven(2, 60, 250, 2.5)


def centre(frame: int) -> tuple[float, float]:
    return 110.0 + 11.0 * frame, 130.0 + 2.0 * frame


def before_wall(frame: int, noise: float = 1.0) -> Picture:
    """A woven disc that goes past a wall, 11 px a frame."""
    x, y = centre(frame)
    yy, xx = np.mgrid[: SIZE[0], : SIZE[1]] + 0.5
    alpha = np.clip(RADIUS + 0.5 - np.hypot(xx - x, yy - y), 0, 1)[..., None].astype(np.float32)
    move = np.float32([[1, 0, x - 110], [0, 1, y - 130]])
    cloth = cv2.warpAffine(CLOTH, move, SIZE[::-1], borderMode=cv2.BORDER_WRAP)
    grain = np.random.default_rng(100 + frame).normal(0, noise, WALL.shape)
    return np.clip(cloth * alpha + WALL * (1 - alpha) + grain, 0, 255).astype(np.uint8)


def disc(frame: int, radius: float = RADIUS) -> Array:
    return ellipse(*centre(frame), radius, radius)


def error(points: Array, frame: int) -> float:
    places = normals_of(points, list(range(len(points))), 1.0).places
    return float(np.abs(np.hypot(*(places - centre(frame)).T) - RADIUS).mean())


def way(frame: int) -> Array:
    """A hand-held camera's motion."""
    turn = 0.002 * np.sin(frame)
    return np.array(
        [[np.cos(turn), -np.sin(turn), 2.3 * frame], [np.sin(turn), np.cos(turn), -1.1 * frame], [0, 0, 1.0]]
    )


def seen_by_hand(frame: int) -> Picture:
    return np.asarray(
        cv2.warpPerspective(before_wall(frame), way(frame), SIZE[::-1], borderMode=cv2.BORDER_REFLECT), np.uint8
    )


def followed(picture_at: Callable[[int], Picture], keys: dict[int, Array]) -> FigureFollower:
    figure, at = FigureFollower(picture_at, keys, KINDS), min(keys)
    assert figure.is_one(at + 1, disc(at + 1) if picture_at is before_wall else moved(disc(at + 1), at + 1))
    return figure


def never() -> bool:
    return False


@pytest.mark.parametrize("step", [1, -1])
def test_a_whole_figure_lies_on_its_edge_on_every_frame_though_nobody_said_what_is_behind(step: int) -> None:
    frames = [8 + k * step for k in range(1, 6)]
    ahead = [8 + k * step for k in (6, 7)]
    found = followed(before_wall, {8: disc(8)}).block(8, disc(8), frames, ahead, never)
    assert [frame for frame, _ in found] == frames
    for frame, told in found:
        assert told is not None
        assert told.doubt is not None
        assert error(told.points, frame) < 0.6
        assert (told.doubt < 0.5).all(), "and it is not doubted"


def test_nothing_accumulates_over_several_blocks() -> None:
    figure, points = followed(before_wall, {1: disc(1)}), disc(1)
    for at in (1, 7, 13):
        found = figure.block(at, points, list(range(at + 1, at + 7)), [at + 7], never)
        last = found[-1][1]
        assert last is not None
        points = last.points
        assert error(points, at + 6) < 0.8


def test_between_two_keys_it_is_told_by_both() -> None:
    found = followed(before_wall, {2: disc(2), 14: disc(14)}).between(2, 14, never)
    assert [frame for frame, _ in found] == list(range(3, 14))
    assert all(told is not None and error(told.points, frame) < 0.6 for frame, told in found)


def test_what_moves_as_one_thing_is_left_to_what_is_followed_inside() -> None:
    figure = followed(before_wall, {4: disc(4)})
    assert figure.lies(5, disc(5))
    assert not figure.lies(5, disc(5, RADIUS + 4))


def moved(points: Array, frame: int) -> Array:
    out, turn = points.copy(), way(frame)
    out[:, :2] = apply(turn, points[:, :2])
    for c in (2, 4):
        out[:, c : c + 2] = points[:, c : c + 2] @ turn[:2, :2].T
    return out


def test_a_camera_that_moves_is_held_still() -> None:
    key = moved(disc(6), 6)
    found = followed(seen_by_hand, {6: key}).block(6, key, list(range(7, 12)), [12, 13], never)
    assert len(found) == 5
    assert all(told is not None and error(moved_back(told.points, frame), frame) < 0.8 for frame, told in found)


def moved_back(points: Array, frame: int) -> Array:
    turn = np.linalg.inv(way(frame))
    out = points.copy()
    out[:, :2] = apply(turn, points[:, :2])
    for c in (2, 4):
        out[:, c : c + 2] = points[:, c : c + 2] @ turn[:2, :2].T
    return out


@settings(max_examples=10)
@given(st.floats(-6, 6), st.floats(-6, 6), st.floats(-0.01, 0.01))
def test_a_steady_camera_is_told_to_a_tenth_of_a_pixel_and_outlines_come_back(
    dx: float, dy: float, turn: float
) -> None:
    move = np.array([[np.cos(turn), -np.sin(turn), dx], [np.sin(turn), np.cos(turn), dy], [0, 0, 1.0]])
    other = cv2.warpPerspective(before_wall(0), move, SIZE[::-1], borderMode=cv2.BORDER_REFLECT)
    steady = Steady(lambda frame: before_wall(0) if frame == 0 else np.asarray(other, np.uint8), 0, disc(0))
    told = steady.way(1)
    assert told is not None
    corners = np.array([(40.0, 30.0), (380.0, 30.0), (380.0, 230.0), (40.0, 230.0)])
    assert np.abs(apply(told, corners) - apply(move, corners)).max() < 0.3
    points = disc(0)
    assert np.allclose(steady.given_back(steady.held(points, 1), 1), points, atol=1e-6)


def test_a_wall_without_features_tells_no_motion() -> None:
    blank = np.full((*SIZE, 3), 90, np.uint8)
    steady = Steady(lambda frame: blank, 0, disc(0))
    assert steady.way(1) is None
    with pytest.raises(LostError):
        steady.picture(1)
    assert not FigureFollower(lambda frame: blank, {0: disc(0)}, KINDS).is_one(1, disc(1))


@pytest.mark.parametrize("down", [0, 3])
def test_a_bare_wall_stands_while_its_foot_does(down: int) -> None:
    def bare(frame: int) -> Picture:
        wall = np.full((*SIZE, 3), 150, np.float32)
        wall[200 + down * frame :] = 90
        grain = np.random.default_rng(frame).normal(0, 1, wall.shape)
        return np.clip(cv2.GaussianBlur(wall, (0, 0), 1.0) + grain, 0, 255).astype(np.uint8)

    steady = Steady(bare, 0, disc(0))
    if down:
        with pytest.raises(LostError):
            steady.picture(1)
    else:
        assert np.array_equal(steady.picture(1), bare(1))


def test_a_part_is_no_figure_because_the_rest_moves_beside_it() -> None:
    figure = FigureFollower(before_wall, {4: disc(4)}, KINDS)
    part = FigureFollower(before_wall, {4: disc(4, 18.0)}, KINDS)
    assert figure.is_one(5, disc(5))
    assert not part.is_one(5, disc(5, 18.0))


def test_a_plate_that_is_cut_is_no_ground_to_believe_in() -> None:
    other = woven(3, 0, 255, 2.0).astype(np.uint8)

    def cut(frame: int) -> Picture:
        return before_wall(frame) if frame < 7 else other

    found = {d.frame: d for d in carry_range(cut, {3: disc(3)}, KINDS, 3, 10)}
    assert sorted(found) == list(range(3, 11)), "every frame is delivered all the same"
    after = found[8]
    assert after.points is None or (after.doubt is not None and (after.doubt >= 0.5).any())


def test_a_figure_that_is_lost_between_its_keys_is_followed_as_before() -> None:
    def cut(frame: int) -> Picture:
        blank = np.full_like(walked(33).plate, 90)
        return blank if frame == 37 else walked(frame).plate

    points, kinds = fitted(walked(33).whole, 1.0)
    later = points.copy()
    later[:, 0] += 12.0 * 6
    found = list(carry_range(cut, {33: points, 39: later}, kinds, 33, 39))
    assert sorted(d.frame for d in found) == list(range(33, 40)), "each frame once"


def test_what_stands_still_inside_is_learned_and_what_goes_along_is_not() -> None:
    key = (before_wall(8), disc(8))
    known = Uncovered({8: key}, before_wall(9))
    box = (0, 0, SIZE[1], SIZE[0])
    known.learn_still(known.standing((before_wall(14), before_wall(15)), np.array([11.0, 2.0]), box), box)
    behind = known.behind(box)
    inside = np.hypot(*(np.mgrid[: SIZE[0], : SIZE[1]][::-1] - np.array(centre(8))[:, None, None])) < RADIUS - 6
    learned = inside & behind.known
    assert learned.mean() > 0.5 * inside.mean(), "the wall where the figure was on its key"
    assert np.abs(behind.picture - WALL)[learned].mean() < 2.0
    still_there = Uncovered({8: key}, before_wall(9))
    still_there.learn_still(still_there.standing((before_wall(8), before_wall(8)), np.array([11.0, 2.0]), box), box)
    assert not (still_there.behind(box).known & inside).any(), "a figure that stands is not what is behind"


def test_it_can_be_stopped_between_frames() -> None:
    asked = 0

    def stop() -> bool:
        nonlocal asked
        asked += 1
        return asked > 4

    found = list(carry_range(before_wall, {2: disc(2)}, KINDS, 2, 20, stop))
    assert 0 < len(found) < 19


@cache
def walked(frame: int) -> walker.Walked:
    return walker.walk(frame, "leaves")


def test_legs_that_open_show_what_is_between_them() -> None:
    points, kinds = fitted(walked(33).whole, 1.0)
    found = {d.frame: d.points for d in carry_range(lambda f: walked(f).plate, {33: points}, kinds, 33, 37)}
    follower = OutlineFollower(walked(33).plate, points, kinds)
    errors = []
    for frame in range(34, 38):
        alone, there, truth = follower.anyway(walked(frame).plate), found[frame], edge_of(walked(frame).whole)
        assert there is not None
        assert alone is not None
        errors.append((off(truth, flatten(there, 0.3)), off(truth, flatten(alone.points, 0.3))))
    mine, followed = np.mean(errors, axis=0)
    assert mine < 0.6 * followed, "much better than by what is seen to move inside alone"
