"""Where a carrier looks, as pictures of what counts."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def filled(points: NDArray[np.float64], shape: tuple[int, int]) -> NDArray[np.float32]:
    """What lies within a polygon (N, 2), as 1 in a picture (h, w) of 0; a pixel counts by its centre."""
    mask = np.zeros(shape, np.uint8)
    fixed = np.round((np.clip(points, -16000, 16000) - 0.5) * 256).astype(np.int32)
    cv2.fillPoly(mask, [fixed], 1, cv2.LINE_8, 8)
    return mask.astype(np.float32)
