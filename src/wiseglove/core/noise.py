"""What of a picture is noise, told by a single frame."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]
SECOND = np.array([1, -2, 1], np.float32)
UNSHARED = np.outer(SECOND, SECOND) / 6
"""Second differences across of those down (Immerkaer 1996, "Fast noise variance estimation"); the squares add up to 1."""


def unshared(picture: Picture) -> Picture:
    """How much each pixel (h, w, ...) has that its neighbours do not share; noise keeps its standard deviation."""
    return np.asarray(np.abs(cv2.filter2D(picture, -1, UNSHARED)), np.float32)
