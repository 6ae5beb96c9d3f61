"""What the rows of "sit in" compute, against published formulas, other packages and known truth."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageChops
from scipy import signal
from skimage.color import deltaE_ciede2000, rgb2lab

from wiseglove.core.compositing import (
    alpha,
    blend,
    cover_edges,
    difference,
    glass,
    grade,
    grain,
    screen_light,
    soft_focus,
    wide,
    worn,
)

RNG = np.random.default_rng(4)
SHARMA = """
50 2.6772 -79.7751 50 0 -82.7485 2.0425; 50 3.1571 -77.2803 50 0 -82.7485 2.8615; 50 2.8361 -74.02 50 0 -82.7485 3.4412
50 -1.3802 -84.2814 50 0 -82.7485 1.0; 50 -1.1848 -84.8006 50 0 -82.7485 1.0; 50 -0.9009 -85.5211 50 0 -82.7485 1.0
50 0 0 50 -1 2 2.3669; 50 -1 2 50 0 0 2.3669; 50 2.49 -0.001 50 -2.49 0.0009 7.1792; 50 2.49 -0.001 50 -2.49 0.001 7.1792
50 2.49 -0.001 50 -2.49 0.0011 7.2195; 50 2.49 -0.001 50 -2.49 0.0012 7.2195; 50 -0.001 2.49 50 0.0009 -2.49 4.8045
50 -0.001 2.49 50 0.001 -2.49 4.8045; 50 -0.001 2.49 50 0.0011 -2.49 4.7461; 50 2.5 0 50 0 -2.5 4.3065
50 2.5 0 73 25 -18 27.1492; 50 2.5 0 61 -5 29 22.8977; 50 2.5 0 56 -27 -3 31.903; 50 2.5 0 58 24 15 19.4535
50 2.5 0 50 3.1736 0.5854 1.0; 50 2.5 0 50 3.2972 0 1.0; 50 2.5 0 50 1.8634 0.5757 1.0; 50 2.5 0 50 3.2592 0.335 1.0
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644; 63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.263
61.2901 3.7196 -5.3901 61.4292 2.248 -4.962 1.8731; 35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.694 23.0331 14.973 -42.5619 2.0373; 36.4612 47.858 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.441 91.1528 -1.6435 0.0447 1.4441; 90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377; 2.0776 0.0795 -1.135 0.9033 -0.0636 -0.5514 0.9082
"""
"""Test data of Sharma, Wu and Dalal 2005, "The CIEDE2000 color-difference formula", table 1: two colours and their difference."""


def test_colour_differences_are_those_that_were_published() -> None:
    rows = np.array([[float(v) for v in row.split()] for row in SHARMA.replace("\n", ";").split(";") if row.strip()])
    assert len(rows) == 34
    assert np.abs(difference.ciede2000(rows[:, :3], rows[:, 3:6]) - rows[:, 6]).max() < 1e-4


def test_colours_and_differences_agree_with_scikit_image() -> None:
    one, other = RNG.random((2, 500, 3))
    assert np.abs(difference.lab(one) - rgb2lab(one)).max() < 0.02  # its white point has fewer digits
    ours = difference.ciede2000(rgb2lab(one), rgb2lab(other))
    assert np.abs(ours - deltaE_ciede2000(rgb2lab(one), rgb2lab(other))).max() < 1e-6


@pytest.mark.parametrize(
    ("mode", "theirs"),
    [
        ("screen", ImageChops.screen), ("multiply", ImageChops.multiply), ("overlay", ImageChops.overlay),
        ("lighten", ImageChops.lighter), ("darken", ImageChops.darker), ("add", ImageChops.add),
    ],
)  # fmt: skip
def test_blend_modes_are_those_of_pillow(mode: blend.Mode, theirs: object) -> None:
    """Pillow computes with whole levels, so one level either way is the same."""
    back, front = RNG.integers(0, 256, (2, 32, 32, 3), dtype=np.uint8)
    expected = np.asarray(theirs(Image.fromarray(back), Image.fromarray(front)), int)  # type: ignore[operator]
    ours = blend.blended(back.astype(np.float32) / 255, front.astype(np.float32) / 255, mode)
    assert np.abs(np.clip(ours, 0, 1) * 255 - expected).max() <= 2.0


def test_soft_light_is_the_published_formula() -> None:
    """W3C Compositing and Blending Level 1, section 9.1.9: B(cb, cs), worked by hand at four places."""
    back, front = np.array([0.2, 0.2, 0.64, 0.64]), np.array([0.25, 0.75, 0.25, 0.75])
    dark = ((16 * 0.2 - 12) * 0.2 + 4) * 0.2
    expected = [0.2 - 0.5 * 0.2 * 0.8, 0.2 + 0.5 * (dark - 0.2), 0.64 - 0.5 * 0.64 * 0.36, 0.64 + 0.5 * (0.8 - 0.64)]
    pictures = [np.repeat(each.astype(np.float32).reshape(1, 4, 1), 3, axis=2) for each in (back, front)]
    assert np.allclose(blend.blended(*pictures, "soft-light")[0], np.array(expected)[:, None], atol=1e-6)
    half = blend.blended(*pictures, "soft-light", 0.5)[0, :, 0]
    assert np.allclose(half, (np.array(expected) + front) / 2, atol=1e-6)


@given(st.sampled_from(blend.MODES), st.floats(0, 1), st.floats(0, 1))
def test_no_blend_mode_makes_darkness_negative(mode: blend.Mode, back: float, front: float) -> None:
    out = blend.blended(np.full((1, 1, 3), back, np.float32), np.full((1, 1, 3), front, np.float32), mode)
    assert np.isfinite(out).all()
    assert (out >= -1e-6).all()


def _grainy(count: int, side: int = 256) -> list[np.ndarray]:
    """A still ramp with coloured grain that grows with light, and is coarser in blue."""
    ramp = np.linspace(0.1, 0.5, side, dtype=np.float32)[None, :, None] * np.ones((side, 1, 3), np.float32)
    out = []
    for _ in range(count):
        noise = RNG.standard_normal((side, side, 3)).astype(np.float32)
        for c, width in enumerate((0.6, 0.8, 1.2)):
            noise[..., c] = wide.blurred(noise[..., c], width)
        out.append(ramp + noise * (0.01 + 0.05 * ramp))
    return out


def test_laid_grain_has_the_power_of_the_measured_in_every_octave() -> None:
    """The spectrum by SciPy's Welch (1967) along the rows: within 10 % in each octave that holds 1 % of the power."""
    found = grain.measured(_grainy(6, 448))
    ramp = np.linspace(0.1, 0.5, 256, dtype=np.float32)[None, :, None] * np.ones((256, 1, 3), np.float32)
    ours = np.stack([grain.laid_on(ramp, found, f) - ramp for f in range(24)])
    theirs = np.stack([p - ramp for p in _grainy(24)])
    for c in range(3):
        f, mine = signal.welch(ours[..., c], nperseg=64, axis=2)
        _, true = signal.welch(theirs[..., c], nperseg=64, axis=2)
        for low, high in ((0.25, 0.5), (0.125, 0.25), (0.0625, 0.125)):
            band = (f > low) & (f <= high)
            assert mine[:, :, band].sum() == pytest.approx(true[:, :, band].sum(), rel=0.10)


