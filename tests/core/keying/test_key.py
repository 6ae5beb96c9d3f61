"""The key on a stage whose matte is known exactly, beside a one-colour key and closed form (pymatting)."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from tests.core.keying.scene import off, stage
from wiseglove.core.compositing.colour import decode, encode
from wiseglove.core.keying.key import GreyError, Keyer, finished, grain, key, sampled, shrunk, subject
from wiseglove.core.keying.spread import spread

Picture = NDArray[np.float32]


def keyer(picture: Picture) -> Keyer:
    return Keyer(sampled([picture[20:60, 20:60]]))


def core_of(truth: Picture) -> Picture:
    """What an artist draws well inside the subject."""
    return (cv2.erode(truth, np.ones((13, 13), np.uint8)) > 0.99).astype(np.float32)


@pytest.mark.parametrize(("backing", "hair"), [("green", 0.12), ("blue", 0.14)])
def test_edges_blur_and_clear_areas_come_near_the_truth_with_the_same_settings(backing: str, hair: float) -> None:
    picture, truth, where = stage(backing)
    alpha = key(picture, keyer(picture)).alpha
    assert off(alpha, truth, where["blur"]) < 0.08
    assert off(alpha, truth, where["edge"]) < 0.07
    assert off(alpha, truth, where["hair"]) < hair
    assert off(alpha, truth, where["solid"]) < 0.005
    assert off(alpha, truth, where["clear"]) < 0.002


@pytest.mark.parametrize("backing", ["green", "blue"])
def test_a_one_colour_key_is_farther_from_the_truth(backing: str) -> None:
    picture, truth, where = stage(backing, seed=3)
    k = keyer(picture)
    alpha = key(picture, k).alpha
    whole = np.array(k.sample, np.float32)[None, None]
    excess, most = (p[..., k.main] - np.delete(p, k.main, axis=2).max(axis=2) for p in (picture, whole))
    plain = np.clip(1 - excess / most, 0, 1)
    for part in ("blur", "edge", "clear"):
        assert off(alpha, truth, where[part]) < 0.7 * off(plain, truth, where[part])


@pytest.mark.parametrize("backing", ["green", "blue"])
@pytest.mark.parametrize(("noise", "most"), [(0.015, 0.055), (0.03, 0.08)])
def test_heavy_grain_opens_neither_the_subject_nor_the_clear_backing(backing: str, noise: float, most: float) -> None:
    picture, truth, where = stage(backing, seed=3)
    rng = np.random.default_rng(1)
    shown = np.asarray(encode(np.clip(picture, 0, 1))) + rng.normal(0, noise, picture.shape)
    grainy = np.asarray(decode(np.clip(shown, 0, 1)), np.float32)
    alpha = key(grainy, keyer(grainy)).alpha
    assert off(alpha, truth, where["edge"]) < most
    assert off(alpha, truth, where["blur"]) < most
    assert off(alpha, truth, where["solid"]) < 0.002
    assert off(alpha, truth, where["clear"]) < 0.002
    sigma = grain(grainy, keyer(grainy))
    assert grain(picture, keyer(picture)) < sigma < 6 * noise


def test_a_core_fills_what_the_key_leaves_open_and_garbage_goes() -> None:
    picture, truth, _ = stage()
    mirror = np.zeros_like(truth)
    cv2.circle(mirror, (240, 290), 14, 1.0, -1)
    shiny = np.where(mirror[..., None] > 0.5, 0.8 * np.array(keyer(picture).sample, np.float32), picture)
    core = core_of(truth)
    keyed = key(shiny, keyer(picture), core=core)
    inside = (mirror > 0.5).astype(np.float32)
    assert off(key(shiny, keyer(picture)).alpha, truth, inside) > 0.3
    assert off(finished(keyed.alpha, core, None), truth, inside) < 0.02
    garbage = np.zeros_like(truth)
    garbage[:, :200] = 1
    left = finished(keyed.alpha, core, garbage)
    assert left[:, :200].max() == 0
    assert (left[:, 200:] == finished(keyed.alpha, core, None)[:, 200:]).all()


def test_a_clean_plate_tells_the_backing_exactly() -> None:
    picture, truth, where = stage(subsampled=False)
    with_it = key(picture, keyer(picture), clean=spread(picture, where["clear"]))
    assert off(with_it.alpha, truth, where["edge"]) < 0.06


def test_the_subject_on_white_shows_no_halo_of_the_backing() -> None:
    picture, _, where = stage("green")
    k = keyer(picture)
    keyed = key(picture, k)
    own = subject(picture, keyed.alpha, keyed.backing, k)
    soft = where["blur"] + where["edge"] > 0
    greenness = own[..., 1] - np.maximum(own[..., 0], own[..., 2])
    raw = picture[..., 1] - np.maximum(picture[..., 0], picture[..., 2])
    assert greenness[soft].max() < 0.02
    assert raw[soft].max() > 0.1


def test_samples_that_are_no_colour_are_refused_with_what_to_do() -> None:
    rng = np.random.default_rng(0)
    grey = np.full((8, 8, 3), 0.3, np.float32) + rng.normal(0, 0.005, (8, 8, 3)).astype(np.float32)
    with pytest.raises(GreyError, match="nearly grey"):
        sampled([grey])
    half = np.concatenate([np.tile(np.float32([0.05, 0.4, 0.1]), (8, 5, 1)), np.tile(np.float32([0.4, 0.2, 0.15]), (8, 4, 1))], 1)  # fmt: skip
    with pytest.raises(GreyError, match="different colours"):
        sampled([half])
    assert sampled([half[:, :5]]) == pytest.approx((0.05, 0.4, 0.1))


@given(st.floats(-3, 3), st.floats(30, 60))
def test_a_matte_shrinks_by_any_fraction_of_a_pixel(pixels: float, edge: float) -> None:
    row = np.clip(np.arange(96, dtype=np.float32) + 1 - np.float32(edge), 0, 1)
    matte = np.tile(row, (21, 1))
    width = [float(m[10].sum()) for m in (matte, shrunk(matte, pixels))]
    assert width[0] - width[1] == pytest.approx(pixels, abs=0.1)


@given(st.integers(0, 1000))
def test_spreading_keeps_what_is_known_between_its_bounds(seed: int) -> None:
    rng = np.random.default_rng(seed)
    values = rng.uniform(2, 5, (40, 50, 3)).astype(np.float32)
    weight = (rng.random((40, 50)) < rng.uniform(0.01, 1)).astype(np.float32)
    weight[3, 4] = 1
    out = spread(values, weight)
    assert out.min() >= values[weight > 0].min() - 1e-3
    assert out.max() <= values[weight > 0].max() + 1e-3
    flat = spread(np.full((40, 50, 3), 0.7, np.float32), weight)
    assert flat == pytest.approx(np.full((40, 50, 3), 0.7), abs=1e-4)
