"""Finds a reference again in a frame, wherever it is: SIFT features (Lowe 2004) agreed on by MAGSAC++ (Barath 2020)."""

from __future__ import annotations

import threading

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.motion.models import Model, fitted
from wiseglove.core.motion.reference import Reference

Matrix = NDArray[np.float64]
Picture = NDArray[np.float32]
LONG = 800
"""Pictures are searched at this width at most, in pixels."""
AGREED = 10


class Finder:
    """Knows the features of a reference, from the first time that they are asked for."""

    def __init__(self, reference: Reference, model: Model) -> None:
        self.model = model
        self._lock = threading.Lock()
        self._sift = cv2.SIFT.create(nfeatures=1500, contrastThreshold=0.02)
        self._reference = reference
        self._features: tuple[Matrix, NDArray[np.float32]] | None = None

    def _known(self) -> tuple[Matrix, NDArray[np.float32]]:
        """Places (N, 2) and descriptions (N, 128) of the reference's features."""
        with self._lock:
            if self._features is None:
                reference = self._reference
                mask = (reference.masks[0] > 0.5).astype(np.uint8) * 255
                points, described = self._sift.detectAndCompute(_bytes(reference.picture), mask)
                places = np.array([p.pt for p in points], np.float64).reshape(-1, 2) + 0.5
                places += (reference.left, reference.top)
                none = np.empty((0, 128), np.float32)
                self._features = places, none if described is None else np.asarray(described, np.float32)
            return self._features

    def find(self, picture: Picture, ignore: Picture | None) -> Matrix | None:
        """Motion from the reference to a picture (h, w); None where it is not seen."""
        places, known = self._known()
        if len(places) < AGREED:
            return None
        share = min(LONG / picture.shape[1], 1.0)
        small = picture
        if share < 1:
            small = np.asarray(cv2.resize(picture, None, fx=share, fy=share, interpolation=cv2.INTER_AREA), np.float32)
        mask = None
        if ignore is not None:
            near = cv2.resize(ignore, small.shape[::-1], interpolation=cv2.INTER_AREA)
            mask = (near < 0.02).astype(np.uint8) * 255
        with self._lock:
            points, described = self._sift.detectAndCompute(_bytes(small), mask)
        if described is None or len(points) < AGREED:
            return None
        pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(known, described, k=2)
        good = [p[0] for p in pairs if len(p) == 2 and p[0].distance < 0.8 * p[1].distance]
        if len(good) < AGREED:
            return None
        source = places[[m.queryIdx for m in good]]
        target = (np.array([points[m.trainIdx].pt for m in good]) + 0.5) / share
        matrix, agreed = cv2.findHomography(source, target, cv2.USAC_MAGSAC, 3.0, maxIters=2000, confidence=0.999)
        if matrix is None or int(agreed.sum()) < AGREED:
            return None
        keep = agreed.ravel() > 0
        if self.model != "perspective":
            return fitted(self.model, source[keep], target[keep])
        return np.asarray(matrix, np.float64)


def _bytes(picture: Picture) -> NDArray[np.uint8]:
    return np.asarray(np.clip(np.round(picture), 0, 255), np.uint8)