def test_grain_follows_the_light_and_is_the_same_on_the_same_frame() -> None:
    found = grain.measured(_grainy(4))
    dark, light = (np.full((128, 128, 3), v, np.float32) for v in (0.12, 0.48))
    assert grain.laid_on(light, found, 5).std() > 1.5 * grain.laid_on(dark, found, 5).std()
    assert (grain.laid_on(dark, found, 5) == grain.laid_on(dark, found, 5)).all()
    assert (grain.laid_on(dark, found, 5) != grain.laid_on(dark, found, 6)).any()
    part = grain.laid_on(dark[40:80, 30:90], found, 5, corner=(30, 40))
    assert np.allclose(part, grain.laid_on(dark, found, 5)[40:80, 30:90])  # parts of a frame fit together


def test_where_everything_moves_no_grain_is_told() -> None:
    base = RNG.random((256, 600, 3)).astype(np.float32)
    moving = [wide.blurred(base, 6.0)[:, k * 30 : k * 30 + 128] * 3 for k in range(4)]
    with pytest.raises(ValueError, match="Nothing stands still"):
        grain.measured([m[:60, :60] for m in moving])


@pytest.mark.parametrize("softness", [0.7, 1.2, 2.0, 3.0])
def test_softness_of_a_border_is_measured(softness: float) -> None:
    fine = np.zeros((240 * 4, 320 * 4), np.float32)
    fine[60 * 4 : 180 * 4, 80 * 4 : 240 * 4] = 0.8
    picture = wide.blurred(fine, softness * 4).reshape(240, 4, 320, 4).mean((1, 3))
    picture += 0.1 + RNG.normal(0, 0.003, picture.shape).astype(np.float32)
    corners = np.array([[80, 60], [240, 60], [240, 180], [80, 180.0]])
    found = soft_focus.edge_softness(picture.astype(np.float32), corners)
    assert found == pytest.approx(np.hypot(softness, 1 / np.sqrt(12)), rel=0.08, abs=0.08)


