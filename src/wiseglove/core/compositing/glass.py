"""The glass's own life: what the plate shows on a pane that is not the pane's picture, kept over the insert."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import kernels
from wiseglove.core.compositing.wide import blurred
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
REACH = 15
"""Side of the square from which mirrored light is carried on."""
DEEPEST, LIGHTEST = 0.05, 1.0
"""How deep a shadow can be, and that it never brightens."""


def free(hidden: Matte) -> Matte:
    """1 where nothing is before the pane, nor within two pixels, whose light would be taken for the pane's; else 0."""
    near = cv2.dilate(np.ascontiguousarray(hidden), np.ones((5, 5), np.uint8))
    return np.asarray(near < CLEAR, np.float32)


def dark_level(clean: Layer) -> Layer:
    """The slow, dark level of a clean pane (h, w, 3): its darkest within a window, smoothed; what is above it is reflected."""
    height, width = clean.shape[:2]
    wide = max(round(SLOW * min(height, width)), 1) | 1
    lowest = cv2.erode(clean, np.ones((wide, wide), np.uint8))
    return np.asarray(cv2.GaussianBlur(lowest, (0, 0), wide / 2), np.float32)


def bright_level(clean: Layer) -> Layer:
    """What a clean pane (h, w, 3) that shows a picture can be at the most near each place.

    The plate's own picture is a little beside the clean one, and softer where it moves, and fine strokes are weaker in a mean
    of many frames; only what is brighter than all around is mirrored light, not the old picture's edges.
    """
    around = np.ones((2 * BESIDE + 1, 2 * BESIDE + 1), np.uint8)
    highest = cv2.dilate(clean, around)
    return np.asarray(highest + np.float32(WEAKER) * (highest - cv2.erode(clean, around)), np.float32)


def with_reflections(front: Layer, plate: Layer, dark: Layer, hidden: Matte, amount: float) -> Layer:
    """A front (h, w, 3) with the light on the glass: what the plate has above the glass's dark level; all working values.

    What is mirrored goes on behind what hides it (h, w), so the light close by is carried on under the cover's soft edge.
    """
    seen = free(hidden)
    out = front.copy()
    kernels.reflected(plate, dark, seen, np.float32(amount), out)
    edge = (seen < 1) & (hidden < 1)
    if edge.any():
        rows, columns = np.nonzero(edge.any(1))[0], np.nonzero(edge.any(0))[0]
        part = np.s_[max(rows[0] - REACH, 0) : rows[-1] + REACH, max(columns[0] - REACH, 0) : columns[-1] + REACH]
        light = np.maximum(plate[part] - dark[part], 0) * seen[part][..., None]
        sums, share = cv2.boxFilter(light, -1, (REACH, REACH)), cv2.boxFilter(seen[part], -1, (REACH, REACH))
        around = sums / np.maximum(share, 1e-3)[..., None]
        out[part] += np.where(edge[part][..., None], around * np.float32(amount), 0)
    return out


def shadow(plate: Layer, clean: Layer, hidden: Matte, width: float) -> Layer:
    """How much of its light a pane still gets, (h, w, 1) in 0..1: the slow ratio of the plate to the clean pane.

    hidden (h, w): the covers' matte, where the plate shows no pane; the ratio there is carried on from around. width: px
    over which shadows are told.
    """
    height, wide = hidden.shape
    step = int(min(max(width // 2, 1), 8)) if min(height, wide) >= 64 else 1
    size = (max(wide // step, 1), max(height // step, 1))
    sure = free(hidden)
    layers = [
        cv2.resize(np.ascontiguousarray(each), size, interpolation=cv2.INTER_AREA)
        for each in (_grey(plate) * sure, _grey(clean) * sure, sure)
    ]
    ratio: Layer | None = None
    for deviation in (16 * width / step, 4 * width / step, width / step):  # the narrowest that knows enough
        now, then, share = (blurred(np.asarray(each, np.float32), max(deviation, 0.5)) for each in layers)
        found = now / np.maximum(then, DARK * np.maximum(share, 1e-3))
        known = np.clip(share * 8, 0, 1)
        ratio = np.asarray(found if ratio is None else ratio + (found - ratio) * known, np.float32)
    assert ratio is not None
    grown = cv2.resize(ratio, (wide, height), interpolation=cv2.INTER_LINEAR)[..., None]
    return np.asarray(np.clip(grown, DEEPEST, LIGHTEST), np.float32)


def _grey(picture: Layer) -> Matte:
    return np.asarray(cv2.transform(picture, np.full((1, 3), 1 / 3, np.float32)), np.float32)


def shaded(picture: Layer, light: Layer, amount: float) -> Layer:
    """A picture under a shadow, light (h, w, 1), by an amount of 0..1."""
    return np.asarray(picture * (np.float32(1 - amount) + np.float32(amount) * light), np.float32)
