"""Edges in a picture, in linear light: where a blurred edge is half covered, linear light changes fastest."""

from __future__ import annotations

from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import convolve1d
from scipy.special import binom

from wiseglove.core.compositing.colour import decode

Layer = NDArray[np.float32]
Value = TypeVar("Value", np.float32, np.uint8)
ROW = 512
NARROWEST = 1.25
"""The least that the range of colours inside counts as, in roots of linear light (0..16)."""
_LINEAR = (decode(np.arange(256) / 255) * 255).astype(np.float32)
_ROOTS = np.sqrt(_LINEAR + 1.0)


def linear_light(picture: NDArray[np.uint8], blur: float) -> Layer:
    """An RGB picture in linear light, 0..255, calmed by a Gaussian of `blur` pixels against grain; (H, W, 3)."""
    return np.asarray(cv2.GaussianBlur(cv2.LUT(picture, _LINEAR), (0, 0), blur))


def roots_of(values: NDArray[np.uint8]) -> Layer:
    """Encoded values (...) as roots of linear light, 1..16: differences count about as much in the dark as in the light."""
    return np.asarray(_ROOTS[values])


def range_of(colours: NDArray[np.float64]) -> float:
    """How far colours (..., 3), roots of linear light, lie apart in one channel at most; what differs from them is told in shares of it."""
    return max(float(np.ptp(colours.reshape(-1, 3), axis=0).max()), NARROWEST)


def gradients(layer: Layer) -> Layer:
    """How strongly each pixel of (H, W, 3) changes: the largest channel's gradient, in values a pixel, (H, W)."""
    strength = np.zeros(layer.shape[:2], np.float32)
    for channel in cv2.split(layer):
        across = cv2.Sobel(channel, cv2.CV_32F, 1, 0, scale=0.125)
        down = cv2.Sobel(channel, cv2.CV_32F, 0, 1, scale=0.125)
        np.maximum(strength, cv2.magnitude(across, down), out=strength)
    return strength


def seen_at(layer: NDArray[Value], places: NDArray[np.float64]) -> NDArray[Value]:
    """Values at places (..., 2) of the image plane, bilinear; beyond the border the border's own."""
    # OpenCV takes no more than 32767 rows or columns, so the places are laid out in rows of ROW.
    flat = np.zeros((-(-places.size // 2 // ROW) * ROW, 2), np.float32)
    flat[: places.size // 2] = (places - 0.5).reshape(-1, 2)
    rows = flat.reshape(-1, ROW, 2)
    nothing: Any = None
    seen = cv2.remap(layer, rows, nothing, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(
        seen.reshape(-1, *layer.shape[2:])[: places.size // 2].reshape(*places.shape[:-1], *layer.shape[2:])
    )


def averaged(line: NDArray[np.float64], times: int, closed: bool = False) -> NDArray[np.float64]:
    """A line (M, ...) calmed along itself by the weights 1/4, 1/2, 1/4; the ends of an open one stay."""
    if closed:
        weights = binom(2 * times, np.arange(2 * times + 1)) / 4.0**times
        return np.asarray(convolve1d(line, weights, axis=0, mode="wrap"))
    for _ in range(times):
        line = np.concatenate([line[:1], 0.25 * line[:-2] + 0.5 * line[1:-1] + 0.25 * line[2:], line[-1:]])
    return line


def length(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    """Lengths (...) of vectors (..., C), of few components each: NumPy's norm takes six times as long along short axes."""
    return np.asarray(np.sqrt(np.einsum("...c,...c->...", vectors, vectors)))