def test_a_border_without_an_edge_tells_no_softness() -> None:
    flat = np.full((200, 200), 0.3, np.float32)
    assert soft_focus.edge_softness(flat, np.array([[50, 50], [150, 50], [150, 150], [50, 150.0]])) is None


@given(st.floats(0.3, 6.0))
def test_a_disc_is_even_and_loses_no_light(radius: float) -> None:
    kernel = soft_focus.disc(radius)
    assert kernel.sum() == pytest.approx(1, abs=1e-5)
    assert np.allclose(kernel, kernel[::-1, ::-1])


def test_depth_blur_goes_from_sharp_to_soft() -> None:
    picture = np.repeat((np.arange(200) % 8 < 4).astype(np.float32)[None, :, None], 60, axis=0) * np.ones(3, np.float32)
    radii = np.broadcast_to(np.linspace(0, 6, 200, dtype=np.float32), (60, 200))
    out = soft_focus.depth_blurred(picture, np.ascontiguousarray(radii))
    contrast = [float(np.ptp(out[30, x : x + 8])) for x in (4, 60, 120, 180)]
    assert contrast[0] > 0.95
    assert contrast == sorted(contrast, reverse=True)
    assert contrast[-1] < 0.3


def test_the_old_screen_goes_from_the_edge_of_a_cover() -> None:
    """A cover of even colour over an old screen, its matte known: a third of the rim's error at most is left."""
    y, x = np.mgrid[:160, :160]
    m = np.clip((50.0 - np.hypot(x - 80, y - 80)) / 6 + 0.5, 0, 1).astype(np.float32)
    cover = np.array([0.45, 0.3, 0.2], np.float32) * (1 + 0.1 * np.sin(x / 9)[..., None].astype(np.float32))
    old = np.array([0.1, 0.6, 0.7], np.float32) * (1 + 0.2 * np.cos(y / 15)[..., None].astype(np.float32))
    plate = (cover * m[..., None] + old * (1 - m[..., None]) + RNG.normal(0, 0.004, (160, 160, 3))).astype(np.float32)
    own = cover_edges.own_share(plate, m)
    rim = (m > 0.02) & (m < 0.98)
    for insert in (0.0, 1.0):
        true = cover * m[..., None] + insert * (1 - m[..., None])
        without = plate * m[..., None] + insert * (1 - m[..., None])
        with_ = own + insert * (1 - m[..., None])
        assert np.abs(with_ - true)[rim].mean() < np.abs(without - true)[rim].mean() / 3
    assert (own[m == 1] == plate[m == 1]).all()
    assert (own[m == 0] == 0).all()


