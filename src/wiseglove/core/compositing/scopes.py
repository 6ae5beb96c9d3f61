"""Scopes: how the levels of a picture lie across it (waveform), and how often each is there (histogram)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8]
Array = NDArray[np.float64]
WIDE, TALL, BAR = 220, 128, 96
"""Size of a waveform in px, and height of a histogram."""
GROUND = (24, 30, 33)
FULL = 0.02
"""Share of a column's pixels at one level that is drawn as bright as can be."""


def histogram(picture: Pixels, inside: NDArray[np.bool_]) -> NDArray[np.int64]:
    """How many pixels inside have each level, (3, 256)."""
    return np.stack([np.bincount(picture[..., c][inside], minlength=256) for c in range(3)])


def waveform(picture: Pixels, inside: NDArray[np.bool_], columns: int = WIDE) -> NDArray[np.int64]:
    """How many pixels of each column of the part that is inside have each level, (3, 256, columns)."""
    rows, across = np.nonzero(inside)
    out = np.zeros((3, 256, columns), np.int64)
    if not len(across):
        return out
    left, wide = int(across.min()), int(np.ptp(across)) + 1
    column = (across - left) * columns // wide
    for c in range(3):
        np.add.at(out[c], (picture[rows, across, c], column), 1)
    return out


def drawn(pictures: Sequence[Pixels], inside: NDArray[np.bool_]) -> Pixels:
    """Waveforms above histograms of pictures (h, w, 3), side by side, as a picture; light levels are at the top and right."""
    panels = []
    for picture in pictures:
        wave = waveform(picture, inside).reshape(3, TALL, 256 // TALL, WIDE).sum(2)
        of_column = np.maximum(wave.sum(1, keepdims=True), 1)
        light = np.clip(wave / of_column / FULL, 0, 1) ** 0.5
        top = np.moveaxis(light[:, ::-1], 0, -1)
        counts = histogram(picture, inside).reshape(3, 128, 2).sum(2).astype(np.float64)
        tall = np.sqrt(counts / max(float(counts.max()), 1.0)) * BAR
        columns = np.arange(WIDE) * 128 // WIDE
        bars = (np.arange(BAR)[::-1, None, None] < tall.T[columns][None]) * 0.85
        gap = np.zeros((6, WIDE, 3))
        panels.append(np.concatenate([top, gap, bars]))
    side = np.zeros((TALL + 6 + BAR, 8, 3))
    joined = np.concatenate([p for panel in panels for p in (panel, side)][:-1], axis=1)
    return np.asarray(np.array(GROUND) + joined * (np.array([235, 240, 238]) - GROUND), np.uint8)
