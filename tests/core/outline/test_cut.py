"""Outlines that end on the picture's border: an arm that reaches in is followed as if it went on beyond."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.outline.cut import OUT, cut_by, on_border
from wiseglove.core.outline.silhouette import Silhouette
from wiseglove.core.outline.towards import Delivered, carry_range

Array = NDArray[np.float64]
H, W = 240, 320
SHAPE = (H, W, 3)
RNG = np.random.default_rng(11)
LEAVES = cv2.GaussianBlur(RNG.uniform(10, 120, (H, W, 3)).astype(np.float32), (0, 0), 2.0)
CLOTH = cv2.GaussianBlur(RNG.uniform(80, 255, (3 * H, 3 * W, 3)).astype(np.float32), (0, 0), 1.5)
CENTRE = np.array([W / 2, H / 2])
OFF = 0.04
"""Of the area seen: the outline lies one pixel off all round."""
BORDERS = {"right": 0, "bottom": 90, "left": 180, "top": 270}


def turn(degrees: float) -> Array:
    a = np.radians(degrees)
    return np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])


def sleeve(tip: float, degrees: float, aside: float = 0.0, wide: float = 26.0) -> Array:
    """An arm's line (M, 2): a round end `tip` pixels from the middle, from where it widens towards far beyond the border."""
    round_end = np.linspace(-np.pi / 2, -3 * np.pi / 2, 24)
    line = np.concatenate(
        [
            [[600.0, aside - 1.5 * wide]],
            np.stack([tip + wide * np.cos(round_end), aside + wide * np.sin(round_end)], axis=1),
            [[600.0, aside + 1.5 * wide]],
        ]
    )
    return np.asarray(line @ turn(degrees).T + CENTRE)


def drawn(line: Array) -> Array:
    """What an artist draws of it: cut at the border, a point at each place that the picture's border or the tip needs."""
    seen = shapely.intersection(shapely.Polygon(line), shapely.box(0, 0, W, H))
    places = shapely.get_coordinates(seen.exterior)[:-1]
    points = np.zeros((len(places), 8))
    points[:, :2] = places
    third = (np.roll(places, -1, axis=0) - places) / 3
    points[:, 4:6], points[:, 2:4] = third, -np.roll(third, 1, axis=0)
    return points


def picture(line: Array, moved: Array) -> NDArray[np.uint8]:
    mask = np.zeros((H, W), np.uint8)
    cv2.fillPoly(mask, [np.round((line - 0.5) * 256).astype(np.int32)], 255, cv2.LINE_AA, 8)
    x, y = np.round(np.array([W, H]) - moved).astype(int)
    share = mask[..., None] / 255
    out = LEAVES * (1 - share) + CLOTH[y : y + H, x : x + W] * np.array([1.0, 0.75, 0.55]) * share
    return np.asarray(np.clip(out + RNG.normal(0, 1.5, out.shape), 0, 255), np.uint8)


def common(points: Array, line: Array) -> float:
    """Area in the picture that an outline and the truth do not share, of the truth's."""
    seen = shapely.box(0, 0, W, H)
    one = shapely.intersection(shapely.make_valid(shapely.Polygon(flatten(points, 0.05))), seen)
    other = shapely.intersection(shapely.Polygon(line), seen)
    return float(shapely.symmetric_difference(one, other).area / other.area)


def carried_in(
    degrees: float, step: float, frames: int, aside: float = 0.0
) -> tuple[Array, list[Delivered], list[Array]]:
    """An arm that comes in by so many pixels a frame; what it is carried on to, and the truth, by frame."""
    lines = [sleeve(40.0 - step * k, degrees, aside) for k in range(frames + 1)]
    pictures = [picture(line, turn(degrees) @ np.array([-step * k, 0.0])) for k, line in enumerate(lines)]
    first = drawn(lines[0])
    kinds = ["free"] * len(first)
    return first, list(carry_range(pictures.__getitem__, {0: first}, kinds, 0, frames)), lines


@pytest.mark.parametrize("border", BORDERS)
def test_an_arm_that_reaches_in_goes_on_to_the_border(border: str) -> None:
    first, found, lines = carried_in(BORDERS[border], 5.0, 8)
    assert [d.frame for d in found] == list(range(9))
    assert found[0].points is not None
    np.testing.assert_array_equal(found[0].points, first)
    for delivered in found[1:]:
        assert delivered.points is not None
        assert delivered.doubt is not None
        assert len(delivered.points) == len(delivered.doubt) == len(first)
        # Left as it was, its end on the border would lie 5 pixels further in on each frame: up to a quarter of what is seen.
        assert common(delivered.points, lines[delivered.frame]) < OFF, delivered.frame
        at_border = on_border(delivered.points, SHAPE)
        assert at_border.any()
        assert (delivered.doubt[at_border] == 0).all()


def test_an_arm_over_a_corner_of_the_picture_covers_the_corner() -> None:
    _, found, lines = carried_in(40.0, 4.0, 6)
    for delivered in found:
        assert delivered.points is not None
        assert common(delivered.points, lines[delivered.frame]) < OFF, delivered.frame


def test_an_arm_that_draws_back_leaves_by_the_border() -> None:
    first, found, lines = carried_in(0.0, -6.0, 8)
    for delivered in found[1:]:
        assert delivered.points is not None
        assert len(delivered.points) == len(first)
        assert common(delivered.points, lines[delivered.frame]) < OFF, delivered.frame