def test_a_shadow_on_the_pane_is_told_and_goes_on_behind_the_hand() -> None:
    clean = np.full((200, 300, 3), 0.3, np.float32)
    light = np.ones((200, 300), np.float32)
    light[:, 100:220] = 0.5
    light = wide.blurred(light, 6.0)
    hidden = np.zeros((200, 300), np.float32)
    hidden[60:120, 140:180] = 1
    plate = clean * light[..., None]
    plate[hidden > 0] = (0.8, 0.6, 0.5)
    told = glass.shade(np.ones_like(plate), plate, glass.grey_level(clean), hidden, 8.0, 1.0)[..., 0]
    assert np.abs(told - light)[hidden == 0].mean() < 0.03
    assert told[90, 160] == pytest.approx(0.5, abs=0.06)


def test_reflections_are_added_where_the_glass_is_seen() -> None:
    dark = np.full((60, 80, 3), 0.02, np.float32)
    plate = dark.copy()
    plate[20:30, 20:30] += 0.2
    hidden = np.zeros((60, 80), np.float32)
    hidden[40:, 40:] = 1
    plate[hidden > 0] = 0.9
    front = np.full((60, 80, 3), 0.5, np.float32)
    out = glass.with_reflections(front, plate, dark, hidden, 1.0)
    assert out[25, 25, 0] == pytest.approx(0.7, abs=1e-5)
    assert out[5, 5, 0] == pytest.approx(0.5, abs=1e-5)
    assert out[38:42, 38:42].max() < 0.51  # the hand's own light is none of the glass's


def test_a_lit_screen_that_is_a_little_beside_its_clean_picture_leaves_no_ghost_and_keeps_its_reflections() -> None:
    text_mask = np.zeros((160, 240), np.uint8)
    cv2.putText(text_mask, "18.5", (30, 110), cv2.FONT_HERSHEY_SIMPLEX, 2.4, 255, 5, cv2.LINE_AA)
    clean = np.repeat(text_mask[..., None] / np.float32(255) * np.float32(0.7) + np.float32(0.05), 3, axis=2)
    beside = np.array([[1, 0, 1.6], [0, 1, -1.2]])
    plate = cv2.warpAffine(clean, beside, (240, 160), borderMode=cv2.BORDER_REPLICATE)
    mirrored = np.zeros((160, 240), np.float32)
    cv2.circle(mirrored, (200, 30), 22, 0.5, -1, cv2.LINE_AA)
    mirrored = cv2.GaussianBlur(mirrored, (0, 0), 3)
    front, hidden = np.full_like(clean, 0.3), np.zeros((160, 240), np.float32)
    seen = glass.with_reflections(front, plate + mirrored[..., None], glass.bright_level(clean), hidden, 1.0) - front
    naive = glass.with_reflections(front, plate + mirrored[..., None], clean, hidden, 1.0) - front
    text = np.s_[60:120, 20:170]
    assert naive[text].max() > 0.3  # the old picture's edges
    assert seen[text].max() < 0.02
    alone = np.s_[10:50, 180:220]
    assert np.abs(seen[alone][..., 0] - mirrored[alone]).max() < 0.02


@given(st.floats(0, 0.2), st.floats(0.5, 2), st.floats(0.3, 3))
def test_levels_put_black_and_white_where_they_are_wanted(black: float, white: float, gamma: float) -> None:
    how = grade.Grade((black, black, black), (white, white, white), gamma, 1.0)
    ends = np.stack([np.zeros((1, 3)), np.ones((1, 3))]).astype(np.float32)
    out = grade.graded(ends, how)
    assert np.allclose(out[0], black, atol=1e-5)
    assert np.allclose(out[1], white, atol=1e-4)


