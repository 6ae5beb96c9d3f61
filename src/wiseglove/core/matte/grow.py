"""Growing and shrinking an outline by fractions of a pixel, as a true offset of its curve."""

from __future__ import annotations

import numpy as np
import shapely

from wiseglove.core.matte.soft import Line

ARC = 24
"""Pieces of a quarter circle at a corner that grows round."""


def grown(line: Line, by: float) -> list[Line]:
    """A closed polyline with widths (M, 4) moved outwards by `by` pixels (inwards where negative).

    The offset is that of the area, so parts that meet melt together and parts that vanish are gone; the result may
    be several lines, or none. Each vertex keeps the widths of the nearest one before.
    """
    area = shapely.make_valid(shapely.Polygon(line[:, :2]), method="structure", keep_collapsed=False)
    moved = shapely.buffer(area, by, quad_segs=ARC)
    before = shapely.STRtree(shapely.points(line[:, :2])) if line[:, 2:].any() else None
    rings: list[Line] = []
    for polygon in getattr(moved, "geoms", [moved]):
        for ring in (polygon.exterior, *polygon.interiors) if not polygon.is_empty else ():
            places = np.array(ring.coords)[:, :2]
            widths = line[before.nearest(shapely.points(places)), 2:] if before else np.zeros_like(places)
            rings.append(np.concatenate([places, widths], axis=1))
    return rings
