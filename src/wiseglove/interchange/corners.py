"""Pane corners as CSV: frame,x1,y1 ... x4,y4, from top left clockwise, in plate pixels."""

from __future__ import annotations

import csv
import io

import numpy as np
from numpy.typing import NDArray

HEADER = ["frame", "x1", "y1", "x2", "y2", "x3", "y3", "x4", "y4"]


def write(frames: NDArray[np.int64], corners: NDArray[np.float64]) -> str:
    """frames (T,), corners (T, 4, 2); four decimals."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(HEADER)
    for frame, quad in zip(frames, corners, strict=True):
        writer.writerow([int(frame), *(f"{v:.4f}" for v in quad.reshape(-1))])
    return out.getvalue()


def read(text: str) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The frames (T,) and corners (T, 4, 2) that `write` wrote. Raises ValueError for another table."""
    rows = list(csv.reader(io.StringIO(text)))
    if not rows or rows[0] != HEADER:
        raise ValueError("this is not a table of pane corners")
    table = np.array(rows[1:], np.float64).reshape(-1, 9)
    return table[:, 0].astype(np.int64), table[:, 1:].reshape(-1, 4, 2)
