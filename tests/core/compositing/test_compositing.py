from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import seeds
from wiseglove.core.compositing import colour, over, pane
from wiseglove.core.compositing.chart import build_chart
from wiseglove.core.geometry.homography import DegenerateQuadError, apply, unit_square_to_quad
from wiseglove.core.matte.coverage import Box

FRAME = Box(0, 0, 160, 120)


def test_srgb_values_of_the_standard() -> None:
    # IEC 61966-2-1: linear below 0.04045, else a power of 2.4; 18 % grey encodes to 0.4613561 (from the formula).
    assert colour.decode(np.array([0.0, 0.04045, 0.5, 1.0])) == pytest.approx([0, 0.0031308, 0.2140411, 1], abs=1e-6)
    assert colour.encode(np.array([0.18])) == pytest.approx([0.4613561], abs=1e-6)


@given(st.floats(-2, 8))
def test_encoding_and_decoding_undo_each_other(value: float) -> None:
    assert colour.encode(colour.decode(np.array([value]))) == pytest.approx([value], abs=1e-6)


@pytest.mark.parametrize("linear", [True, False])
def test_eight_bits_survive_the_way_through_working_values(linear: bool) -> None:
    every = np.arange(256, dtype=np.uint8)
    assert (colour.to_display(colour.to_working(every, linear), linear) == every).all()


def test_sixteen_bits_and_floats_round_to_the_nearest_eight() -> None:
    deep = np.array([0, 128, 129, 257, 65535], np.uint16)
    assert colour.to_eight_bits(deep).tolist() == [0, 0, 1, 1, 255]
    assert colour.to_eight_bits(np.array([-1, 0.5, 2], np.float32)).tolist() == [0, 128, 255]


@given(seeds)
def test_over_with_holdout_is_porter_and_duff(seed: int) -> None:
    # Porter & Duff 1984: (A out m) over B, written with premultiplied colours as in their table.
    rng = np.random.default_rng(seed)
    back, front = rng.random((2, 4, 5, 3)).astype(np.float32)
    alpha, nearer = rng.random((2, 4, 5)).astype(np.float32)
    held = alpha * (1 - nearer)
    expected = front * held[..., None] + back * (1 - held[..., None])
    assert over.over_with_holdout(back, front, alpha, nearer) == pytest.approx(expected, abs=1e-6)


def test_what_is_nearer_stays_and_what_is_not_there_changes_nothing() -> None:
    back, front = np.full((2, 2, 3), 0.25, np.float32), np.ones((2, 2, 3), np.float32)
    full, none = np.ones((2, 2), np.float32), np.zeros((2, 2), np.float32)
    assert (over.over_with_holdout(back, front, full, full) == back).all()
    assert (over.over_with_holdout(back, front, none, none) == back).all()
    assert (over.over_with_holdout(back, front, full, none) == front).all()


def test_a_pane_that_fits_the_pixels_shows_the_insert_as_it_is() -> None:
    rng = np.random.default_rng(5)
    insert = cv2.GaussianBlur(rng.random((40, 60, 3)).astype(np.float32), (0, 0), 2)
    corners = np.array([[20, 30], [80, 30], [80, 70], [20, 70]], np.float64)
    laid = pane.lay(insert, corners, FRAME, 1.0, 1)
    assert laid.box == Box(20, 30, 80, 70)
    assert laid.alpha.min() > 1 - 1e-6
    assert laid.colour == pytest.approx(insert, abs=2e-3)


def quad() -> np.ndarray:
    return np.array([[22.3, 18.1], [141.2, 27.9], [133.7, 101.4], [30.5, 92.2]])


def supersampled(insert: np.ndarray, corners: np.ndarray, frame: Box, fine: int = 16) -> np.ndarray:
    """Box-filtered truth: the insert looked up at fine x fine places in each pixel, nearest texel of a big insert."""
    inverse = np.linalg.inv(unit_square_to_quad(corners))
    total = np.zeros((frame.height, frame.width, 3))
    y, x = np.mgrid[: frame.height, : frame.width].astype(np.float64)
    for j in range(fine):
        for i in range(fine):
            at = apply(inverse, np.stack([x + (i + 0.5) / fine, y + (j + 0.5) / fine], axis=-1))
            column = (at[..., 0] * insert.shape[1]).astype(int).clip(0, insert.shape[1] - 1)
            row = (at[..., 1] * insert.shape[0]).astype(int).clip(0, insert.shape[0] - 1)
            total += insert[row, column]
    return total / fine**2


