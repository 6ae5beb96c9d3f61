"""How far it is to the nearest place of something, and which that is."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def distance(where: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Pixels from each place inside to the nearest outside; 0 outside."""
    return np.asarray(cv2.distanceTransform(where.view(np.uint8), cv2.DIST_L2, 5), np.float32)


def nearest_of(source: NDArray[np.bool_]) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """The nearest place of a source for each pixel: labels (h, w), and for each label a place, counted in rows."""
    _, labels = cv2.distanceTransformWithLabels(
        (~source).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    places = np.flatnonzero(source)
    nearest = np.zeros(len(places) + 1, np.int64)
    nearest[labels.ravel()[places]] = places
    return np.asarray(labels, np.int32), nearest
