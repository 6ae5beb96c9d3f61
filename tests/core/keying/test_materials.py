"""Colours that only look solid, traced back to what they are mixed from."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from tests.demo.presented import waving
from wiseglove.core.keying.key import key
from wiseglove.core.keying.materials import unmixed

Picture = NDArray[np.float32]
GREEN = np.array([0.045, 0.36, 0.085], np.float32)
SKIN = np.array([0.42, 0.25, 0.17], np.float32)


def blurred(own: Picture, steps: int = 12) -> tuple[Picture, Picture, Picture]:
    """Blocks (20, 40): own colour at the left, then less and less of it, then backing; (sums, share solid, alpha)."""
    alpha = np.clip((20 + steps / 2 - np.arange(40)) / steps, 0, 1).astype(np.float32)
    alpha = np.tile(alpha, (20, 1))
    colours = alpha[..., None] * own + (1 - alpha[..., None]) * GREEN
    excess = colours[..., 1] - np.maximum(colours[..., 0], colours[..., 2])
    share = (excess < 0.05 * (GREEN[1] - GREEN[2])).astype(np.float32)
    return colours * share[..., None], share, alpha


def backing() -> Picture:
    return np.broadcast_to(GREEN, (20, 40, 3)).copy()


def test_what_is_mixed_with_the_backing_gets_the_colour_that_it_is_mixed_from() -> None:
    top, share, alpha = blurred(SKIN)
    told = (share > 0) & (alpha < 0.8)
    assert told.any(), "some of the mixture looks solid"
    found = unmixed(top, share, backing(), None, (1, 0, 2))
    assert np.abs(top - SKIN)[told].max() > 0.1
    assert np.abs(found - SKIN)[told].max() < 0.02
    assert np.array_equal(found[alpha == 1], top[alpha == 1])


def test_what_is_said_to_be_inside_is_taken_at_its_word() -> None:
    top, share, _ = blurred(SKIN)
    assert np.array_equal(unmixed(top, share, backing(), np.ones((20, 40), np.float32), (1, 0, 2)), top)


def test_a_second_cloth_in_the_middle_stays_though_it_could_be_mixed() -> None:
    top, share = np.zeros((30, 40, 3), np.float32), np.zeros((30, 40), np.float32)
    top[2:28, 2:38], share[2:28, 2:38] = SKIN, 1
    cloth = 0.75 * SKIN + 0.25 * GREEN
    top[10:14, 10:20] = cloth
    found = unmixed(top, share, np.broadcast_to(GREEN, top.shape).copy(), None, (1, 0, 2))
    assert np.abs(found[10:14, 10:20] - cloth).max() < 1e-6


@given(st.tuples(*[st.floats(0.02, 0.6)] * 3), st.integers(0, 2**31))
def test_even_cloth_without_any_mixture_stays_as_it_is(own: tuple[float, float, float], seed: int) -> None:
    colour = np.array(own, np.float32)
    share = np.ones((20, 40), np.float32)
    light = np.random.default_rng(seed).uniform(0.98, 1.02, (20, 40, 1)).astype(np.float32)
    top = colour * light
    assert np.array_equal(unmixed(top, share, backing(), None, (1, 0, 2)), top)


def test_nothing_solid_is_no_harm() -> None:
    none = np.zeros((20, 40), np.float32)
    assert not unmixed(np.zeros((20, 40, 3), np.float32), none, backing(), None, (1, 0, 2)).any()


@pytest.mark.parametrize("backing_", ["green", "blue"])
@pytest.mark.parametrize("skin", ["fair", "dark"])
def test_a_fast_open_hand_is_soft_between_its_fingers(backing_: str, skin: str) -> None:
    f = waving(1, backing_, skin)
    alpha = key(f.picture, f.keyer).alpha
    assert f.off(alpha, "blur") < 0.06
    assert f.off(alpha, "solid") < 0.005
    middle = f.where["blur"] & (f.alpha > 0.4) & (f.alpha < 0.8)
    assert abs(float((alpha - f.alpha)[middle].mean())) < 0.1
