"""How far it is to the nearest place of something, and which that is."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def distance(where: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Pixels from each place inside to the nearest outside; 0 outside."""
    return np.asarray(cv2.distanceTransform(where.view(np.uint8), cv2.DIST_L2, 5), np.float32)


def steps_round(*ways: int) -> NDArray[np.int64]:
    """Steps (n, 2) in x and y: none, and those to the eight places round about at each of some ways along rows and columns."""
    eight = [(i, j) for i in (-1, 0, 1) for j in (-1, 0, 1) if i or j]
    return np.array([(0, 0), *((way * i, way * j) for way in ways for i, j in eight)], np.int64)


def nearest_of(source: NDArray[np.bool_]) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """The nearest place of a source for each pixel: labels (h, w), and for each label a place, counted in rows."""
    _, labels = cv2.distanceTransformWithLabels(
        (~source).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    places = np.flatnonzero(source)
    nearest = np.zeros(len(places) + 1, np.int64)
    nearest[labels.ravel()[places]] = places
    return np.asarray(labels, np.int32), nearest
