"""Places of a pixel, looked up and averaged; against the same done one by one."""

from __future__ import annotations

import threading

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wiseglove.core.compositing import pane, sampled
from wiseglove.core.geometry.homography import unit_square_to_quad
from wiseglove.core.kept import kept
from wiseglove.core.matte.coverage import Box

BOX = Box(3, 2, 27, 41)
QUAD = np.array([[4.0, 3.0], [26.0, 5.0], [24.0, 38.0], [6.0, 36.0]])


def source(seed: int, alpha: bool = True) -> np.ndarray:
    made = np.random.default_rng(seed).random((13, 17, 4), np.float32)
    made[..., 3] = made[..., 3] * 0.9 + 0.1 if alpha else 1
    made[..., :3] *= made[..., 3:]
    return made


def to_source(quad: np.ndarray) -> np.ndarray:
    return np.array([[17, 0, -0.5], [0, 13, -0.5], [0, 0, 1.0]]) @ np.linalg.inv(unit_square_to_quad(quad))


def looked_up(picture: np.ndarray, matrix: np.ndarray, x: float, y: float) -> np.ndarray:
    """Bilinear at one place of the result, the picture going on at its border."""
    u, v, w = matrix @ (x, y, 1)
    u, v = np.clip(u / w, 0, 16), np.clip(v / w, 0, 12)
    i, j = min(int(u), 15), min(int(v), 11)
    a, b = u - i, v - j
    upper = picture[j, i] * (1 - a) + picture[j, i + 1] * a
    return upper * (1 - b) + (picture[j + 1, i] * (1 - a) + picture[j + 1, i + 1] * a) * b


@settings(max_examples=8)
@given(st.integers(0, 99), st.integers(1, 6), st.booleans())
def test_a_pixel_is_the_mean_of_its_places(seed: int, samples: int, even: bool) -> None:
    places = sampled.grid(samples, even)
    picture, matrix = source(seed), to_source(QUAD)
    covered = np.random.default_rng(seed).random((BOX.height, BOX.width), np.float32)
    colour, alpha = sampled.still(picture, matrix, places, covered, BOX)
    for x, y in ((0, 0), (11, 20), (23, 38), (5, 33)):
        each = [looked_up(picture, matrix, BOX.left + x + u, BOX.top + y + v) for u, v in places.at]
        mean = np.average(each, axis=0, weights=places.counts)
        # OpenCV looks up at steps of a 32nd of a pixel.
        assert alpha[y, x] == pytest.approx(mean[3] * covered[y, x], abs=0.03)
        assert colour[y, x] == pytest.approx(mean[:3] / mean[3], abs=0.06)


@given(st.integers(1, 6), st.booleans())
def test_places_lie_in_the_pixel_and_count_one_together(samples: int, even: bool) -> None:
    places = sampled.grid(samples, even)
    assert places.at.shape == (samples**2, 2)
    assert ((places.at > 0) & (places.at < 1)).all()
    assert places.counts.sum() == pytest.approx(1)
    assert places.counts @ places.at == pytest.approx([0.5, 0.5])  # nothing is shifted
    if even:
        assert places.counts == pytest.approx(1 / samples**2)


@pytest.mark.parametrize("samples", [2, 3, 4, 5])
def test_slow_waves_are_told_better_by_places_towards_gauss_and_legendre(samples: int) -> None:
    """How much of a wave along a pixel is left in its mean: sin(pi f) / (pi f), of up to 3/8 of a wave from place to place."""
    waves = np.linspace(0.02, 0.375 * samples, 200)

    def off(places: sampled.Places) -> np.ndarray:
        along = np.outer(waves, places.at[:, 0] - 0.5)
        return np.abs(np.cos(2 * np.pi * along) @ places.counts - np.sinc(waves))

    towards, even = off(sampled.grid(samples, False)), off(sampled.grid(samples, True))
    assert towards.max() < even.max() / 2
    assert towards.mean() < even.mean() / 2
    assert (towards < even + 0.004).all()  # an even grid tells a whole wave exactly


def test_moments_that_are_all_the_same_are_one_and_what_is_covered_more_counts_more() -> None:
    picture, matrix = source(3), to_source(QUAD)
    covered = np.ones((3, BOX.height, BOX.width), np.float32)
    two = sampled.grid(2, False)
    one, alpha = sampled.still(picture, matrix, two, covered[0], BOX)
    three, alphas = sampled.exposed(picture, np.stack([matrix] * 3), [two] * 3, covered, BOX)
    assert np.allclose(one, three, atol=1e-5)
    assert np.allclose(alpha, alphas, atol=1e-5)
    covered[1:] = 0
    apart = np.stack([matrix, to_source(QUAD + 5), to_source(QUAD - 4)])
    first, third = sampled.exposed(picture, apart, [two] * 3, covered, BOX)
    assert np.allclose(first, one, atol=1e-5)
    assert np.allclose(third, alpha / 3, atol=1e-5)


@given(st.integers(1, 40))
def test_single_places_fill_the_pixel_over_the_moments(moments: int) -> None:
    places = sampled.scattered(moments)
    assert places.mean(axis=0) == pytest.approx([0.5, 0.5])
    assert (np.abs(places - 0.5) < 1).all()
    if moments >= 16:  # some in each quarter
        quarters = {(bool(x > 0.5), bool(y > 0.5)) for x, y in places}
        assert len(quarters) == 4


def test_an_insert_is_reduced_once_and_no_more_is_kept_than_may_be() -> None:
    store = pane.Kept(200_000)
    first, second = (np.full((60, 80, 3), v, np.float32) for v in (0.2, 0.7))
    made = store.reduced(first, 40, 30)
    assert made.shape == (30, 40, 4)
    assert store.reduced(first, 40, 30) is made
    assert store.reduced(second, 40, 30)[0, 0, 0] == pytest.approx(0.7)
    for value in range(5):
        store.reduced(np.full((60, 80, 3), value, np.float32), 40, 30)
    assert store.reduced(first, 40, 30) is not made
    huge = np.zeros((300, 300, 3), np.float32)
    assert store.reduced(huge, 20, 20).shape == (20, 20, 4)


def test_a_level_is_spread_over_the_pane_and_ends_where_it_does() -> None:
    grey = np.full((20, 30), 0.4, np.float32)
    box = Box(2, 1, 40, 50)
    seen = pane.spread_over(grey, QUAD, box, 1.0, beyond=-10.0)
    assert seen.shape == (box.height, box.width)
    assert seen[20 - box.top, 15 - box.left] == pytest.approx(0.4)
    assert seen[0, 0] == -10
    assert (pane.spread_over(grey, QUAD, box, 1.0) == np.float32(0.4)).all()


def test_two_objects_compute_at_the_same_time_and_each_only_once() -> None:
    together, times = threading.Barrier(2, timeout=20), []

    class Slow:
        @kept
        def value(self) -> int:
            """Waits for the other one."""
            times.append(self)
            together.wait()
            return id(self)

    both = [Slow(), Slow()]
    threads = [threading.Thread(target=lambda each=each: each.value) for each in both]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [each.value for each in both] == [id(each) for each in both]
    assert len(times) == 2
