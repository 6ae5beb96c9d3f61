"""The subject's own colours from what is surely solid: what only looks solid is traced back to what it is mixed from.

A blurred hand between whose fingers hardly any backing is left has colours that exceed none of the other channels, and
still are a mixture. Such a place changes its colour towards the backing's, and some other colour that is even on the
picture, wherever that is, explains it with the backing there: then its own colour is that other one.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.keying import kernels

Picture = NDArray[np.float32]
EVEN = 0.03
"""Change of the main channel's excess, as a share of all light, over three blocks, below which these are one colour."""
WIDE = 5
"""Blocks across an even place from which on it is what it seems."""
HUES, TONES, LEAST = 24, 2, 6
"""Steps of the shares of two channels, and for each doubling of light, that a material keeps within; its fewest blocks."""
WHOLE = 0.99
"""Share of solid pixels from which on a block is solid."""
FAR = np.float32(9)
"""Beyond every level."""
NONE, ALL = np.float32(0.06), np.float32(0.15)
"""Share of the backing in a mixture from which on its own colour is the other one's a little, and altogether."""


def unmixed(
    top: Picture,
    share: Picture,
    backing: Picture,
    core: Picture | None,
    channels: tuple[int, int, int],
) -> Picture:
    """Sums `top` (j, i, 3) of solid-looking pixels, of which blocks hold a share (j, i), with mixtures traced back.

    backing (j, i, 3): its mean there. core (j, i), 0..1: what is said to be inside, and is taken at its word. channels:
    the main one, and the two others.
    """
    colours, level = np.empty_like(top), np.empty_like(share)
    kernels.levels(top, share, *channels, colours, level)
    around = np.ones((3, 3), np.uint8)
    full = share > WHOLE
    most = cv2.dilate(np.where(full, level, FAR), around)
    least = cv2.erode(np.where(full, level, -FAR), around)
    even = full & (most - least < EVEN)
    wide = cv2.morphologyEx(even.view(np.uint8), cv2.MORPH_OPEN, np.ones((WIDE, WIDE), np.uint8)) > 0
    asked = (share > 0) & ~wide
    if core is not None:
        asked &= core < 0.5
    pure = _materials(colours[even])
    if not len(pure) or not asked.any():
        return top
    mixed, own = np.zeros(share.shape, np.float32), colours.copy()
    kernels.traced(
        colours, backing, _nearest(colours, wide if wide.any() else even), asked, pure, *channels, NONE, mixed, own
    )
    # A mixture with the backing goes on to where the backing is; what is alike in the middle of the subject does not.
    _, number = cv2.connectedComponents(((mixed > NONE) | ~full).view(np.uint8), connectivity=8)
    reaches = np.zeros(int(number.max()) + 1, bool)
    reaches[number[share < 1 - WHOLE]] = True
    reaches[0] = False
    here = reaches[number] & (mixed > NONE)
    weight = np.minimum((mixed[here] - NONE) / (ALL - NONE), 1) * share[here]
    out = top.copy()
    out[here] += (own[here] - colours[here]) * weight[:, None]
    return out


def _nearest(colours: Picture, where: NDArray[np.bool_]) -> Picture:
    """For each block the colour (j, i, 3) of the nearest one of those `where` (j, i)."""
    away = (~where).view(np.uint8)
    _, labels = cv2.distanceTransformWithLabels(away, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    by_label = np.zeros((int(labels.max()) + 1, 3), np.float32)
    by_label[labels[where]] = colours[where]
    return np.asarray(by_label[labels], np.float32)


def _materials(colours: Picture) -> Picture:
    """The different colours (m, 3) among those of even blocks (n, 3), as means."""
    light = colours.sum(axis=1)
    hues = np.clip(colours[:, :2] / np.maximum(light, 1e-3)[:, None], 0, 0.999) * HUES
    tone = np.clip(TONES * np.log2(np.maximum(light, 1e-3)) + 10 * TONES, 0, 15 * TONES)
    which = (hues[:, 0].astype(np.int64) * HUES + hues[:, 1].astype(np.int64)) * (15 * TONES + 1) + tone.astype(
        np.int64
    )
    count = np.bincount(which)
    enough = count >= LEAST
    sums = [np.bincount(which, colours[:, c])[enough] for c in range(3)]
    return np.asarray(np.stack(sums, axis=1) / count[enough, None], np.float32)
