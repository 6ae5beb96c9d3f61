"""Signs of doubt along an outline, on pictures whose edges are known exactly."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.outline.test_following import picture_of
from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.outline.looks import Looks, Signs, by_segment, logistic

DISC = ellipse(150.0, 120.0, 60.0, 45.0)
PICTURE = picture_of(DISC)


def by(off: float) -> Signs:
    """The signs of a disc that lies so many pixels too far out."""
    return Looks(PICTURE, DISC).on(PICTURE, ellipse(150.0, 120.0, 60.0 + off, 45.0 + off))


def test_where_it_lies_right_nothing_is_lacking() -> None:
    right = by(0.0)
    assert right.lacks.max() < 0.02
    assert right.first.min() > 0.8
    assert right.unlike.max() == pytest.approx(np.log(0.05), abs=1e-6)


@pytest.mark.parametrize("off", [-8.0, -5.0, 5.0, 8.0])
def test_where_it_lies_off_its_edge_is_lacking_and_another_is_clearer(off: float) -> None:
    right, wrong = by(0.0), by(off)
    assert (wrong.lacks > right.lacks + 0.2).all()
    assert (wrong.first < right.first - 0.2).all()
    assert (wrong.clear < right.clear).all()
    # Inside of it the colours go on; outside they are others.
    assert off < 0 or (wrong.unlike_near > right.unlike_near).all()


@settings(max_examples=25, deadline=None)
@given(st.floats(-60, 400), st.floats(-60, 300), st.floats(3, 200))
def test_signs_are_numbers_wherever_it_lies(x: float, y: float, size: float) -> None:
    found = Looks(PICTURE, ellipse(x, y, size, size / 2)).on(PICTURE[::-1].copy(), ellipse(x + 9, y, size, size / 2))
    for name in Signs.__dataclass_fields__:
        assert np.isfinite(getattr(found, name)).all()
        assert getattr(found, name).shape == (4,)


@pytest.mark.parametrize("off", [0.0, 3.0])
def test_a_small_thing_is_looked_at_like_a_large_one(off: float) -> None:
    large, small = ellipse(150.0, 120.0, 60.0, 45.0), ellipse(75.0, 60.0, 30.0, 22.5)
    half = np.asarray(cv2.resize(PICTURE, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), np.uint8)
    near = Looks(PICTURE, large, by_size=True).on(PICTURE, ellipse(150.0, 120.0, 60.0 + off, 45.0 + off))
    far = Looks(half, small, by_size=True).on(half, ellipse(75.0, 60.0, 30.0 + off / 2, 22.5 + off / 2))
    plain = Looks(half, small).on(half, ellipse(75.0, 60.0, 30.0 + off / 2, 22.5 + off / 2))
    for name in ("unlike_near", "step", "lacks"):
        apart = [np.abs(getattr(seen, name) - getattr(near, name)).max() for seen in (far, plain)]
        assert apart[0] < 0.35, name
        assert off == 0 or apart[0] < apart[1], name


def test_means_by_segment_and_odds() -> None:
    assert by_segment(np.array([1.0, 3.0, 8.0]), np.array([0, 0, 2]), 4).tolist() == [2.0, 0.0, 8.0, 0.0]
    assert logistic(np.array([0.0]))[0] == 0.5