def test_no_saturation_is_grey_of_the_same_luminance() -> None:
    picture = RNG.random((5, 5, 3)).astype(np.float32)
    grey = grade.graded(picture, grade.Grade(saturation=0.0))
    assert np.allclose(grey, (picture @ grade.LUMA)[..., None], atol=1e-5)


def test_a_grey_pick_tints_the_white_and_a_black_one_is_refused() -> None:
    tinted = grade.neutral(np.ones(3, np.float32), np.array([0.4, 0.3, 0.2], np.float32))
    assert tinted @ grade.LUMA == pytest.approx(1, abs=1e-5)
    assert tinted[0] > tinted[1] > tinted[2]
    with pytest.raises(ValueError, match="too dark"):
        grade.neutral(np.ones(3, np.float32), np.zeros(3, np.float32))


def test_alpha_is_told_straight_from_premultiplied() -> None:
    y, x = np.mgrid[:80, :80]
    a = np.clip((30 - np.hypot(x - 40, y - 40)) / 12 + 0.5, 0, 1)
    colour = 0.35 + 0.3 * np.sin(x / 11)[..., None] * np.array([1, 0.5, 0.2]) + np.zeros((80, 80, 3))
    straight = np.dstack([colour * (a > 0)[..., None], a])
    premultiplied = np.dstack([colour * a[..., None], a])
    for scale, dtype in ((255, np.uint8), (65535, np.uint16), (1, np.float32)):
        assert alpha.kind_of((straight * scale).astype(dtype)) == "straight"
        assert alpha.kind_of((premultiplied * scale).astype(dtype)) == "premultiplied"
    opaque = np.ones((20, 20, 4), np.float32)
    assert alpha.kind_of(opaque) == "straight"


def test_a_worn_picture_keeps_its_size_and_its_light_where_nothing_darkens() -> None:
    picture = RNG.random((60, 100, 3)).astype(np.float32)
    assert worn.worn(picture, worn.NEW) is picture
    coarse = worn.worn(picture, worn.Worn(coarse=10))
    assert coarse.shape == picture.shape
    assert len(np.unique(coarse[0, :, 0])) <= 10
    assert coarse.mean() == pytest.approx(picture.mean(), rel=0.01)
    fallen = worn.worn(np.ones((60, 100, 3), np.float32), worn.Worn(vignette=0.5))
    assert fallen[30, 50, 0] > 0.99
    assert fallen[0, 0, 0] == pytest.approx(0.5, abs=0.03)


@given(st.floats(0.4, 30.0))
def test_wide_blur_is_a_gaussian(deviation: float) -> None:
    dot = np.zeros((301, 301), np.float32)
    dot[150, 150] = 1
    out = wide.blurred(dot, deviation)
    at = np.arange(301) - 150
    total = float(out.sum())
    assert total == pytest.approx(1, abs=0.02)
    spread = np.sqrt((out.sum(0) * at**2).sum() / total)
    assert spread == pytest.approx(np.hypot(deviation, 0.0), rel=0.12, abs=0.25)


@pytest.mark.parametrize("width", [3.0, 6.0, 9.0, 12.0, 15.0, 30.0])
def test_light_that_is_spread_on_a_smaller_picture_is_that_of_the_whole_one(width: float) -> None:
    """Against OpenCV's Gaussians of the picture in full size."""
    picture = np.zeros((240, 400, 3), np.float32)
    picture[90:150, 130:260] = (1.0, 0.6, 0.2)
    picture[110:130, 140:250:3] = 0
    exact = [cv2.GaussianBlur(picture, (0, 0), w, borderType=cv2.BORDER_CONSTANT) for w in (width, 4 * width)]
    step = screen_light.step_for(width)
    small = cv2.resize(picture, (400 // step, 240 // step), interpolation=cv2.INTER_AREA)
    grown = cv2.resize(screen_light.spread_light(small, width, step), (400, 240), interpolation=cv2.INTER_LINEAR)
    assert grown == pytest.approx((exact[0] + exact[1]) / 2, abs=0.015)
