"""The glass's own life: what the plate shows on a pane that is not the pane's picture, kept over the insert."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import sit_kernels
from wiseglove.core.compositing.wide import SPARE
from wiseglove.core.matte.coverage import Matte

Layer = NDArray[np.float32]
SLOW = 0.12
"""Width, as a share of the pane's shorter side, of what is slow: the dark level of the glass, and shadows."""
DARK = 0.004
"""Light (working values) of the glass below which a ratio says nothing."""
CLEAR = 0.02
"""Matte up to which nothing is before the pane."""
BESIDE = 3
"""Pixels by which a pane's old picture may be off its clean one."""
WEAKER = 0.4
"""Share of their contrast by which fine strokes may be weaker there."""
UNKNOWN = -1e4
"""Light of a clean pane where it is not known, so that whatever it is mixed with is below nothing."""
REACH = 15
"""Side of the square from which mirrored light is carried on."""
DEEPEST, LIGHTEST = 0.05, 1.0
"""How deep a shadow can be, and that it never brightens."""


def free(hidden: Matte) -> NDArray[np.uint8]:
    """1 where nothing is before the pane, nor within two pixels, whose light would be taken for the pane's; else 0."""
    clear = np.asarray(hidden < CLEAR).view(np.uint8)
    return np.asarray(cv2.erode(clear, np.ones((5, 5), np.uint8)), np.uint8)


def grey_level(clean: Layer) -> Matte:
    """How light a clean pane (h, w, 3 or premultiplied 4) is, (h, w); far below nothing where it is not known."""
    grey = np.asarray(
        cv2.transform(np.ascontiguousarray(clean[..., :3]), np.full((1, 3), 1 / 3, np.float32)), np.float32
    )
    return grey if clean.shape[2] == 3 else np.where(clean[..., 3] > 1 - CLEAR, grey, np.float32(UNKNOWN))


def dark_level(clean: Layer) -> Layer:
    """The slow, dark level of a clean pane (h, w, 3 or 4): its darkest within a window, smoothed; what is above it is reflected."""
    height, width = clean.shape[:2]
    wide = max(round(SLOW * min(height, width)), 1) | 1
    lowest = cv2.erode(np.ascontiguousarray(clean[..., :3]), np.ones((wide, wide), np.uint8))
    return np.asarray(cv2.GaussianBlur(lowest, (0, 0), wide / 2), np.float32)


def bright_level(clean: Layer) -> Layer:
    """What a clean pane (h, w, 3 or 4) that shows a picture can be at the most near each place.

    The plate's own picture is a little beside the clean one, and softer where it moves, and fine strokes are weaker in a mean
    of many frames; only what is brighter than all around is mirrored light, not the old picture's edges.
    """
    around = np.ones((2 * BESIDE + 1, 2 * BESIDE + 1), np.uint8)
    clean = np.ascontiguousarray(clean[..., :3])
    highest = cv2.dilate(clean, around)
    return np.asarray(highest + np.float32(WEAKER) * (highest - cv2.erode(clean, around)), np.float32)


def with_reflections(front: Layer, plate: Layer, dark: Layer, hidden: Matte, amount: float) -> Layer:
    """A front (h, w, 3) with the light on the glass: what the plate has above the glass's dark level; all working values.

    dark (h, w, 3 or more channels, of which three count). What is mirrored goes on behind what hides it (h, w), so the
    light close by is carried on under the cover's soft edge.
    """
    seen, strength = free(hidden), np.float32(amount)
    front, plate, dark = (np.ascontiguousarray(each) for each in (front, plate, dark))
    out = np.empty(front.shape, np.float32)
    sit_kernels.reflected(front, plate, dark, seen, strength, out)
    edge = (seen < 1) & (hidden < 1)
    rows, columns = np.flatnonzero(edge.any(1)), np.flatnonzero(edge.any(0))
    if len(rows):
        part = np.s_[max(rows[0] - REACH, 0) : rows[-1] + REACH, max(columns[0] - REACH, 0) : columns[-1] + REACH]
        here = [np.ascontiguousarray(each[part]) for each in (plate, dark, seen)]
        light = np.empty((*here[2].shape, 4), np.float32)
        sit_kernels.reflected_once(here[0], here[1], here[2], light)
        around = cv2.boxFilter(light, -1, (REACH, REACH))
        under = np.ascontiguousarray(out[part])
        sit_kernels.carried_under(around, np.ascontiguousarray(edge[part]), strength, under)
        out[part] = under
    return out


def shade(picture: Layer, plate: Layer, clean: Matte, hidden: Matte, width: float, amount: float) -> Layer:
    """A picture (h, w, 3) under the shadow on a pane, by an amount of 0..1: the slow ratio of the plate to the pane's grey (h, w).

    hidden (h, w): the covers' matte, where the plate shows no pane; the ratio there is carried on from around. width: px
    over which shadows are told.
    """
    step, ratio = _slow_ratio(plate, clean, hidden, width)
    grown = cv2.resize(ratio, (ratio.shape[1] * step, ratio.shape[0]), interpolation=cv2.INTER_LINEAR)
    across = np.ascontiguousarray(grown[:, : picture.shape[1]])
    out = np.empty(picture.shape, np.float32)
    sit_kernels.shaded(np.ascontiguousarray(picture), across, step, np.float32(amount), out)
    return out


def _slow_ratio(plate: Layer, clean: Matte, hidden: Matte, width: float) -> tuple[int, Matte]:
    """The ratio, and how many times smaller than the picture it is told."""
    height, wide = hidden.shape
    step = int(min(max(width // 2, 1), 8)) if min(height, wide) >= 64 else 1
    layers = np.empty((-(-height // step), -(-wide // step), 3), np.float32)
    sit_kernels.compared(np.ascontiguousarray(plate), np.ascontiguousarray(clean), free(hidden), step, layers)
    deviations = [max(times * width / step, 0.5) for times in (16, 4, 1)]  # the narrowest that knows enough
    shrunk = [1 << int(np.log2(max(deviation / SPARE, 1))) for deviation in deviations]
    rows, columns = (-(-side // shrunk[0]) * shrunk[0] for side in layers.shape[:2])
    whole = cv2.copyMakeBorder(layers, 0, rows - layers.shape[0], 0, columns - layers.shape[1], cv2.BORDER_REPLICATE)
    ratio: Layer | None = None
    for deviation, smaller in zip(deviations, shrunk, strict=True):
        size = (columns // smaller, rows // smaller)
        part = whole if smaller == 1 else cv2.resize(whole, size, interpolation=cv2.INTER_AREA)
        soft = cv2.GaussianBlur(part, (0, 0), deviation / smaller, borderType=cv2.BORDER_REPLICATE)
        now, then, share = cv2.split(soft)
        found = now / np.maximum(then, DARK * np.maximum(share, 1e-3))
        if ratio is not None:
            wider = cv2.resize(ratio, size, interpolation=cv2.INTER_LINEAR)
            found = wider + (found - wider) * np.minimum(share * 8, 1)
        ratio = np.asarray(found, np.float32)
    assert ratio is not None
    return step, np.clip(ratio[: layers.shape[0], : layers.shape[1]], DEEPEST, LIGHTEST)
