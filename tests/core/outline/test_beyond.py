"""What looks like the inside and sticks out of an outline is told, and what only lies behind it is not."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.outline.test_following import HEIGHT, WIDTH, textured
from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.core.outline.beyond import FRAMES, Beyond, ends_of
from wiseglove.core.outline.carry import STICKS_OUT, OutlineFollower
from wiseglove.core.outline.normals import SPACING, normals_of

CENTRE, RADIUS = (160.0, 120.0), 60.0
DISC = ellipse(*CENTRE, RADIUS, RADIUS)
KINDS = ["smooth"] * len(DISC)
EDGE = normals_of(DISC, list(range(len(DISC))))
ROOM = Box(0, 0, WIDTH, HEIGHT)


def picture(*shapes: np.ndarray, grain: int = 1, line: float | None = None) -> np.ndarray:
    """Shapes of one bright cloth before a dark ground, with grain; a line of the ground at a height, if wanted."""
    share = np.max([coverage(shape, ROOM) for shape in shapes], axis=0)
    share = cv2.GaussianBlur(share, (0, 0), 0.8)[..., None]
    ground = textured(51, 25, 50)
    if line is not None:
        cv2.line(ground, (0, round(line)), (WIDTH, round(line)), (170.0, 190.0, 180.0), 2)
    light = (textured(1, 120, 170) / 255) ** 2.2 * share + (ground / 255) ** 2.2 * (1 - share)
    noise = np.random.default_rng(grain).normal(0, 2.5, light.shape)
    return np.clip(255 * light ** (1 / 2.2) + noise, 0, 255).astype(np.uint8)


def bump(angle: float, out: float) -> np.ndarray:
    """A rounded part that reaches `out` pixels out of the disc."""
    reach = RADIUS + out - 18
    return ellipse(CENTRE[0] + reach * np.cos(angle), CENTRE[1] + reach * np.sin(angle), 18, 18)


def place_on(angle: float) -> np.ndarray:
    return np.array(CENTRE) + RADIUS * np.array([np.cos(angle), np.sin(angle)])


@pytest.mark.parametrize("larger", [0.0, 3.0, 6.0])
def test_the_inside_ends_where_the_thing_ends(larger: float) -> None:
    ends = ends_of(picture(ellipse(*CENTRE, RADIUS + larger, RADIUS + larger)), EDGE)
    assert np.nanmax(np.abs(ends - larger)) <= 1.5
    assert np.isfinite(ends).all()


def test_where_nothing_differs_and_beyond_the_picture_nothing_is_told() -> None:
    grey = np.full((HEIGHT, WIDTH, 3), 60, np.uint8)
    assert np.isnan(ends_of(grey, EDGE)).all()
    beyond = normals_of(DISC + np.array([-150, 0, 0, 0, 0, 0, 0, 0]), list(range(len(DISC))))
    ends = ends_of(picture(DISC), beyond)
    assert np.isnan(ends[beyond.places[:, 0] < 10]).all()
    outside = normals_of(DISC + np.array([-900, 0, 0, 0, 0, 0, 0, 0]), list(range(len(DISC))))
    assert np.isnan(ends_of(picture(DISC), outside)).all()


@settings(max_examples=20, deadline=None)
@given(st.floats(0, 6.28), st.floats(4.5, 7.0))
def test_what_sticks_out_is_told_once_it_has_stayed(angle: float, out: float) -> None:
    watch = Beyond(picture(DISC), EDGE)
    told = [watch.seen(picture(DISC, bump(angle, out), grain=k), EDGE, SPACING) for k in range(FRAMES)]
    assert told[:-1] == [None] * (FRAMES - 1)
    assert told[-1] is not None
    assert np.hypot(*(EDGE.places[told[-1]] - place_on(angle))) < 20


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 100), st.floats(4.0, 30.0))
def test_grain_and_lines_that_pass_behind_are_not_taken_for_it(grain: int, speed: float) -> None:
    watch = Beyond(picture(DISC), EDGE)
    for k in range(8):
        assert watch.seen(picture(DISC, grain=grain + k, line=30 + speed * k), EDGE, SPACING) is None


def test_carrying_on_stops_where_a_part_comes_out_at_once() -> None:
    # Too far in one frame for its edge to be found nearby; what it uncovers looks like the rest.
    follower = OutlineFollower(picture(DISC), DISC, KINDS)
    for k in range(1, 10):
        carried = follower.on(picture(DISC, bump(0.7, 6.5), grain=k))
        if carried.reason:
            break
    assert carried.reason == STICKS_OUT
    assert carried.where is not None
    assert np.hypot(*(place_on(0.7) - carried.where)) < 20
