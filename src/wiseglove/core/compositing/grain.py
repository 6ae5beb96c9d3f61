"""Grain: how much the plate has, by channel, level and octave, and the same laid on an insert."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.parallel import rows_at_once

Layer = NDArray[np.float32]
Array = NDArray[np.float64]
PER_OCTAVE, BANDS = 4, 18
"""Bands of frequency: what only slanting waves reach, then from half the sampling rate down, four to each octave."""
LEVELS = 8
"""Levels of light at which the strength is told."""
TILE = 512
"""Side of the square of grain that is made once and laid down anew, shifted, for each frame."""
PATCH = 64
"""Side of the squares in which the spectrum is told."""
MOVED = 3.0
"""How many times its middle a square's difference may be before something moved there."""
STEPS = 256
"""Steps of light at which the strength is looked up."""
FEWEST = 4
"""Still squares that are needed."""


@dataclass(frozen=True)
class Grain:
    """levels (K,): working values, rising; strength (K, 3): standard deviation there, by channel.

    octaves (3, BANDS): mean power of the waves in each band, finest first, by channel; they add up to 1.
    """

    levels: tuple[float, ...]
    strength: tuple[tuple[float, float, float], ...]
    octaves: tuple[tuple[float, ...], ...]


def bands(side: int) -> NDArray[np.int64]:
    """The band (0 the finest) of each frequency of a side x side transform, (side, side); -1 for the mean."""
    across = np.fft.fftfreq(side)
    radius = np.hypot(across[:, None], across[None])
    with np.errstate(divide="ignore"):
        octave = np.floor(-PER_OCTAVE * np.log2(np.maximum(radius, 1e-9) / 0.5)).astype(np.int64) + 1
    out = np.asarray(np.clip(octave, 0, BANDS - 1), np.int64)
    out[0, 0] = -1
    return out


def measured(frames: Sequence[Layer], hidden: Layer | None = None) -> Grain:
    """The grain of frames (h, w, 3), working values, that follow each other.

    Half the difference of neighbouring frames holds only grain where nothing moves; squares in which it is far above the
    middle moved. hidden (h, w): 1 where not to look. Raises ValueError where nothing stands still.
    """
    patches, means = _still_squares(frames, hidden)
    if len(patches) < FEWEST:
        raise ValueError(
            "Nothing stands still long enough to tell the grain by. The insert stays as it is; "
            "measure where the camera and the picture are calm, or type the amount."
        )
    from scipy.signal import windows  # takes two seconds to load, in each process

    along = windows.blackmanharris(PATCH)  # its side lobes are low: fine grain is 30 dB weaker than coarse
    window = np.outer(along, along)
    spectra = (
        np.abs(np.fft.fft2((patches - patches.mean((1, 2), keepdims=True)) * window[None, ..., None], axes=(1, 2))) ** 2
    )
    power = spectra.mean(0)
    octave = bands(PATCH)
    levels_of = np.log(np.maximum(power, 1e-30))  # steep within a band, so its middle is that of the logarithms
    shares = np.exp(np.stack([[levels_of[octave == k, c].mean() for k in range(BANDS)] for c in range(3)]))
    shares /= np.maximum(shares.sum(1, keepdims=True), 1e-12)
    levels, strength = _strengths(patches.var((1, 2)), means)
    return Grain(levels, strength, tuple(tuple(map(float, row)) for row in shares))


def _still_squares(frames: Sequence[Layer], hidden: Layer | None) -> tuple[Array, Array]:
    """Squares of grain alone (N, PATCH, PATCH, 3) where nothing moves, and the level they lie on, (N,)."""
    found, means = [], []
    for one, other in itertools.pairwise(frames):
        rest = (other - one).astype(np.float64) / np.sqrt(2)
        for top, left in _squares(rest.shape[0], rest.shape[1]):
            here = np.s_[top : top + PATCH, left : left + PATCH]
            if hidden is None or hidden[here].max(initial=0) < 0.02:
                found.append(rest[here])
                means.append(float(one[here].mean()))
    if not found:
        return np.zeros((0, PATCH, PATCH, 3)), np.zeros(0)
    patches, level = np.stack(found), np.array(means)
    # What moves is smooth: it is the coarse part of the difference that tells it.
    coarse = np.stack([cv2.resize(p, (4, 4), interpolation=cv2.INTER_AREA).std() for p in patches])
    fine = patches.std((1, 2, 3))
    ratio = coarse / np.maximum(fine, 1e-9)
    calm = (ratio < MOVED * max(float(np.quantile(ratio, 0.25)), 4 / PATCH)) & (
        fine < MOVED * max(float(np.quantile(fine, 0.25)), 1e-6)
    )
    return patches[calm], level[calm]


