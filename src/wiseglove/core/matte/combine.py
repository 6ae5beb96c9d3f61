"""How the outlines of one cover make its matte."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import numpy as np

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.matte.coverage import Box, Matte, box_of, coverage

Mode = Literal["adds", "cuts", "limits"]


def cover_matte(outlines: Iterable[tuple[Mode, Points]], box: Box, scale: float = 1.0) -> Matte:
    """A cover's matte over a box: outlines in order add (union), cut (difference) or limit (intersection).

    Coverages are combined as if independent within a pixel, the assumption of Porter & Duff 1984.
    """
    matte = np.zeros((box.height, box.width), np.float32)
    for mode, points in outlines:
        if mode == "limits":
            matte *= coverage(points, box, scale)
            continue
        part = box_of(points, scale).within(box)
        if part.empty:
            continue
        rows, columns = Box(
            part.left - box.left, part.top - box.top, part.right - box.left, part.bottom - box.top
        ).slices
        inside = coverage(points, part, scale)
        here = matte[rows, columns]
        matte[rows, columns] = here + inside - here * inside if mode == "adds" else here * (1.0 - inside)
    return matte
