"""A pane's corners as CSV: frame,status,confidence,x1,y1 ... x4,y4, from top left clockwise, in plate pixels."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

HEADER = ["frame", "status", "confidence", "x1", "y1", "x2", "y2", "x3", "y3", "x4", "y4"]


@dataclass(frozen=True)
class Row:
    """A frame; corners (4, 2), or None where there are none, as on a lost frame that was only solved."""

    frame: int
    status: str
    confidence: float
    corners: NDArray[np.float64] | None


def write(rows: list[Row]) -> str:
    """The table; four decimals, and nothing in place of corners that are not there."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(HEADER)
    for row in rows:
        numbers = [""] * 8 if row.corners is None else [f"{v:.4f}" for v in row.corners.reshape(-1)]
        writer.writerow([row.frame, row.status, f"{row.confidence:.3f}", *numbers])
    return out.getvalue()


def read(text: str) -> list[Row]:
    """What `write` wrote. Raises ValueError for another table."""
    rows = list(csv.reader(io.StringIO(text)))
    if not rows or rows[0] != HEADER:
        raise ValueError("this is not a table of a solved pane")
    return [
        Row(int(r[0]), r[1], float(r[2]), np.array(r[3:], np.float64).reshape(4, 2) if r[3] else None) for r in rows[1:]
    ]
