"""Holes in a holdout, and covers that are too wide: a pane's picture against what is known to be behind."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import decode
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.fitting import evened, fit_closed

Matte = NDArray[np.float32]
Picture = NDArray[np.float32]
COVERED, BARE = 0.6, 0.15
"""Difference from which something is there, and up to which the bare pane is seen."""
OUT, IN = 0.15, 0.9
"""Holdout up to which nothing is held out, and from which all is."""
NEAR = 5
"""Pixels from an edge within which a fault is the edge's own and told as its fit."""
SMALLEST = 120
"""Pixels of a place that is worth telling, after NEAR is taken off."""
DIMMEST, BRIGHTEST = 0.2, 4.0
"""Light, as a factor, by which the same surface may be darker (a shadow) or brighter (a lamp that went on)."""
TINTED, FAINT = 0.12, 0.008
"""What may be left of a channel then, in shares of the brightest one, and what counts as none, in linear light."""
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


def holes(difference: Matte, holdout: Matte, within: NDArray[np.bool_], frame: Picture, behind: Picture) -> list[Hole]:
    """What a holdout (h, w) misses and what it takes too much, largest first.

    difference (h, w), 0..1: how much of a pixel is covered by what is not behind; within: where that is known. frame and behind
    (h, w, 3), display-encoded 0..255: what is darker or brighter by one factor in all channels is shadow or light, and no hole.
    """
    calm = cv2.blur(difference, (5, 5))
    there = (calm > COVERED) & (holdout < OUT) & within
    bare = (calm < BARE) & (holdout > IN) & within
    open_ = [h for h in _places("open", there) if not _relit(h, there, frame, behind)]
    return sorted([*open_, *_places("wide", bare)], key=lambda h: -h.area)


def _relit(hole: Hole, there: NDArray[np.bool_], frame: Picture, behind: Picture) -> bool:
    """Whether a place is what lies behind it in other light: one factor in all channels, in linear light."""
    x, y = (int(v) for v in hole.centre)
    size = max(int(np.sqrt(hole.area) / 2), 3)
    part = (slice(max(y - size, 0), y + size + 1), slice(max(x - size, 0), x + size + 1))
    inside = there[part]
    if not inside.any():
        return False
    now, then = (decode(np.clip(p[part][inside] / 255, 0, 1)).mean(axis=0) + 1e-4 for p in (frame, behind))
    light = float(now @ then / (then @ then))
    rest = float(np.abs(now - light * then).max())
    return DIMMEST < light < BRIGHTEST and rest < TINTED * float(now.max()) + FAINT


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
