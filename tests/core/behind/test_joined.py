"""Skin that would do for a shadow of what lies behind it, and shadows that are none of a hand."""

from __future__ import annotations

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from wiseglove.core.behind.clean import Behind
from wiseglove.core.behind.difference import difference_matte

Picture = NDArray[np.float32]
H, W = 160, 240
KEY = (slice(70, 110), slice(60, 180))
AMBER = np.array((210, 155, 80), np.float32)


def glass() -> Picture:
    """A teal pane with an amber key across it."""
    picture = np.empty((H, W, 3), np.float32)
    picture[:] = (34, 96, 92)
    picture[KEY] = AMBER
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), 0.7), np.float32)


def finger() -> Picture:
    """How much of each pixel a finger covers that reaches from below over the key."""
    alpha = np.zeros((H, W), np.float32)
    cv2.line(alpha, (120, 150), (112, 45), 1.0, 30, cv2.LINE_AA)
    return np.asarray(cv2.GaussianBlur(alpha, (0, 0), 1.0), np.float32)


def seen(light: Picture, alpha: Picture, skin: Picture, rng: np.random.Generator) -> tuple[Picture, Behind]:
    """A frame with a finger of a skin before the glass in a light (h, w), and what is behind."""
    frame = glass() * light[..., None] * (1 - alpha[..., None]) + skin * alpha[..., None]
    frame = frame + rng.standard_normal(frame.shape)
    return np.asarray(np.clip(frame, 0, 255), np.float32), Behind(glass(), np.ones((H, W), bool), 1.0)


@settings(max_examples=10, deadline=None)
@given(st.floats(0.4, 0.7), st.integers(0, 100))
def test_a_finger_of_the_keys_own_hue_is_one_finger(share: float, seed: int) -> None:
    alpha = finger()
    frame, behind = seen(np.ones((H, W), np.float32), alpha, AMBER * np.float32(share), np.random.default_rng(seed))
    matte = difference_matte(frame, behind)
    assert matte[KEY][alpha[KEY] > 0.99].mean() > 0.97
    assert np.abs(matte - alpha).mean() < 0.01


@settings(max_examples=10, deadline=None)
@given(st.floats(0.45, 0.8), st.integers(0, 100))
def test_its_shadow_on_the_key_is_none_of_it(light: float, seed: int) -> None:
    alpha = finger()
    beside = np.roll(alpha, (6, 26), axis=(0, 1))
    shade = np.asarray(1 - (1 - light) * cv2.GaussianBlur(beside, (0, 0), 3), np.float32)
    frame, behind = seen(shade, alpha, np.array((196, 138, 112), np.float32), np.random.default_rng(seed))
    matte = difference_matte(frame, behind)
    assert np.abs(matte - alpha).mean() < 0.01
    assert matte[(beside > 0.9) & (alpha < 0.01)].mean() < 0.1


@settings(max_examples=10, deadline=None)
@given(st.floats(0.45, 0.6), st.integers(0, 100))
def test_mottled_hair_of_the_keys_own_hue_is_all_hair(share: float, seed: int) -> None:
    alpha = finger()
    rng = np.random.default_rng(seed)
    mottle = cv2.GaussianBlur(rng.standard_normal((H, W)).astype(np.float32), (0, 0), 5)
    hair = AMBER * np.float32(share) * (1 + 0.07 * mottle / mottle.std())[..., None]
    frame, behind = seen(np.ones((H, W), np.float32), alpha, hair.astype(np.float32), rng)
    matte = difference_matte(frame, behind)
    assert matte[KEY][alpha[KEY] > 0.99].mean() > 0.95
    assert np.abs(matte - alpha).mean() < 0.01
