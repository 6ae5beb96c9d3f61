"""The clean picture behind what passes: per pixel the colour that most frames agree on, light followed locally."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.parallel import each, rows_at_once

Picture = NDArray[np.float32]
Pixels = NDArray[np.uint8]
CELL = 32
"""Pixels of a cell in which light is compared."""
DIMMEST, BRIGHTEST = 0.6, 1.6
"""How much less or more light there may be, as a factor of display-encoded levels."""
STRANGE = 0.12
"""Share by which a cell's light may differ from the whole picture's; beyond it something else is there."""
EXPLAINED, FEW_CELLS = 3.0, 0.04
"""Levels left over in the middle pixel of a cell whose light is told, and the share of cells that must be."""
SLOPES = 0.5
"""Scale at which slopes are kept."""
LEAST_NOISE = 0.8
"""Grey levels of noise that are always reckoned with."""
FEWEST, LEAST_SHARE = 3, 0.1
"""Frames that must agree on a pixel, at least, and as a share of those that see it."""


@dataclass(frozen=True)
class Behind:
    """picture (h, w, 3) display-encoded 0..255; known (h, w): where it was ever seen; noise: standard deviation in levels."""

    picture: Picture
    known: NDArray[np.bool_]
    noise: float


def light_of(frame: Picture, behind: Picture, seen: NDArray[np.bool_]) -> Picture:
    """How much more light a frame (h, w, 3) has than the picture behind, (h, w, 1): followed by cells, where these are alike.

    A cell's light is the median of its pixels' ratios, where that one factor explains the cell; elsewhere, or where it is
    strange, the middle of those that it explains.
    """
    h, w = frame.shape[:2]
    now: Picture
    then: Picture
    now, then = (summed(np.asarray(p, np.float32)) / np.float32(3) + np.float32(2) for p in (frame, behind))
    ratio = np.where(seen, now / then, np.nan)
    cells = _cells(np.asarray(ratio, np.float32))
    counts = np.isfinite(cells).sum(2)
    middles = _middles(cells, counts)
    rest = _cells(np.asarray(np.where(seen, now, np.nan), np.float32)) - middles[..., None] * _cells(then)
    alike = _middles(np.abs(rest), counts) < EXPLAINED
    good = (counts > CELL * CELL // 40) & alike & (middles > DIMMEST) & (middles < BRIGHTEST)
    whole = float(np.median(middles[good])) if good.mean() > FEW_CELLS else 1.0
    near = good & (np.abs(middles - whole) < STRANGE * whole)
    local = np.where(near, middles, whole).astype(np.float32)
    soft = cv2.GaussianBlur(local, (0, 0), 1.0, borderType=cv2.BORDER_REPLICATE)
    rows, columns = local.shape
    grown = cv2.resize(soft, (columns * CELL, rows * CELL), interpolation=cv2.INTER_LINEAR)[:h, :w]
    return np.asarray(np.clip(grown, DIMMEST, BRIGHTEST)[..., None], np.float32)


def summed(picture: Picture) -> Picture:
    """The sum of the channels of (h, w, c), (h, w)."""
    return np.asarray(cv2.transform(picture, np.ones((1, picture.shape[2]), np.float32)), np.float32)


def _cells(values: Picture) -> Picture:
    """Every other pixel of each cell, (rows, columns, CELL * CELL / 4); what lies outside is not a number."""
    h, w = values.shape
    rows, columns = -(-h // CELL), -(-w // CELL)
    padded = np.full((rows * CELL, columns * CELL), np.nan, np.float32)
    padded[:h, :w] = values
    few = padded[::2, ::2].reshape(rows, CELL // 2, columns, CELL // 2)
    return np.asarray(few.transpose(0, 2, 1, 3).reshape(rows, columns, -1))


def _middles(cells: Picture, counts: NDArray[np.int64]) -> Picture:
    ordered = np.sort(cells, axis=2)  # what is not a number comes last
    return np.asarray(np.take_along_axis(ordered, np.maximum(counts - 1, 0)[..., None] // 2, 2)[..., 0])


def clean_picture(frames: Pixels, seen: NDArray[np.bool_] | None = None) -> Behind:
    """The picture behind from frames (T, h, w, 3) of one view, display-encoded; seen (T, h, w): where they show it.

    First the middle of all frames; against it their light is made alike; then for each pixel the colour and slope in whose
    neighbourhood of the noise's size most frames lie (the mode by a fixed window, Parzen 1962), as a mean of these. So what
    passes may hide a pixel more than half of the time, if it is not plain. Raises ValueError for fewer than FEWEST frames.
    """
    count, h, w = frames.shape[:3]
    if count < FEWEST:
        raise ValueError(f"a clean picture needs at least {FEWEST} frames")
    there = np.ones((count, h, w), bool) if seen is None else seen
    middle = np.empty((h, w, 3), np.float32)
    _middle(frames, there, middle)
    alike, slopes = np.empty_like(frames), np.empty((*frames.shape[:3], 2), np.int8)

    def adjust(k: int) -> None:
        frame = frames[k].astype(np.float32)
        adjusted = frame / light_of(frame, middle, there[k])
        alike[k] = np.clip(np.round(adjusted), 0, 255)
        soft = cv2.GaussianBlur(adjusted.mean(2), (0, 0), 1.0)
        for c in range(2):
            slopes[k, ..., c] = np.clip(cv2.Sobel(soft, -1, 1 - c, c, scale=SLOPES), -127, 127)

    each(adjust, range(count))
    noise = _noise(alike, middle, there)
    picture, agree, spread = np.empty((h, w, 3), np.float32), np.empty((h, w), np.int32), np.empty((h, w), np.float32)
    _most_agree(
        alike, slopes, there, np.float32(3 * noise + 1), np.float32(SLOPES * (4 * noise + 2)), picture, agree, spread
    )
    enough = np.maximum(there.sum(0) * LEAST_SHARE, FEWEST)
    known = agree >= enough
    spreads = spread[known]
    return Behind(picture, known, max(float(np.median(spreads)), LEAST_NOISE) if spreads.size else noise)


def _noise(frames: Pixels, picture: Picture, seen: NDArray[np.bool_]) -> float:
    """Standard deviation of frames (T, h, w, 3) about a picture."""
    return noise_by(np.abs(frames[:, ::4, ::4].astype(np.float32) - picture[::4, ::4])[seen[:, ::4, ::4]])


def noise_by(off: Picture) -> float:
    """Standard deviation of noise about a picture behind, by the lowest quarter of what is off from it, of any shape.

    That quarter is the picture's own as long as what passes covers less than about two thirds of it all; for normal noise it
    ends at 0.319 standard deviations (table of the normal distribution).
    """
    return max(float(np.quantile(off, 0.25)) / 0.319, LEAST_NOISE) if off.size else LEAST_NOISE


@rows_at_once
def _middle(frames, seen, out):  # type: ignore[no-untyped-def]
    """Median over time of each channel, of what is seen."""
    count, h, w, _ = frames.shape
    for y in nb.prange(h):
        values = np.empty(count, np.float32)
        for x in range(w):
            for c in range(3):
                n = 0
                for k in range(count):
                    if seen[k, y, x]:
                        values[n] = frames[k, y, x, c]
                        n += 1
                out[y, x, c] = np.median(values[:n]) if n > 0 else np.float32(0)


@rows_at_once
def _most_agree(frames, slopes, seen, tolerance, slope, out, agree, spread):  # type: ignore[no-untyped-def]
    """For each pixel the mean of the frames that lie within the tolerances of the one that most lie near.

    Frames count more the farther they are spread in time: what passes comes and goes, what is behind is there before and after.
    """
    count, h, w, _ = frames.shape
    for y in nb.prange(h):
        red, green, blue = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
        across, down = np.empty(count, np.float32), np.empty(count, np.float32)
        for x in range(w):
            n = 0
            for k in range(count):
                if seen[k, y, x]:
                    red[n], green[n], blue[n] = frames[k, y, x, 0], frames[k, y, x, 1], frames[k, y, x, 2]
                    across[n], down[n] = slopes[k, y, x, 0], slopes[k, y, x, 1]
                    n += 1
            most, best = np.float32(-1), 0
            for i in range(n):
                near = 0
                first = second = np.float32(0)
                for j in range(n):
                    off = max(abs(red[i] - red[j]), abs(green[i] - green[j]), abs(blue[i] - blue[j]))
                    bend = max(abs(across[i] - across[j]), abs(down[i] - down[j]))
                    if off <= tolerance and bend <= slope:
                        near += 1
                        first += j
                        second += j * j
                mean = first / near
                score = near * np.sqrt(max(second / near - mean * mean, np.float32(0.25)))
                if score > most:
                    most, best = score, i
            r = g = b = squares = np.float32(0)
            m = 0
            for j in range(n):
                off = max(abs(red[best] - red[j]), abs(green[best] - green[j]), abs(blue[best] - blue[j]))
                if off <= tolerance:
                    r += red[j]
                    g += green[j]
                    b += blue[j]
                    squares += red[j] * red[j] + green[j] * green[j] + blue[j] * blue[j]
                    m += 1
            agree[y, x] = m
            rest = squares - (r * r + g * g + b * b) / max(m, 1)
            spread[y, x] = np.sqrt(max(rest, np.float32(0)) / (3 * max(m - 1, 1)))
            if m > 0:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = r / m, g / m, b / m
            else:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = 0
