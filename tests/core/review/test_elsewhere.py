"""Where an outline is looked for that does not lie on what it is of."""

from __future__ import annotations

import cv2
import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.core.outline.test_following import HAND, picture_of
from wiseglove.core.outline.edges import linear_light, seen_at
from wiseglove.core.outline.normals import normals_at, normals_of
from wiseglove.core.review.elsewhere import FINE, INSIDE, STEP, Search, followed

PICTURE = picture_of(HAND)
ALONG = normals_of(HAND, list(range(len(HAND))), 4.0)
STILL = np.zeros(len(ALONG.t))


def roots(depths: tuple[float, ...]) -> np.ndarray:
    layer = np.sqrt(linear_light(PICTURE, 1.0) + 1)
    return np.asarray(
        seen_at(layer, ALONG.places[:, None] - ALONG.outward[:, None] * np.array(depths)[:, None]), np.float64
    )


WANT = roots(INSIDE)
BEYOND = np.linalg.norm(roots((-5.0, -9.0)) - roots((5.0, 9.0)), axis=2).mean(axis=1)
SCALE = max(float(np.ptp(WANT.reshape(-1, 3), axis=0).max()), 1.25)


def search(shape: np.ndarray, picture: np.ndarray = PICTURE) -> Search:
    along = normals_at(shape, ALONG.segment, ALONG.t)
    return Search(picture, along, STILL, WANT, BEYOND, SCALE)


def found(shape: np.ndarray) -> np.ndarray:
    looked = search(shape)
    return looked.everywhere(looked.alone)


def test_what_lies_right_is_not_looked_for() -> None:
    assert not found(HAND).any()


@settings(max_examples=25, deadline=None)
@given(st.floats(-48, 48), st.floats(-48, 48))
def test_what_was_shifted_is_found_again(x: float, y: float) -> None:
    assume(np.hypot(x, y) > 2 * STEP)
    shifted = HAND + np.array([x, y, 0, 0, 0, 0, 0, 0])
    there = np.median(found(shifted), axis=0)
    # As near as the finest step of a small picture tells.
    assert np.abs(there + (x, y)).max() <= 2 * FINE


def test_outside_the_picture_nothing_is_found() -> None:
    assert not found(HAND + np.array([5000.0, 0, 0, 0, 0, 0, 0, 0])).any()


def test_what_turns_away_is_followed_where_it_is_not_found_by_a_frame_alone() -> None:
    # An outline that stays where the hand was, while the hand turns and leaves.
    middle, alone, after, searches, true = HAND[:, :2].mean(axis=0), [], [], [], []
    for k in range(9):
        move = cv2.getRotationMatrix2D(tuple(middle), 7.0 * k, 1.0) + np.array([[0, 0, 6.0 * k], [0, 0, 0]])
        size = (PICTURE.shape[1], PICTURE.shape[0])
        searches.append(search(HAND, np.asarray(cv2.warpAffine(PICTURE, move, size, borderMode=cv2.BORDER_REFLECT))))
        true.append(ALONG.places @ move[:, :2].T + move[:, 2] - ALONG.places)
    for looked, result, away in zip(searches, followed(searches), true, strict=True):
        for found, out in ((looked.alone, alone), (result, after)):
            out.append(np.linalg.norm(looked.everywhere(found) - away, axis=1).mean())
    assert after[-1] < 0.5 * alone[-1], "56 degrees are too much for one frame alone"
    assert max(after) < 8
