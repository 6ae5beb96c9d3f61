"""Holes in a holdout, and covers that are too wide: a pane's picture against what is known to be behind."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.fitting import evened, fit_closed

Matte = NDArray[np.float32]
COVERED, BARE = 0.6, 0.15
"""Difference from which something is there, and up to which the bare pane is seen."""
OUT, IN = 0.15, 0.9
"""Holdout up to which nothing is held out, and from which all is."""
NEAR = 5
"""Pixels from an edge within which a fault is the edge's own and told as its fit."""
SMALLEST = 120
"""Pixels of a place that is worth telling, after NEAR is taken off."""
TOLERANCE = 1.5
"""Pixels by which a proposed outline may be off the place's border."""


@dataclass(frozen=True)
class Hole:
    """A place on a frame: "open" where something is there and nothing is held out, "wide" where the bare pane is held out.

    area in pixels, centre x and y, and its border as an outline (N, 8), in pixels.
    """

    what: str
    area: float
    centre: tuple[float, float]
    outline: Points


def holes(difference: Matte, holdout: Matte, within: NDArray[np.bool_]) -> list[Hole]:
    """What a holdout (h, w) misses and what it takes too much, largest first.

    difference (h, w), 0..1: how much of a pixel is covered by what is not behind; within: where that is known.
    """
    calm = cv2.blur(difference, (5, 5))
    there = (calm > COVERED) & (holdout < OUT) & within
    bare = (calm < BARE) & (holdout > IN) & within
    return sorted([*_places("open", there), *_places("wide", bare)], key=lambda h: -h.area)


def _places(what: str, where: NDArray[np.bool_]) -> list[Hole]:
    around = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * NEAR + 1, 2 * NEAR + 1))
    core = cv2.erode(where.astype(np.uint8), around, borderType=cv2.BORDER_CONSTANT, borderValue=1)
    count, labels, stats, centres = cv2.connectedComponentsWithStats(core, connectivity=8)
    out = []
    for label in range(1, count):
        if stats[label, cv2.CC_STAT_AREA] < SMALLEST:
            continue
        whole = cv2.dilate((labels == label).astype(np.uint8), around) & where.astype(np.uint8)
        lines, _ = cv2.findContours(np.pad(whole, 1), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        line = max(lines, key=len)[:, 0].astype(np.float64) - 0.5
        if len(line) < 12:
            continue
        fitted = fit_closed(evened(line, 2.0), TOLERANCE)
        x, y = centres[label]
        out.append(Hole(what, float(whole.sum()), (float(x) + 0.5, float(y) + 0.5), fitted.points))
    return out
