"""A camera that stands is told from one that moves, whoever passes and whatever is behind."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from wiseglove.core.behind.locked import moved

Picture = NDArray[np.float32]
H, W = 360, 640
BACKS = ("louvres", "out of focus", "sharp")


def behind(name: str, rng: np.random.Generator) -> Picture:
    """A wall of louvres over a rough floor, a soft greenhouse, or sharp leaves; larger than a picture."""
    h, w = H + 80, W + 80
    noise = rng.standard_normal((h, w)).astype(np.float32)
    if name == "louvres":
        picture = np.repeat(110 + 40 * np.sign(np.sin(np.arange(h) / 2.2))[:, None], w, axis=1).astype(np.float32)
        picture[300:] = 90 + 60 * cv2.GaussianBlur(noise, (0, 0), 2)[300:]
        return cv2.GaussianBlur(picture, (0, 0), 0.8)
    soft = cv2.GaussianBlur(noise, (0, 0), 9 if name == "out of focus" else 2)
    return np.asarray(100 + 25 * soft / soft.std(), np.float32)


def someone(picture: Picture, x: int) -> Picture:
    """A person in checks at a place, a sixth of the picture's width: the corners there are the strongest."""
    out = picture.copy()
    v, u = np.mgrid[40:330, 0:100]
    out[40:330, x : x + 100] = np.where((v // 9 + u // 9) % 2 == 0, 230, 30)
    return out


def seen(picture: Picture, shift: tuple[float, float], rng: np.random.Generator, noise: float) -> Picture:
    """A picture through a camera that has moved by so much, with grain."""
    matrix = np.array([[1, 0, shift[0] - 40], [0, 1, shift[1] - 40]], np.float64)
    out = cv2.warpAffine(picture, matrix, (W, H))
    return np.asarray(np.clip(out + noise * rng.standard_normal((H, W)), 0, 255), np.float32)


@settings(max_examples=20, deadline=None)
@given(st.sampled_from(BACKS), st.integers(-6, 60), st.floats(0.5, 3.0), st.floats(0.8, 1.2))
def test_who_passes_is_no_camera_that_moves(back: str, way: int, noise: float, light: float) -> None:
    rng = np.random.default_rng(abs(way))
    bare = behind(back, rng)
    one = seen(someone(bare, 200), (0, 0), rng, noise)
    other = seen(light * someone(bare, 200 + way), (0, 0), rng, noise)
    assert moved(one, other) <= 1


@pytest.mark.parametrize("back", BACKS)
@settings(max_examples=10, deadline=None)
@given(st.floats(-12, 12), st.sampled_from((-10.0, -5.0, 5.0, 10.0)), st.floats(0.5, 3.0))
def test_a_camera_that_moves_is_told(back: str, x: float, y: float, noise: float) -> None:
    rng = np.random.default_rng(5)
    bare = someone(behind(back, rng), 200)
    assert moved(seen(bare, (0, 0), rng, noise), seen(bare, (x, y), rng, noise)) > 1


def test_a_camera_that_turns_or_comes_nearer_is_told() -> None:
    rng = np.random.default_rng(2)
    bare = behind("sharp", rng)
    one = seen(bare, (0, 0), rng, 1.0)
    for turn, size in ((3.0, 1.0), (0.0, 1.06)):
        matrix = cv2.getRotationMatrix2D((W / 2, H / 2), turn, size)
        assert moved(one, cv2.warpAffine(one, matrix, (W, H), borderMode=cv2.BORDER_REFLECT)) > 1


def test_nothing_tells_that_a_bare_wall_moves() -> None:
    rng = np.random.default_rng(3)
    bare = np.full((H + 80, W + 80), 120, np.float32)
    assert moved(seen(bare, (0, 0), rng, 0.5), seen(bare, (8, 0), rng, 0.5)) == 0
