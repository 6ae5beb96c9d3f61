"""Wide Gaussians that cost no more than narrow ones."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Layer = NDArray[np.float32]
SPARE = 3.0
"""Standard deviation in px at which a picture is blurred, made smaller for it where it is to be blurred more."""


def blurred(picture: Layer, deviation: float, border: int = cv2.BORDER_REPLICATE) -> Layer:
    """A picture (h, w) or (h, w, c) with a Gaussian's blur of a standard deviation in px."""
    step = int(max(deviation // SPARE, 1))
    if step == 1 or min(picture.shape[:2]) < 2 * step:
        return np.asarray(cv2.GaussianBlur(picture, (0, 0), max(deviation, 0.3), borderType=border), np.float32)
    height, width = picture.shape[:2]
    padded = cv2.copyMakeBorder(
        picture, 0, -height % step, 0, -width % step, border
    )  # so that whole pixels go together
    small = cv2.resize(padded, (padded.shape[1] // step, padded.shape[0] // step), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), deviation / step, borderType=border)
    grown = cv2.resize(soft, padded.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(grown[:height, :width], np.float32)
