"""Carrying on that never refuses a frame for one stretch: shapes for all frames, doubt where it is due, both ways between keys."""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
import pytest
import shapely
from numpy.typing import NDArray

from wiseglove.core.behind.clean import Behind
from wiseglove.core.behind.difference import difference_within
from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.outline.towards import carry_range

Picture = NDArray[np.uint8]
H, W = 240, 360
KINDS = ["smooth"] * 4
RNG = np.random.default_rng(5)
LEAVES = cv2.GaussianBlur(RNG.uniform(20, 140, (H, W, 3)).astype(np.float32), (0, 0), 2.0)
CLOTH = cv2.GaussianBlur(RNG.uniform(90, 255, (H, 2 * W, 3)).astype(np.float32), (0, 0), 1.5)


def thing(frame: int) -> np.ndarray:
    """A padded sleeve's outline that drifts and swells a little."""
    return ellipse(90 + 5.0 * frame, 120 + 6 * np.sin(frame / 4), 44 + 0.4 * frame, 34 + 0.2 * frame)


def picture(frame: int, hidden: bool = False) -> Picture:
    line = flatten(thing(frame), 0.05)
    mask = np.zeros((H, W), np.uint8)
    cv2.fillPoly(mask, [np.round((line - 0.5) * 256).astype(np.int32)], 255, cv2.LINE_AA, 8)
    share = mask[..., None] / 255
    left = W // 2 - round(5.0 * frame)
    out = LEAVES * (1 - share) + CLOTH[:, left : left + W] * np.array([1.0, 0.7, 0.5]) * share
    if hidden:
        out[:, 150:190] = (20, 200, 230)
    return np.asarray(np.clip(out, 0, 255), np.uint8)


def off(points: np.ndarray, frame: int) -> float:
    truth = shapely.LinearRing(flatten(thing(frame), 0.05))
    return float(shapely.distance(truth, shapely.points(flatten(points, 0.5))).mean())


def test_every_frame_asked_is_there_and_right_where_nothing_is_in_doubt() -> None:
    found = {d.frame: d for d in carry_range(picture, {4: thing(4)}, KINDS, 0, 12)}
    assert sorted(found) == list(range(13))
    for frame, delivered in found.items():
        assert delivered.points is not None
        assert delivered.doubt is not None
        assert off(delivered.points, frame) < 1.2, frame
        assert (delivered.doubt < 0.5).mean() >= 0.75, (frame, delivered.doubt)


def test_a_stretch_that_is_hidden_is_doubted_and_no_frame_is_refused() -> None:
    found = {d.frame: d for d in carry_range(lambda f: picture(f, hidden=f >= 3), {2: thing(2)}, KINDS, 2, 10)}
    assert sorted(found) == list(range(2, 11))
    covered = found[9]
    assert covered.points is not None
    assert covered.doubt is not None
    assert covered.doubt.max() > 0.5


def patchy(frame: Picture, box: tuple[int, int, int, int]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """What is known to be covered where every third stripe of a sleeve has the colour of what is behind it."""
    left, top, right, bottom = box
    matte = (np.arange(left, right) // 8 % 3 > 0) * np.ones((bottom - top, 1), np.float32)
    return np.asarray(matte, np.float32), np.ones(matte.shape, bool)


def test_what_does_not_show_the_thing_on_its_key_is_no_help() -> None:
    told = [list(carry_range(picture, {4: thing(4)}, KINDS, 0, 9, covered=c)) for c in (patchy, None)]
    for one, other in zip(*told, strict=True):
        assert one.points is not None
        assert other.points is not None
        assert (one.points == other.points).all()
        assert off(one.points, one.frame) < 1.2


def test_between_two_keys_it_goes_by_the_picture_and_not_straight() -> None:
    keys = {0: thing(0), 12: thing(12)}
    found = {d.frame: d for d in carry_range(picture, keys, KINDS, 0, 12)}
    assert sorted(found) == list(range(13))
    assert (found[0].points == keys[0]).all()
    assert (found[12].points == keys[12]).all()
    middle, straight = found[6].points, (keys[0] + keys[12]) / 2
    assert middle is not None
    assert off(middle, 6) < 1.0
    assert off(middle, 6) < 0.5 * off(straight, 6)
    part = {d.frame for d in carry_range(picture, keys, KINDS, 5, 7)}
    assert part == {5, 6, 7}


def test_it_is_gone_only_where_nothing_of_it_is_in_the_picture() -> None:
    def leaving(frame: int) -> Picture:
        return np.ascontiguousarray(np.roll(picture(0), 60 * frame, axis=1) if frame < 6 else LEAVES.astype(np.uint8))

    found = [d for d in carry_range(leaving, {0: thing(0)}, KINDS, 0, 9)]
    assert [d.frame for d in found] == list(range(10))
    gone = [d.points is None for d in found]
    assert not gone[0]
    assert gone == sorted(gone)  # what is gone stays gone


def test_keys_with_other_points_are_refused() -> None:
    with pytest.raises(ValueError, match="same number of points"):
        list(carry_range(picture, {0: thing(0), 5: thing(5)[:3]}, KINDS, 0, 5))


def test_what_there_is_when_it_is_stopped_is_given() -> None:
    asked: list[int] = []

    def counted(frame: int) -> Picture:
        asked.append(frame)
        return picture(frame)

    found = [d.frame for d in carry_range(counted, {0: thing(0), 12: thing(12)}, KINDS, 1, 11, lambda: len(asked) > 6)]
    assert found == list(range(1, len(found) + 1))
    assert 3 <= len(found) < 11
    one_way = [d.frame for d in carry_range(counted, {0: thing(0)}, KINDS, 1, 11, lambda: len(asked) > 30)]
    assert one_way == list(range(1, len(one_way) + 1))


def test_one_frame_is_carried_on_to_however_soon_it_is_stopped() -> None:
    keys = {0: thing(0), 12: thing(12)}
    behind = Behind(LEAVES.astype(np.float32), np.ones((H, W), bool), 1.0)
    read: set[int] = set()

    def late(frame: int) -> Picture:
        read.add(frame)
        return picture(frame)

    def stop() -> bool:
        return bool(read - set(keys))

    for covered in (None, partial(difference_within, behind)):
        read.clear()
        found = [d.frame for d in carry_range(late, keys, KINDS, 1, 11, stop, covered)]
        assert found
        assert found == list(range(1, len(found) + 1))


def test_only_the_range_is_given_wherever_its_key_lies() -> None:
    assert {d.frame for d in carry_range(picture, {2: thing(2)}, KINDS, 5, 7)} == {5, 6, 7}
    assert {d.frame for d in carry_range(picture, {9: thing(9)}, KINDS, 5, 7)} == {5, 6, 7}
