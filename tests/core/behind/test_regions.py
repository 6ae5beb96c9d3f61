"""Holes, bays and specks in what covers a known picture: what is seen through it, and what only looks alike."""

from __future__ import annotations

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from skimage.morphology import reconstruction

from tests.core.behind.test_behind import H, W, grainy, seen_alone, wall
from wiseglove.core.behind.difference import difference_matte
from wiseglove.core.behind.mixtures import _from_outside


@settings(max_examples=8, deadline=None)
@given(st.integers(12, 18), st.floats(0.55, 0.8))
def test_what_is_seen_between_two_legs_in_their_shadow_is_no_part_of_them(wide: int, light: float) -> None:
    """Legs that meet above and below, the one striped; what lies behind has a band there like a stripe in the shadow."""
    rng = np.random.default_rng(wide)
    bare = wall()
    bare[60:66] = (100, 150, 220)
    behind = seen_alone(bare, rng)
    legs = np.zeros((H, W), np.float32)
    legs[10:115, 60:150] = 1
    cv2.fillConvexPoly(legs, np.array([(100, 25), (100 + wide, 100), (100, 100)]), 0, cv2.LINE_AA)
    alpha = cv2.GaussianBlur(legs, (0, 0), 1.0)[..., None]
    cloth = np.full((H, W, 3), (60, 100, 170), np.float32)
    cloth[:, 112:][:, np.arange(W - 112) % 12 < 6] = (90, 135, 200)
    seen = grainy(cloth * alpha + light * bare * (1 - alpha), rng)
    seen[:, :40] = bare[:, :40]
    matte = difference_matte(seen, behind)
    assert matte[70:95, 102 : 100 + wide // 2].mean() < 0.15
    assert matte[20:110, 64:96].mean() > 0.97
    assert matte[20:110, 118:146].mean() > 0.97


@settings(max_examples=8, deadline=None)
@given(st.integers(20, 50), st.integers(0, 100))
def test_what_is_mixed_of_two_cloths_is_not_the_wall_that_has_its_colour(smear: int, seed: int) -> None:
    """A glove that moves before a coat: between them they mix to the grey of the wall."""
    rng = np.random.default_rng(seed)
    coat, glove = np.array((104, 124, 160), np.float32), np.array((196, 160, 84), np.float32)
    grey = np.broadcast_to((coat + glove) / 2, (H, W, 3)).astype(np.float32)
    behind = seen_alone(grey, rng, 2.5)
    above = np.zeros((H, W), np.float32)
    above[45:80, 85:125] = 1
    above = cv2.GaussianBlur(cv2.blur(above, (smear, 1)), (0, 0), 1.0)[..., None]
    alpha = np.zeros((H, W), np.float32)
    alpha[15:, 45:165] = 1
    alpha = cv2.GaussianBlur(alpha, (0, 0), 1.0)[..., None]
    seen = grainy((glove * above + coat * (1 - above)) * alpha + grey * (1 - alpha), rng, 2.5)
    assert difference_matte(seen, behind)[25:, 60:150].mean() > 0.995


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000), st.floats(0.5, 4.0))
def test_shares_fall_on_a_way_out_only_as_a_reconstruction_by_erosion_has_it(seed: int, grain: float) -> None:
    """Against scikit-image (Vincent 1993), to the last bit."""
    rng = np.random.default_rng(seed)
    alpha = cv2.GaussianBlur(rng.random((60, 80)).astype(np.float32), (0, 0), grain)
    alpha = (alpha - alpha.min()) / np.ptp(alpha)
    solid = cv2.GaussianBlur(rng.random((60, 80)), (0, 0), 5) > 0.49
    wanted = reconstruction(np.where(solid, 1, alpha).astype(np.float32), alpha, method="erosion")
    assert np.array_equal(_from_outside(alpha, solid), wanted.astype(np.float32))
