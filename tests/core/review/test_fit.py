"""How well outlines fit, on pictures whose edges are known exactly."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import spearmanr

from tests.core.outline.test_following import HAND, picture_of
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.review.fit import OutlineFit, middle_of
from wiseglove.shot.reviewing import FAULTY

COUNT = 16
STEP = np.array([2.5, -1.2, 0, 0, 0, 0, 0, 0])
KEYS = [0, 3, 6, 9, 12, 15]


@cache
def picture(frame: int) -> np.ndarray:
    return picture_of(HAND + frame * STEP, shift=(2.5 * frame, -1.2 * frame))


def shapes(wrong: dict[int, np.ndarray]) -> np.ndarray:
    """The hand in between its keys, some of which are moved by (N, 2)."""
    keys = np.stack([HAND + k * STEP for k in KEYS])
    for key, by in wrong.items():
        keys[KEYS.index(key), :, :2] += by
    return in_between(Animation(np.array(KEYS, float), keys, ("smooth",) * len(KEYS)), np.arange(COUNT))


def fitted(points: np.ndarray, keys: list[int] = KEYS) -> OutlineFit:
    return OutlineFit(points, 0, keys, picture)


def test_what_is_right_fits_on_all_frames() -> None:
    fit = fitted(shapes({}))
    for frame in range(COUNT):
        found = fit.on(frame)
        assert np.mean(found.fault[found.seen]) < 0.9
        assert np.mean(found.agrees) > 0.8


@pytest.mark.parametrize("key", [3, 9])
def test_a_key_that_is_off_is_found_by_the_others_and_its_edge_shown(key: int) -> None:
    by = np.full((len(HAND), 2), (4.0, 3.0))
    fit = fitted(shapes({key: by}))
    faults = [float(fit.on(f).fault.mean()) for f in range(COUNT)]
    assert abs(int(np.argmax(faults)) - key) <= 1  # what is in between follows it
    assert faults[key] > 5 * np.median(faults)
    found = fit.on(key)
    # The ghost lies on the true edge: across it the curve is off by what was put in.
    assert np.corrcoef(found.off, -(found.outward @ by[0]))[0, 1] > 0.9
    assert np.median(np.abs(found.off + found.outward @ by[0])) < 1.0


def test_the_stretch_that_is_off_is_told_from_the_rest() -> None:
    by = np.zeros((len(HAND), 2))
    by[2:5] = (6.0, 0.0)
    found = fitted(shapes({6: by})).on(6)
    # What slid along the true edge is not off.
    truth = shapely.LinearRing(normals_of(shapes({})[6], list(range(len(HAND))), 0.5).places)
    away = shapely.distance(truth, shapely.points(found.places))
    marked = found.fault > FAULTY
    assert marked[away > 2].mean() > 0.9
    assert marked[away < 0.5].mean() < 0.1
    assert np.corrcoef(found.fault, away)[0, 1] > 0.9


def test_frames_are_ranked_as_they_are_wrong() -> None:
    rng = np.random.default_rng(5)
    wrong = {k: rng.normal(0, 1, 2) * rng.uniform(1, 6) * np.ones((len(HAND), 1)) for k in (3, 6, 12)}
    points, right = shapes(wrong), shapes({})
    fit = fitted(points)
    truth = [
        np.abs(
            ((fit.along(f).places - OutlineFit(right, 0, KEYS, picture).along(f).places) * fit.along(f).outward).sum(1)
        ).mean()
        for f in range(COUNT)
    ]
    told = [fit.on(f).fault.mean() for f in range(COUNT)]
    # Spearman's rank correlation (SciPy).
    assert spearmanr(truth, told)[0] > 0.85


def test_far_off_is_worse_than_near() -> None:
    far, near = (fitted(shapes({6: np.full((len(HAND), 2), (d, 0.0))})).on(6).fault.mean() for d in (40.0, 6.0))
    assert far > 2 * near > 4


def test_an_outline_outside_the_picture_and_one_with_a_single_key() -> None:
    outside = np.repeat((HAND + np.array([900, 0, 0, 0, 0, 0, 0, 0]))[None], COUNT, axis=0)
    found = fitted(outside, [0]).on(4)
    assert not found.seen.any()
    assert found.fault.max() == 0
    one = fitted(np.repeat(HAND[None], COUNT, axis=0), [0])
    assert one.on(0).fault.mean() < 1
    assert one.on(4).fault.mean() > 3
    assert one.witnesses(0) == [0]


def test_an_outline_that_lies_inside_of_one_colour_is_told_to_be_off() -> None:
    small = HAND.copy()
    middle = HAND[:, :2].mean(axis=0)
    small[:, :2] = middle + 0.45 * (HAND[:, :2] - middle)
    small[:, 2:6] *= 0.45
    points = shapes({})
    points[6] = small + 6 * STEP
    found = fitted(points).on(6)
    # Inside it looks as on the keys, nearly everywhere; only the edge is lacking.
    assert np.mean(found.fault > FAULTY) > 0.8
    assert found.fault.mean() > 3 * fitted(shapes({})).on(6).fault.mean()


def test_what_a_frame_is_said_to_be_does_not_depend_on_which_was_asked_first() -> None:
    points = shapes({6: np.full((len(HAND), 2), (22.0, 14.0)), 12: np.full((len(HAND), 2), (-18.0, 20.0))})
    one, other, kept = fitted(points), fitted(points), {}
    again = OutlineFit(points, 0, KEYS, picture, kept)
    back = {frame: other.on(frame) for frame in reversed(range(COUNT))}
    for frame in range(COUNT):
        forth = one.on(frame)
        assert np.array_equal(forth.fault, back[frame].fault)
        # What was kept for another judge does for this one.
        assert np.array_equal(again.on(frame).fault, forth.fault)
        assert np.array_equal(OutlineFit(points, 0, KEYS, picture, kept).on(frame).fault, forth.fault)


def test_the_ghost_of_what_is_far_off_lies_where_all_of_it_is() -> None:
    by = np.array([30.0, 18.0])
    found = fitted(shapes({6: np.tile(by, (len(HAND), 1))})).on(6)
    assert found.seen.all()
    # Not only on the edge: each place of the curve comes to lie on its own place of it.
    assert np.median(np.linalg.norm(found.ghost + by - found.places, axis=1)) < 4


@given(st.integers(0, 10**6), st.integers(1, 6))
def test_the_middle_of_a_few_keys_is_their_median(seed: int, count: int) -> None:
    each = list(np.random.default_rng(seed).normal(size=(count, 7, 2, 3)).round(1))  # some are equal
    assert np.array_equal(middle_of(each), np.median(each, axis=0))