def _squares(height: int, width: int) -> Iterator[tuple[int, int]]:
    for top in range(0, height - PATCH + 1, PATCH):
        for left in range(0, width - PATCH + 1, PATCH):
            yield top, left


def _strengths(variances: Array, means: Array) -> tuple[tuple[float, ...], tuple[tuple[float, float, float], ...]]:
    """Levels that are there, and the standard deviation at each: the median of the squares about it."""
    edges = np.quantile(means, np.linspace(0, 1, LEVELS + 1))
    levels: list[float] = []
    strength: list[tuple[float, float, float]] = []
    for low, high in itertools.pairwise(edges):
        inside = (means >= low) & (means <= high)
        if inside.any() and (not levels or means[inside].mean() > levels[-1] + 1e-4):
            levels.append(float(means[inside].mean()))
            each = np.sqrt(np.median(variances[inside], axis=0))
            strength.append((float(each[0]), float(each[1]), float(each[2])))
    return tuple(levels), tuple(strength)


@lru_cache(maxsize=4)
def _tile(octaves: tuple[tuple[float, ...], ...]) -> Layer:
    """Grain of strength 1 whose power is spread over the octaves, (TILE, TILE, 3); it goes on at its ends."""
    rng = np.random.default_rng(20)
    out = np.empty((TILE, TILE, 3), np.float32)
    for c, shares in enumerate(octaves):
        flat = np.fft.fft2(rng.standard_normal((TILE, TILE)))
        flat /= np.maximum(np.abs(flat), 1e-12)  # only its phases are random, so the power is what is wanted exactly
        shaped = np.real(np.fft.ifft2(flat * np.sqrt(_density(np.array(shares)))))
        out[..., c] = shaped / max(float(shaped.std()), 1e-12)
    return out


def _radius(side: int) -> Array:
    """The logarithm of each frequency of a side x side transform."""
    across = np.fft.fftfreq(side)
    return np.asarray(np.log(np.maximum(np.hypot(across[:, None], across[None]), 0.25 / side)))


def _density(power: Array) -> Array:
    """The power (TILE, TILE) of each wave of the tile: even in the logarithms of power and frequency between the bands."""
    measured_at, octave = _radius(PATCH), bands(PATCH)
    middles = np.array([measured_at[octave == k].mean() for k in range(BANDS)])[::-1]
    radius = _radius(TILE)
    out = np.exp(np.interp(radius, middles, np.log(np.maximum(power, 1e-9))[::-1]))
    out[0, 0] = 0
    return np.asarray(out)


def laid_on(picture: Layer, grain: Grain, frame: int, amount: float = 1.0, corner: tuple[int, int] = (0, 0)) -> Layer:
    """A picture (h, w, 3), working values, with grain; the same frame always gets the same.

    corner: where the picture's first pixel lies in the frame (x, y), so that parts of a frame fit together.
    """
    if amount <= 0 or not grain.levels:
        return picture
    height, width = picture.shape[:2]
    rng = np.random.default_rng([frame & 0xFFFFFFFF, 7])
    shift = rng.integers(0, TILE, 2)
    steps = np.linspace(0.0, 1.0, STEPS) ** 2  # finer where it is dark
    levels = np.array(grain.levels)
    table = np.stack([np.interp(steps, levels, [row[c] for row in grain.strength]) for c in range(3)], axis=1)
    out = np.empty((height, width, 3), np.float32)
    top, left = (corner[1] + int(shift[0])) % TILE, (corner[0] + int(shift[1])) % TILE
    _lay(np.ascontiguousarray(picture), _tile(grain.octaves), (table * amount).astype(np.float32), top, left, out)
    return out


@rows_at_once
def _lay(picture, tile, table, top, left, out):  # type: ignore[no-untyped-def]
    """The picture with the tile's grain from (top, left) on, as strong as its light says."""
    third, most, none, one = np.float32(1 / 3), np.float32(STEPS - 1), np.float32(0), np.float32(1)
    for y in nb.prange(picture.shape[0]):
        grains = tile[(y + top) % TILE]
        column = nb.uint32(left % TILE)
        for x in range(picture.shape[1]):
            light = (picture[y, x, 0] + picture[y, x, 1] + picture[y, x, 2]) * third
            at = nb.uint32(np.sqrt(min(max(light, none), one)) * most)
            for c in range(3):
                out[y, x, c] = picture[y, x, c] + grains[column, c] * table[at, c]
            column = column + nb.uint32(1) if column < nb.uint32(TILE - 1) else nb.uint32(0)
