"""Limbs that swing faster than what is inside them can be followed, on pictures whose edges are known exactly."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from benchmarks.truth import edge_of, fitted, off
from tests.core.outline.test_following import textured
from wiseglove.core.geometry.bezier import Points, ellipse, flatten
from wiseglove.core.outline import swinging
from wiseglove.core.outline.carry import OutlineFollower
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.outline.silhouette import FACING, LOST, Silhouette
from wiseglove.core.outline.swinging import LONGEST, SHORTEST, SPACING, Swinging, stretches_out

SIZE, BODY, RADIUS, ROOT = (240, 320), (190, 120), 48, (146, 120)
ARM, WIDE, FINE = 62, 11, 8
"""How far an arm reaches from its root and half its width, in pixels, and steps of a pixel in which things are drawn."""


def share(angle: float | None) -> NDArray[np.uint8]:
    """How much of each pixel a body with an arm at that angle, in degrees to the left, covers, 0..255; without one for None."""
    drawn = np.zeros(SIZE, np.uint8)
    shift = FINE.bit_length() - 1
    middle = BODY[0] * FINE, BODY[1] * FINE
    cv2.circle(drawn, middle, RADIUS * FINE, 255, -1, cv2.LINE_AA, shift)
    if angle is not None:
        way = np.array([-np.cos(np.deg2rad(angle)), np.sin(np.deg2rad(angle))])
        end = tuple(int(v) for v in np.round((np.array(ROOT) + ARM * way) * FINE))
        limb = np.zeros(SIZE, np.uint8)
        cv2.circle(limb, end, WIDE * FINE, 255, -1, cv2.LINE_AA, shift)
        side = np.array([-way[1], way[0]]) * WIDE
        corners = [
            np.array(ROOT) + side,
            np.array(ROOT) - side,
            np.array(end) / FINE - side,
            np.array(end) / FINE + side,
        ]
        cv2.fillConvexPoly(limb, np.round(np.array(corners) * FINE).astype(np.int32), 255, cv2.LINE_AA, shift)
        drawn = np.maximum(drawn, limb)
    return drawn


@cache
def picture(angle: float | None) -> NDArray[np.uint8]:
    """That, dark and without texture, before a bright wall of patches and stripes, with grain."""
    wall = textured(60, 110, 200)
    wall[np.arange(SIZE[0]) % 18 < 7] *= 0.6
    covered = cv2.GaussianBlur(share(angle), (0, 0), 0.8)[..., None] / 255.0
    grain = np.random.default_rng(5).normal(0, 2, wall.shape)
    return np.clip(wall * (1 - covered) + np.array([46.0, 38.0, 34.0]) * covered + grain, 0, 255).astype(np.uint8)


@cache
def outline(angle: float) -> tuple[Points, list[str]]:
    return fitted(share(angle), 0.5)


def error(points: Points, angle: float) -> float:
    return float(off(edge_of(share(angle)), flatten(points, 0.3)))


@pytest.mark.parametrize("angle", [-44, -29, -17, 18, 31, 47])
def test_a_limb_that_swung_is_found_where_it_is(angle: float) -> None:
    points, kinds = outline(0)
    found = Swinging(picture(0), points, kinds).on(picture(angle), points, points)
    assert found is not None
    before = error(points, angle)
    assert before > 3
    # Near enough for its edge to be found from there.
    assert error(found.points, angle) < min(2.2, before / 2)
    # Places of the first frame go with it, and stay as far from its root as they were.
    from_root = [np.hypot(*(places - ROOT).T) for places in (found.first, found.now)]
    assert np.abs(from_root[0] - from_root[1]).mean() < 3


def test_of_a_long_outline_places_are_farther_apart(monkeypatch: pytest.MonkeyPatch) -> None:
    points, kinds = outline(0)
    close = Swinging(picture(0), points, kinds).on(picture(31), points, points)
    monkeypatch.setattr(swinging, "MOST_PLACES", 60)
    found = Swinging(picture(0), points, kinds).on(picture(31), points, points)
    assert close is not None
    assert found is not None
    assert len(found.first) < 0.7 * len(close.first)
    assert error(found.points, 31) < 2.2


def test_what_is_where_it_was_is_not_looked_for() -> None:
    points, kinds = outline(0)
    swinging = Swinging(picture(0), points, kinds)
    assert swinging.on(picture(0), points, points) is None
    moved = points + np.array([3.0, -2.0, 0, 0, 0, 0, 0, 0])
    there = np.roll(picture(0), (-2, 3), axis=(0, 1))
    assert swinging.on(there, points, moved) is None


def test_a_limb_that_is_gone_is_not_found_elsewhere() -> None:
    points, kinds = outline(0)
    assert Swinging(picture(0), points, kinds).on(picture(None), points, points) is None


@pytest.mark.parametrize("step", [25.0, -25.0])
def test_an_arm_that_swings_fast_is_carried_on(step: float, monkeypatch: pytest.MonkeyPatch) -> None:
    def carried() -> list[float]:
        points, kinds = outline(0)
        follower, errors = OutlineFollower(picture(0), points, kinds), []
        for k in (1, 2):
            found = follower.anyway(picture(step * k))
            assert found is not None
            errors.append(error(found.points, step * k))
        return errors

    assert max(carried()) < 2.5
    monkeypatch.setattr(Swinging, "on", lambda *_: None)
    assert min(carried()) > 5, "by what is inside alone it is lost"


@given(st.floats(30, 90), st.floats(0.6, 1.0))
def test_a_round_thing_has_no_limbs(radius: float, flat: float) -> None:
    along = normals_of(ellipse(160, 120, radius, radius * flat), list(range(4)), SPACING)
    assert stretches_out(along.places) == []


@given(st.sampled_from([0.0, 20.0, -30.0]), st.integers(0, 200))
def test_limbs_do_not_hang_on_where_an_outline_begins(angle: float, begin: int) -> None:
    points, _ = outline(angle)
    places = np.roll(normals_of(points, list(range(len(points))), SPACING).places, -begin, axis=0)
    limbs = stretches_out(places)
    assert limbs
    steps = np.linalg.norm(np.diff(places, axis=0, append=places[:1]), axis=1)
    for limb in limbs:
        assert (np.diff(limb) % len(places) == 1).all()
        assert SHORTEST <= steps[limb[:-1]].sum() <= LONGEST * steps.sum()
    tip = np.array(ROOT) - (ARM + WIDE) * np.array([np.cos(np.deg2rad(angle)), -np.sin(np.deg2rad(angle))])
    assert any(np.hypot(*(places[limb] - tip).T).min() < SPACING for limb in limbs), "the arm's end is on one"


@pytest.mark.parametrize("angle", [-12, 14])
def test_what_holds_nothing_is_brought_onto_edges_from_farther_and_the_rest_stays(angle: float) -> None:
    points, kinds = outline(0)
    edges = Silhouette(share(angle).astype(np.float32) / 255)
    lost = edges.uncovered(points)
    assert 0 < lost.sum() < len(points)
    assert not edges.uncovered(outline(angle)[0]).any()
    brought = edges.onto(points, kinds, LOST, FACING, lost)
    assert error(brought, angle) < error(points, angle) / 2
    beside = lost | np.roll(lost, 1) | np.roll(lost, -1)
    still = ~(beside | np.roll(beside, 1))
    assert still.any()
    assert np.abs(brought[still] - points[still])[:, :2].max() < 0.5


def test_what_is_not_known_is_not_said_to_hold_nothing() -> None:
    points, _ = outline(0)
    nothing = np.zeros(SIZE, np.float32)
    assert Silhouette(nothing).uncovered(points).all()
    assert not Silhouette(nothing, np.zeros(SIZE, bool)).uncovered(points).any()
