"""The clean-up of mattes, the edge-led enlargement and the solved soft edge."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy import ndimage

from tests.core.keying.scene import off, stage
from wiseglove.core.compositing.colour import encode
from wiseglove.core.keying.band import band_of, solved_in_band
from wiseglove.core.keying.clean import Steps, clean, despecked, filled
from wiseglove.core.keying.enlarge import enlarged
from wiseglove.core.keying.key import Keyer, key, sampled

Picture = NDArray[np.float32]


def body_with(hole: tuple[int, int], gap: int) -> Picture:
    """A body with an enclosed hole (height, width), and an arm that a gap of some pixels parts from it."""
    matte = np.zeros((90, 120), np.float32)
    matte[10:80, 10:60] = 1
    matte[40 : 40 + hole[0], 25 : 25 + hole[1]] = 0
    matte[10:80, 60 + gap : 80 + gap] = 1
    matte[10:20, 60 : 60 + gap] = 1
    matte[70:80, 60 : 60 + gap] = 1
    return matte


@given(st.integers(2, 14), st.integers(2, 14), st.integers(1, 12), st.floats(1, 60))
def test_only_holes_that_are_no_longer_than_the_size_are_filled(high: int, wide: int, gap: int, size: float) -> None:
    matte = body_with((high, wide), gap)
    out = filled(matte, size)
    inside = out[40 : 40 + high, 25 : 25 + wide]
    assert (inside == (1.0 if max(high, wide) <= size else 0.0)).all()
    # The gap between arm and body is 50 pixels long, however thin: it stays unless that is within the size.
    assert (out[20:70, 60 : 60 + gap] == (1.0 if size >= 50 else 0.0)).all()
    assert (out >= matte).all()


def test_a_hole_is_measured_with_its_soft_rim_and_openings_to_the_border_are_none() -> None:
    matte = cv2.GaussianBlur(body_with((8, 8), 6), (0, 0), 1.5)
    assert filled(matte, 9)[44, 29] < 0.5  # eight pixels across, but its rim makes it longer
    assert filled(matte, 22)[44, 29] == 1
    assert (filled(matte, 22)[20:70, 62:65] < 0.5).all()
    open_ = np.ones((40, 40), np.float32)
    open_[0:3, 18:21] = 0
    assert filled(open_, 30)[1, 19] == 0


@given(st.integers(1, 20), st.floats(0.5, 25))
def test_only_specks_that_are_no_longer_than_the_size_go(side: int, size: float) -> None:
    matte = np.zeros((60, 120), np.float32)
    matte[5:55, 5:55] = 1
    matte[10 : 10 + side, 80] = 0.6
    out = despecked(matte, size)
    assert (out[:, :70] == matte[:, :70]).all()
    assert out[10, 80] == pytest.approx(0.0 if side <= size else 0.6)


def test_steps_are_done_in_their_order_and_each_can_be_left_out() -> None:
    matte = body_with((4, 4), 6)
    matte[2:4, 100:102] = 1
    assert (clean(matte, Steps()) == matte).all()
    done = clean(matte, Steps(holes=6, specks=4, grow=-1, soften=0.8, contrast=0.5))
    assert done[42, 27] == 1
    assert done[2:4, 100:102].max() == 0
    by_hand = clean(clean(clean(matte, Steps(holes=6, specks=4)), Steps(grow=-1)), Steps(soften=0.8, contrast=0.5))
    assert (done == by_hand).all()
    edge = [clean(matte, Steps(soften=2, contrast=c))[45, 5:16] for c in (0.0, 0.8)]
    soft = [int(((e > 0.02) & (e < 0.98)).sum()) for e in edge]
    assert soft[1] < soft[0]


@pytest.mark.parametrize("backing", ["green", "blue"])
def test_a_small_matte_led_by_the_plate_has_at_most_half_the_error_of_a_plain_enlargement(backing: str) -> None:
    picture, truth, _ = stage(backing, seed=5)
    plate = np.asarray(encode(np.clip(picture, 0, 1)), np.float32)
    height, width = truth.shape
    small = np.asarray(cv2.resize(truth, (width // 2, height // 2), interpolation=cv2.INTER_AREA), np.float32)
    band = cv2.dilate(((truth > 0.02) & (truth < 0.98)).astype(np.float32), np.ones((3, 3)))
    plain = np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
    led = enlarged(small, plate)
    assert off(led, truth, band) < 0.5 * off(plain, truth, band)
    again = cv2.resize(led, (width // 2, height // 2), interpolation=cv2.INTER_AREA)
    assert np.abs(again - small).mean() < 0.01
    assert enlarged(truth, plate) is truth
    shrunk = enlarged(np.asarray(cv2.resize(truth, (2 * width, 2 * height)), np.float32), plate)
    assert np.abs(shrunk - truth).mean() < 0.01


def test_the_solved_soft_edge_is_nearer_to_the_truth_in_hair_and_blur_and_changes_nothing_else() -> None:
    picture, truth, where = stage("green", seed=2)
    alpha = key(picture, Keyer(sampled([picture[20:60, 20:60]]))).alpha
    # What closed form is for: a key whose soft edge was spoiled, here by too hard a high end.
    spoiled = np.clip(alpha * 1.5, 0, 1)
    solved = solved_in_band(picture, spoiled)
    band = band_of(spoiled)
    assert (solved[~band] == spoiled[~band]).all()
    assert off(solved, truth, where["blur"]) < off(spoiled, truth, where["blur"])
    assert off(solved, truth, where["hair"]) < 1.05 * off(spoiled, truth, where["hair"])
    assert (solved_in_band(picture, np.ones_like(alpha)) == 1).all()


@settings(max_examples=150, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(1, 12), st.booleans())
def test_holes_and_specks_are_the_parts_that_scipy_finds(seed: int, size: int, fine: bool) -> None:
    """Against SciPy's labelling: holes hang together by their sides, specks also by their corners."""
    rng = np.random.default_rng(seed)
    noise = rng.random((int(rng.integers(3, 50)), int(rng.integers(3, 50)))).astype(np.float32)
    noise = noise if fine else np.asarray(cv2.GaussianBlur(noise, (0, 0), 1.2))
    alpha = (noise > np.quantile(noise, rng.uniform(0.05, 0.95))).astype(np.float32)
    height, width = alpha.shape

    def parts(mask: np.ndarray, joined: int) -> list[tuple[slice, slice]]:
        return list(ndimage.find_objects(ndimage.label(mask, ndimage.generate_binary_structure(2, joined))[0]))

    holes, specks = alpha.copy(), alpha.copy()
    labels = ndimage.label(alpha == 0, ndimage.generate_binary_structure(2, 1))[0]
    for name, (rows, columns) in enumerate(parts(alpha == 0, 1), start=1):
        inside = rows.start > 0 and columns.start > 0 and rows.stop < height and columns.stop < width
        if inside and max(rows.stop - rows.start, columns.stop - columns.start) <= size:
            holes[labels == name] = 1
    labels = ndimage.label(alpha > 0, ndimage.generate_binary_structure(2, 2))[0]
    for name, (rows, columns) in enumerate(parts(alpha > 0, 2), start=1):
        if max(rows.stop - rows.start, columns.stop - columns.start) <= size:
            specks[labels == name] = 0
    assert np.array_equal(filled(alpha, size), holes)
    assert np.array_equal(despecked(alpha, size), specks)
