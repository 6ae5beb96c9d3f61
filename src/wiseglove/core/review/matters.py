"""Where an outline's edge matters: over what is put in behind it, and not inside another cover that stays in front too."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points, flatten

Array = NDArray[np.float64]
AROUND = 4.0
"""Pixels outside a pane within which an edge still shows, beside its soft border."""
HIDDEN = 3.0
"""Pixels inside another cover from which an edge is none."""


def area_of(points: Points) -> shapely.Geometry:
    """What a closed outline (N, 8) encloses, mended where it crosses itself."""
    line = flatten(points, 0.5)
    if len(line) < 4:
        return shapely.Polygon()
    return shapely.make_valid(shapely.Polygon(line), method="structure", keep_collapsed=False)


def matters(
    places: Array, behind: Sequence[shapely.Geometry], grow: Sequence[float], others: Sequence[shapely.Geometry]
) -> NDArray[np.bool_]:
    """Which of places (M, 2) of an edge lie over something behind it, (M,), and are not inside another cover before that.

    behind: areas of panes and subjects, in pixels, each grown by AROUND and by `grow`; others: areas of the other covers.
    """
    over = np.zeros(len(places), bool)
    for area, by in zip(behind, grow, strict=True):
        grown = shapely.buffer(area, AROUND + by, quad_segs=4)
        shapely.prepare(grown)
        over |= shapely.contains_xy(grown, places)
    for area in others:
        hides = shapely.buffer(area, -HIDDEN, quad_segs=4)
        shapely.prepare(hides)
        over &= ~shapely.contains_xy(hides, places)
    return over


def runs_of(frames: Sequence[int], such: Sequence[bool]) -> list[tuple[int, int]]:
    """Runs of neighbouring frames, first and last, of which something is so."""
    out: list[tuple[int, int]] = []
    for frame, so in zip(frames, such, strict=True):
        if not so:
            continue
        if out and out[-1][1] == frame - 1:
            out[-1] = (out[-1][0], frame)
        else:
            out.append((frame, frame))
    return out
