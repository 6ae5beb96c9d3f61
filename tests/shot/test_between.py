"""The keys between which an outline is carried over a frame: the nearest that fit, on both sides."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.builders import HAND, after, draft, empty_shot
from wiseglove.core.geometry.bezier import flatten
from wiseglove.shot.between import keys_around
from wiseglove.shot.edits import AddCover, LooksRight, SetKey, ShapePoints
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.reviewing import Reviewed, Reviewer

KEYS = (1001, 1004, 1007, 1010, 1013, 1016)


def still_hand(*wrong: int) -> tuple[EvaluatedShot, np.ndarray]:
    """A still thing of one colour with an outline keyed on it, but for some keys, which are 9 px off; its picture."""
    outline = draft(3)
    add = AddCover(type="add-cover", outline_id=HAND, frame=KEYS[0], outline=outline, name="Hand")
    shot = after(empty_shot(), add, *(SetKey(type="set-key", element=HAND, frame=f) for f in KEYS[1:]))
    shape = shot.rider(shot.elements[HAND]).shape_at(KEYS[0])  # type: ignore[arg-type]
    picture = np.full((shot.plate.height, shot.plate.width, 3), (40, 70, 60), np.uint8)
    cv2.fillPoly(picture, [np.round(flatten(shape, 0.2)).astype(np.int32)], (190, 150, 120))
    picture = np.asarray(cv2.GaussianBlur(picture, (0, 0), 0.8), np.uint8)
    for frame in wrong:
        moved = shape.copy()
        moved[:, :2] += 9.0
        points = {i: tuple(p) for i, p in enumerate(moved.tolist())}
        shot = after(shot, ShapePoints(type="shape-points", element=HAND, frame=frame, points=points))  # type: ignore[arg-type]
    return shot, picture


def around(shot: EvaluatedShot, picture: np.ndarray, frame: int) -> tuple[int | None, int | None]:
    reviewer = Reviewer()
    (thing,) = reviewer.things(shot, HAND)
    assert isinstance(thing, Reviewed)
    return keys_around(reviewer, thing, frame, lambda _: picture)


@pytest.mark.parametrize(
    ("wrong", "frame", "keys"),
    [
        ((), 1005, (1004, 1007)),
        ((1007,), 1007, (1004, 1010)),
        ((1007,), 1008, (1004, 1010)),
        ((1007, 1010), 1009, (1004, 1013)),
    ],
)
def test_keys_that_are_off_are_passed_over(wrong: tuple[int, ...], frame: int, keys: tuple[int, int]) -> None:
    assert around(*still_hand(*wrong), frame) == keys


def test_there_may_be_none_on_one_side() -> None:
    shot, picture = still_hand(1001)
    assert around(shot, picture, 1002)[0] is None
    assert around(shot, picture, 1016) == (1013, None)


def test_a_key_that_was_said_to_look_right_is_believed() -> None:
    shot, picture = still_hand(1007)
    said = after(shot, LooksRight(type="looks-right", outline=HAND, frame=1007, right=True))
    assert around(said, picture, 1008) == (1007, 1010)
