"""Where an outline is looked for that does not lie on what it is of."""

from __future__ import annotations

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.core.outline.test_following import HAND, picture_of
from wiseglove.core.outline.edges import linear_light, seen_at
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.review.elsewhere import FINE, INSIDE, STEP, elsewhere

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


def found(shape: np.ndarray) -> np.ndarray:
    along = normals_of(shape, list(range(len(shape))), 4.0)
    count = len(ALONG.t)
    assert len(along.t) == count
    return elsewhere(PICTURE, along, STILL, WANT, BEYOND, SCALE)


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