def test_between_two_keys_that_are_cut_the_frames_are_cut_as_well() -> None:
    lines = [sleeve(40.0 - 4.0 * k, 0.0) for k in range(9)]
    pictures = [picture(line, np.array([-4.0 * k, 0.0])) for k, line in enumerate(lines)]
    keys = {0: drawn(lines[0]), 8: drawn(lines[8])}
    found = {d.frame: d for d in carry_range(pictures.__getitem__, keys, ["free"] * len(keys[0]), 0, 8)}
    assert sorted(found) == list(range(9))
    for frame in (0, 8):
        points = found[frame].points
        assert points is not None
        np.testing.assert_array_equal(points, keys[frame])
    for frame in range(1, 8):
        points = found[frame].points
        assert points is not None
        assert common(points, lines[frame]) < OFF, frame


@settings(max_examples=60, deadline=None)
@given(
    degrees=st.floats(0, 360),
    tip=st.floats(-60, 60),
    aside=st.floats(-15, 15),
    wide=st.floats(12, 40),
)
def test_what_goes_on_beyond_is_the_same_within_the_picture_and_comes_back(
    degrees: float, tip: float, aside: float, wide: float
) -> None:
    line = sleeve(tip, degrees, aside, wide)
    points = drawn(line)
    cut = cut_by(points, ["free"] * len(points), SHAPE)
    assert cut is not None
    longer = cut.points
    assert len(cut.kinds) == len(longer) > len(points)
    ring = shapely.Polygon(flatten(longer, 0.02))
    assert ring.is_valid
    seen = shapely.box(0, 0, W, H)
    original = shapely.Polygon(flatten(points, 0.02))
    assert shapely.symmetric_difference(shapely.intersection(ring, seen), original).area < 0.01 * original.area
    assert not on_border(longer, SHAPE)[~_beyond(longer)].any()
    again, doubt = cut.back(longer, np.full(len(longer), 0.25), cut.ways(longer))
    assert again.shape == points.shape
    assert doubt == pytest.approx(np.full(len(points), 0.25))
    inside = shapely.intersection(shapely.Polygon(flatten(again, 0.02)), seen)
    assert shapely.symmetric_difference(inside, original).area < 0.01 * original.area


def _beyond(points: Array) -> NDArray[np.bool_]:
    """Which segments have an end outside the picture."""
    out = ((points[:, :2] < -1) | (points[:, :2] > np.array([W, H]) + 1)).any(axis=1)
    return np.asarray(out | np.roll(out, -1))


@given(x=st.floats(40, W - 40), y=st.floats(40, H - 40), size=st.floats(5, 30))
def test_what_lies_in_the_picture_is_not_cut(x: float, y: float, size: float) -> None:
    inside = ellipse(x, y, size, size)
    assert cut_by(inside, ["smooth"] * 4, SHAPE) is None
    assert cut_by(inside + np.array([2000.0, 0, 0, 0, 0, 0, 0, 0]), ["smooth"] * 4, SHAPE) is None


def test_what_has_wholly_come_in_is_still_led_to_the_border() -> None:
    points = drawn(sleeve(40.0, 0.0))
    cut = cut_by(points, ["free"] * len(points), SHAPE)
    assert cut is not None
    further = cut.points.copy()
    further[:, 0] -= 250.0  # more than it goes on beyond the border
    back, _ = cut.back(further, np.zeros(len(further)), cut.ways(further))
    assert back[:, 0].max() == pytest.approx(W + OUT, abs=0.1)
    assert common(back, sleeve(40.0, 0.0) - (250.0, 0.0)) < 0.01


def test_a_matte_that_ends_at_its_border_has_an_edge_there() -> None:
    matte = np.zeros((60, 80), np.float32)
    matte[20:40, :30] = 1.0
    edges = Silhouette(matte, corner=(0, 100))
    left = edges.outward[:, 0] < -0.9
    assert edges.places[left, 0] == pytest.approx(np.zeros(left.sum()))
    assert left.sum() >= 18
    right = edges.outward[:, 0] > 0.9
    assert edges.places[right, 0] == pytest.approx(np.full(right.sum(), 30.0), abs=0.2)


def test_what_only_touched_the_border_comes_off_it() -> None:
    def round_thing(k: int) -> Array:
        return ellipse(W - 32.0 - 5.0 * k, 120.0, 40.0, 40.0)

    lines = [flatten(round_thing(k), 0.02) for k in range(7)]
    pictures = [picture(line, np.array([-5.0 * k, 0.0])) for k, line in enumerate(lines)]
    first = drawn(lines[0][::12])
    assert cut_by(first, ["free"] * len(first), SHAPE) is not None
    for delivered in carry_range(pictures.__getitem__, {0: first}, ["free"] * len(first), 0, 6):
        assert delivered.points is not None
        # Led on to the border it would be a quarter too large, and more, by the last frame.
        assert common(delivered.points, lines[delivered.frame]) < 0.12, delivered.frame


def test_between_a_key_that_is_cut_and_one_that_is_not() -> None:
    def ring(k: int) -> Array:
        a = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        return np.stack([W - 25.0 - 5.0 * k + 40 * np.cos(a), 120 + 40 * np.sin(a)], axis=1)

    def key(k: int) -> Array:
        places = np.minimum(ring(k), (W, H))
        points = np.zeros((len(places), 8))
        points[:, :2] = places
        third = (np.roll(places, -1, axis=0) - places) / 3
        points[:, 4:6], points[:, 2:4] = third, -np.roll(third, 1, axis=0)
        return points

    pictures = [picture(ring(k), np.array([-5.0 * k, 0.0])) for k in range(9)]
    kinds = ["free"] * 24
    assert cut_by(key(0), kinds, SHAPE) is not None
    assert cut_by(key(8), kinds, SHAPE) is None
    found = {d.frame: d.points for d in carry_range(pictures.__getitem__, {0: key(0), 8: key(8)}, kinds, 0, 8)}
    for frame in range(1, 8):
        points = found[frame]
        assert points is not None
        assert common(points, ring(frame)) < 0.12, frame
