"""What moves so fast that its edge is smeared over more pixels than an edge is looked at."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from wiseglove.core.behind.clean import Behind
from wiseglove.core.behind.difference import difference_matte
from wiseglove.core.behind.distances import distance
from wiseglove.core.behind.wide import smeared
from wiseglove.core.compositing.colour import decode, encode

Picture = NDArray[np.float32]
H, W, LEFT = 200, 320, 130
JACKET = np.array((150, 96, 84), np.float32)


def pane(rng: np.random.Generator) -> Picture:
    """A screen with soft patches and bright strokes."""
    soft = cv2.GaussianBlur(rng.standard_normal((H, W, 3)).astype(np.float32), (0, 0), 9)
    picture = np.asarray((40, 96, 92) + 120 * soft, np.float32)
    cv2.line(picture, (0, 60), (W, 110), (220, 228, 224), 3, cv2.LINE_AA)
    return np.clip(picture, 10, 240)


def passing(rng: np.random.Generator, smear: int, cloth: Picture) -> tuple[Picture, Behind, Picture]:
    """A frame with something that comes from the right, what is behind it, and how much of each pixel it covers."""
    empty = pane(rng)
    sharp = np.zeros((H, W), np.float32)
    sharp[:, LEFT:] = 1
    alpha = cv2.blur(sharp, (smear, 1)) if smear > 1 else sharp
    light = decode(cloth / 255) * alpha[..., None] + decode(empty / 255) * (1 - alpha[..., None])
    frame = 255 * encode(light) + rng.standard_normal((H, W, 3))
    return np.asarray(np.clip(frame, 0, 255), np.float32), Behind(empty, np.ones((H, W), bool), 1.0), alpha


def wrong(matte: Picture, alpha: Picture) -> float:
    """Pixels wrongly covered for each of its edge."""
    return float(np.abs(matte - alpha)[20:-20].sum(axis=1).mean())


@settings(max_examples=8, deadline=None)
@given(st.integers(26, 44), st.integers(0, 100))
def test_a_smear_is_covered_as_much_as_light_was_taken(smear: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    cloth = np.asarray(JACKET + 3 * rng.standard_normal((H, W, 1)), np.float32)
    frame, behind, alpha = passing(rng, smear, cloth)
    assert (
        wrong(difference_matte(frame, behind), alpha) < 0.1 * smear
    )  # a sharp edge in its middle is a quarter of it off


@settings(max_examples=10, deadline=None)
@given(st.integers(1, 5), st.floats(0.25, 0.9), st.integers(0, 100))
def test_light_that_falls_off_towards_an_edge_is_no_smear(smear: int, rim: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    into = np.clip((np.arange(W) - LEFT) / 40, 0, 1)[:, None]
    frame, behind, alpha = passing(
        rng, smear, np.asarray(np.tile(JACKET * (rim + (1 - rim) * into), (H, 1, 1)), np.float32)
    )
    solid = alpha > 0.1
    found = smeared(frame, behind.picture, solid, behind.known, 1.0)
    assert not any(each.at_it[20:-20].any() for each in found)


def test_the_rim_of_what_is_known_is_no_edge_of_what_goes_on_there() -> None:
    rng = np.random.default_rng(6)
    frame, behind, alpha = passing(rng, 36, np.asarray(np.tile(JACKET, (H, W, 1)), np.float32))
    known = np.zeros((H, W), bool)
    known[:, : LEFT + 75] = True
    found, *_ = smeared(frame, behind.picture, (alpha > 0.1) & known, known, 1.0)
    assert found.at_it[5:-5, LEFT : LEFT + 13].all()
    assert not (found.source & ~known).any()
    assert found.way[H // 2, LEFT + 12] == pytest.approx(27 / 46, abs=0.06)


def test_what_is_thin_has_no_colour_of_its_own_to_be_told_by() -> None:
    rng = np.random.default_rng(7)
    frame, behind, alpha = passing(rng, 36, np.asarray(np.tile(JACKET, (H, W, 1)), np.float32))
    thin = (alpha > 0.1) & (np.arange(W) < LEFT + 10)
    assert distance(thin).max() < 20
    assert smeared(frame, behind.picture, thin, behind.known, 1.0) == []
