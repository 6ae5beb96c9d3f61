"""Whether a camera stands, by two of its pictures, whoever passes before it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]
MANY, LEAST = 400, 12
"""Features that are followed at most, and at least: with fewer nothing tells that it moves."""
CELLS = (16, 9)
"""Cells of a picture, across and down, that are asked each."""
FINE, EVEN = 1.0, 12.0
"""Pixels over which a picture is calmed, and over which its light is taken out."""
SAME, BETTER = 2.0, 0.7
"""Levels by which a cell that stands is another at most, and share of its difference by which one of two motions explains it better."""
LIGHTER = (0.5, 2.0)
"""Times as much light as there may be on all of the picture."""
MOST, FEW = 0.5, 0.4
"""Shares of cells that the motion explains better, and that stand: from the one on, or below the other, the camera has moved."""


def moved(one: Picture, other: Picture) -> float:
    """How far a camera has moved between two grey pictures (h, w), 0..255, in pixels; 0 where most of the picture stands.

    The motion is that of most features; but who passes may have most of them, before a wall, and along louvres they jump from one to
    the next. So each cell is asked whether it is explained better by that motion or by none.
    """
    places = cv2.goodFeaturesToTrack(one, MANY, 0.01, 8)
    if places is None or len(places) < LEAST:
        return 0.0
    eight = [np.asarray(np.clip(p, 0, 255), np.uint8) for p in (one, other)]
    nowhere: NDArray[np.float32] | None = None
    there, found, _ = cv2.calcOpticalFlowPyrLK(*eight, places, nowhere)  # type: ignore[call-overload]
    steps = (there - places)[found > 0]
    if not len(steps):
        return 0.0
    x, y = np.median(steps, axis=0)
    first, then = (_details(picture) for picture in (one, other))
    light = np.median(_by_cell(np.abs(first)) / np.maximum(_by_cell(np.abs(then)), 0.1))
    then = then * np.float32(np.clip(light, *LIGHTER))
    back = cv2.warpAffine(
        then, np.array([[1, 0, -x], [0, 1, -y]], np.float64), then.shape[::-1], borderMode=cv2.BORDER_REPLICATE
    )
    still, gone = (_by_cell(np.abs(first - picture)) for picture in (then, back))
    stands = ((still < SAME) | (still < BETTER * gone)).mean()
    goes = (gone < BETTER * still).mean()
    return float(np.median(np.linalg.norm(steps, axis=1))) if goes > MOST or stands < FEW else 0.0


def _details(picture: Picture) -> Picture:
    """A picture (h, w) without grain and without its light."""
    calm = cv2.GaussianBlur(picture, (0, 0), FINE)
    return np.asarray(calm - cv2.GaussianBlur(calm, (0, 0), EVEN), np.float32)


def _by_cell(values: Picture) -> Picture:
    """Means of values (h, w) over cells."""
    return np.asarray(cv2.resize(values, CELLS, interpolation=cv2.INTER_AREA), np.float32)
