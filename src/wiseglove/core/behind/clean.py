"""The clean picture behind what passes: per pixel the colour that most frames agree on, light followed locally."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

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
EVEN, SAME, MOST_CELLS = 6.0, 0.8, 0.5
"""Standard deviation in levels up to which a cell is even, correlation from which its structure is the same, and the share of all
cells whose agreement tells the light without structure."""
SLOPES = 0.5
"""Scale at which slopes are kept."""
LEAST_NOISE = 0.8
"""Grey levels of noise that are always reckoned with."""
COARSE, AROUND = 4, (24.0, 24.0, 24.0, 12.0, 12.0, 12.0)
"""Pixels by which it is told how far a frame is covered, and round a place how wide (standard deviation), each time that the colour is
looked for anew by that: a palm that is even all over is told by what is seen beside it first."""
SETTLED = 1e-4
"""The share of pixels up to which it is enough that they changed."""
UNCLEAR = np.float32(0.02)
"""How much a place of which two colours are seen long enough tells of whether a frame is covered."""
FEW = (slice(None, None, 2), slice(None, None, 2))
"""Every other pixel, by which it is told how far frames are covered."""
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
    present, past = _cells(np.asarray(np.where(seen, now, np.nan), np.float32)), _cells(then)
    rest = present - middles[..., None] * past
    alike = _middles(np.abs(rest), counts) < EXPLAINED
    good = (counts > CELL * CELL // 40) & alike & (middles > DIMMEST) & (middles < BRIGHTEST)
    whole = _of_all(middles, good, good & _same_structure(present, past))
    near = good & (np.abs(middles - whole) < STRANGE * whole)
    local = np.where(near, middles, whole).astype(np.float32)
    soft = cv2.GaussianBlur(local, (0, 0), 1.0, borderType=cv2.BORDER_REPLICATE)
    rows, columns = local.shape
    grown = cv2.resize(soft, (columns * CELL, rows * CELL), interpolation=cv2.INTER_LINEAR)[:h, :w]
    return np.asarray(np.clip(grown, DIMMEST, BRIGHTEST)[..., None], np.float32)


def _of_all(light: Picture, told: NDArray[np.bool_], structured: NDArray[np.bool_]) -> float:
    """The light of a whole picture from that of its cells.

    Cells with structure of their own witness for it: one factor explains them by chance only. Even cells do when most of the
    picture agrees; what passes before an even wall is even as well, and looks like other light. Else light is as it was.
    """
    if structured.mean() > FEW_CELLS:
        return float(np.median(light[structured]))
    middle = float(np.median(light[told])) if told.any() else 1.0
    return middle if (told & (np.abs(light - middle) < STRANGE * middle)).mean() > MOST_CELLS else 1.0


def _same_structure(present: Picture, past: Picture) -> NDArray[np.bool_]:
    """Which cells (rows, columns, n) have structure, and the same in both, what is not a number left out."""
    seen = np.isfinite(present)
    count = np.maximum(seen.sum(2), 1)
    now, then = (np.where(seen, v, 0) for v in (present, past))
    now, then = (np.where(seen, v - (v.sum(2) / count)[..., None], 0) for v in (now, then))
    own, other, both = ((a * b).sum(2) / count for a, b in ((then, then), (now, now), (now, then)))
    return np.asarray((own > EVEN**2) & (both > SAME * np.sqrt(own * other)))


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
    neighbourhood of the noise's size most frames lie (the mode by a fixed window, Parzen 1962), as a mean of these; where two
    colours are seen for long, again with less weight for frames that are covered all round. So what passes may hide a pixel more
    than half of the time, if something stirs beside it. Raises ValueError for fewer than FEWEST frames.
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
    enough = np.maximum(there.sum(0) * LEAST_SHARE, FEWEST)
    picture, agree, spread = np.empty((h, w, 3), np.float32), np.zeros((h, w), np.int32), np.empty((h, w), np.float32)
    clear, covered = np.empty((h, w), np.float32), np.zeros((count, -(-h // COARSE), -(-w // COARSE)), np.float32)
    off = np.zeros((count, -(-h // 2), -(-w // 2)), bool)
    near, bend = np.float32(3 * noise + 1), np.float32(SLOPES * (4 * noise + 2))
    for turn in range(1 + len(AROUND)):
        before = agree.copy()
        _most_agree(alike, slopes, there, covered, near, bend, turn > 0, picture, agree, spread, clear)
        settled = turn > 0 and AROUND[turn - 1] == AROUND[-1] and (before != agree).mean() < SETTLED
        if turn == len(AROUND) or clear.min() > UNCLEAR or settled:
            break
        each(partial(_differs, alike, picture, there, near, off), range(count))
        weight = np.where(off.sum(0) >= FEWEST, clear[FEW], np.float32(0))
        each(partial(_covered, off, weight, there, AROUND[turn], covered), range(count))
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
    """Median over time of each channel (8 bits), of what is seen, by how often each level is (Huang et al. 1979)."""
    count, h, w, _ = frames.shape
    for y in nb.prange(h):
        levels = np.empty(256, np.int32)
        for x in range(w):
            for c in range(3):
                levels[:] = 0
                n = 0
                for k in range(count):
                    if seen[k, y, x]:
                        levels[frames[k, y, x, c]] += 1
                        n += 1
                low, below = 0, levels[0]
                while below < (n + 1) // 2:
                    low += 1
                    below += levels[low]
                high = low
                while below < n // 2 + 1 and high < 255:
                    high += 1
                    below += levels[high]
                out[y, x, c] = np.float32(low + high) / np.float32(2) if n > 0 else np.float32(0)


def _differs(
    frames: Pixels, picture: Picture, seen: NDArray[np.bool_], tolerance: np.float32, out: NDArray[np.bool_], k: int
) -> None:
    """Where frame k differs from a picture, of every other pixel; written into out[k]."""
    out[k] = (np.abs(frames[k][FEW] - picture[FEW]).max(2) > tolerance) & seen[k][FEW]


def _covered(
    off: NDArray[np.bool_], weight: Picture, seen: NDArray[np.bool_], around: float, out: Picture, k: int
) -> None:
    """How far round each place (rows, columns by COARSE pixels) frame k is covered; written into out[k].

    off (T, ...): where frames differ; weight: how clearly that tells it, both of every other pixel. around: standard deviation in
    pixels.
    """
    told = np.where(seen[k][FEW], weight, np.float32(0))
    size = (out.shape[2], out.shape[1])
    sums = (cv2.resize(v, size, interpolation=cv2.INTER_AREA) for v in (told * off[k], told))
    there, whole = (cv2.GaussianBlur(v, (0, 0), around / COARSE) for v in sums)
    out[k] = there / np.maximum(whole, 1e-3)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _largest(colours, bends, bare, n, tolerance, slope, anew):  # type: ignore[no-untyped-def]
    """The frame of n that most lie near, and how many those are.

    At first frames count more the farther they are spread in time: what passes comes and goes, what is behind is there before and
    after. Later by how bare they are (n,).
    """
    most, best, many = np.float32(0), -1, 0
    for i in range(n):
        count = 0
        near = first = second = np.float32(0)
        for j in range(n):
            off = max(
                abs(colours[0, i] - colours[0, j]),
                abs(colours[1, i] - colours[1, j]),
                abs(colours[2, i] - colours[2, j]),
            )
            bend = max(abs(bends[0, i] - bends[0, j]), abs(bends[1, i] - bends[1, j]))
            if off <= tolerance and bend <= slope:
                count += 1
                at = bends[2, j]
                near += bare[j]
                first += bare[j] * at
                second += bare[j] * at * at
        total = max(near, np.float32(1e-6))
        mean = first / total
        score = near if anew else near * np.sqrt(max(second / total - mean * mean, np.float32(0.25)))
        if best < 0 or score > most:
            most, best, many = score, i, count
        if count == n:
            break  # no other has more
    return best, many


@rows_at_once
def _most_agree(frames, slopes, seen, covered, tolerance, slope, anew, out, agree, spread, clear):  # type: ignore[no-untyped-def]
    """For each pixel the mean of the frames that lie within the tolerances of the one that most lie near.

    A frame counts the less the more it is covered all round. clear: UNCLEAR where enough other frames agree on another colour, up
    to 1 where none do; what is clear already is not looked at anew.
    """
    count, h, w, _ = frames.shape
    for y in nb.prange(h):
        colours, bends = np.empty((3, count), np.float32), np.empty((3, count), np.float32)
        bare, sums = np.empty(count, np.float32), np.empty(3, np.float32)
        for x in range(w):
            if anew and clear[y, x] > UNCLEAR:
                continue
            n = 0
            for k in range(count):
                if seen[k, y, x]:
                    for c in range(3):
                        colours[c, n] = frames[k, y, x, c]
                    bends[0, n], bends[1, n], bends[2, n] = slopes[k, y, x, 0], slopes[k, y, x, 1], n
                    bare[n] = (np.float32(1) - covered[k, y // COARSE, x // COARSE]) ** 2
                    n += 1
            best, _ = _largest(colours, bends, bare, n, tolerance, slope, anew)
            red, green, blue = colours[0, best], colours[1, best], colours[2, best]
            sums[:] = 0
            squares, rest = np.float32(0), 0
            for j in range(n):
                if max(abs(red - colours[0, j]), abs(green - colours[1, j]), abs(blue - colours[2, j])) > tolerance:
                    for c in range(3):  # they move up
                        colours[c, rest], bends[c, rest] = colours[c, j], bends[c, j]
                    bare[rest] = bare[j]
                    rest += 1
                    continue
                for c in range(3):
                    sums[c] += colours[c, j]
                    squares += colours[c, j] * colours[c, j]
            m = n - rest
            agree[y, x] = m
            for c in range(3):
                squares -= sums[c] * sums[c] / max(m, 1)
                out[y, x, c] = sums[c] / max(m, 1)
            spread[y, x] = np.sqrt(max(squares, np.float32(0)) / (3 * max(m - 1, 1)))
            clear[y, x] = np.float32(1)
            if rest < FEWEST:
                continue
            _, other = _largest(colours, bends, bare, rest, tolerance, slope, anew)
            enough = max(n * np.float32(LEAST_SHARE), np.float32(FEWEST))
            clear[y, x] = max(np.float32(1) - other / enough, UNCLEAR)