@pytest.mark.parametrize(("samples", "best"), [(pane.PREVIEW, 30.0), (pane.FINAL, 36.0)])
def test_a_fine_chart_does_not_alias(samples: int, best: float) -> None:
    insert = colour.to_working(build_chart(), True)
    laid = pane.lay(insert, quad(), FRAME, 1.0, samples)
    truth = supersampled(insert, quad(), FRAME)[laid.box.slices]
    solid = laid.alpha > 0.999
    error = np.sqrt(np.mean((laid.colour[solid] - truth[solid]) ** 2))
    bilinear = cv2.warpPerspective(
        insert,
        unit_square_to_quad(quad()) @ np.diag([1 / insert.shape[1], 1 / insert.shape[0], 1]),
        (FRAME.width, FRAME.height),
    )[laid.box.slices]
    plain = np.sqrt(np.mean((bilinear[solid] - truth[solid]) ** 2))
    signal = 20 * np.log10(1 / error)
    assert signal > best, f"{signal:.1f} dB"
    assert error < plain / 3


def test_alpha_of_a_pane_is_its_exact_area_and_scales() -> None:
    x, y = quad().T
    area = 0.5 * abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))
    insert = np.ones((8, 8, 3), np.float32)
    assert pane.lay(insert, quad(), FRAME, 1.0, 1).alpha.sum() == pytest.approx(area, rel=1e-4)
    half = pane.lay(insert, quad(), Box(0, 0, 80, 60), 0.5, 1)
    assert half.alpha.sum() == pytest.approx(area / 4, rel=1e-4)


def test_an_inserts_own_alpha_counts() -> None:
    insert = np.zeros((10, 10, 4), np.float32)
    insert[:, :5] = (0.5, 0.25, 0.0, 0.5)
    corners = np.array([[0, 0], [100, 0], [100, 100], [0, 100]], np.float64)
    laid = pane.lay(insert, corners, FRAME, 1.0, 2)
    assert laid.alpha[50, 20] == pytest.approx(0.5, abs=1e-4)
    assert laid.colour[50, 20] == pytest.approx([1.0, 0.5, 0.0], abs=1e-3)
    assert laid.alpha[50, 80] == pytest.approx(0, abs=1e-4)


def test_a_pane_beside_the_frame_or_folded_is_defined() -> None:
    insert = np.ones((8, 8, 3), np.float32)
    assert pane.lay(insert, quad() + 5000, FRAME, 1.0, 2).box.empty
    with pytest.raises(DegenerateQuadError):
        pane.lay(insert, quad()[[0, 2, 1, 3]], FRAME, 1.0, 2)


def test_the_ground_of_a_cutout_is_chequered() -> None:
    ground = over.checks(32, 48, 16)
    assert ground.shape == (32, 48, 3)
    assert ground[0, 0, 0] == ground[17, 17, 0] != ground[0, 17, 0]


@pytest.mark.parametrize(("scale", "channels"), [(1.0, 3), (0.5, 3), (0.25, 4), (2.0, 3)])
def test_a_pane_of_whole_pixels_looks_like_one_that_is_a_hair_off(scale: float, channels: int) -> None:
    """The quick way for upright panes against the general one, on a smooth picture."""
    rng = np.random.default_rng(4)
    insert = cv2.GaussianBlur(rng.random((240, 320, channels), np.float32), (0, 0), 6)
    if channels == 4:
        insert[..., :3] *= insert[..., 3:]
    corners = np.array([[40, 20], [360, 20], [360, 260], [40, 260]], np.float64)
    frame = Box(0, 0, round(400 * scale), round(300 * scale))
    quick = pane.lay(insert, corners, frame, scale, pane.FINAL)
    slow = pane.lay(insert, corners + [[1e-4, 0], [0, 0], [0, 0], [0, 0]], frame, scale, pane.FINAL)
    inner = np.s_[4:-4, 4:-4]
    assert abs(quick.box.width - slow.box.width) <= 1
    height, width = (min(a, b) for a, b in zip(quick.alpha.shape, slow.alpha.shape, strict=True))
    assert np.abs(quick.colour[:height, :width] - slow.colour[:height, :width])[inner].max() < 0.01
    assert np.abs(quick.alpha[:height, :width] - slow.alpha[:height, :width])[inner].max() < 0.01
