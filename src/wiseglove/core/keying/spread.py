"""Values that are known on some pixels, carried on to all others."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]


def spread(values: Picture, weight: Picture, closest: float = 3.0) -> Picture:
    """Values (h, w) or (h, w, c) where there is weight (h, w; 0..1), and elsewhere what is known around.

    Normalised convolution (Knutsson and Westin 1993) from fine to coarse: a pixel takes the narrowest window in which
    enough is known, starting with `closest` pixels. Where nothing is known at all the result is 0.
    """
    known = np.asarray(values, np.float32) if values.ndim == 3 else np.asarray(values, np.float32)[..., None]
    layers = [(known * weight[..., None], np.asarray(weight, np.float32))]
    while min(layers[-1][1].shape) > 4:
        size = tuple(max((n + 1) // 2, 1) for n in layers[-1][1].shape[::-1])
        layers.append(tuple(_halved(layer, size) for layer in layers[-1]))  # type: ignore[arg-type]
    out: Picture | None = None
    for top, share in reversed(layers):
        blurred = cv2.GaussianBlur(share, (0, 0), closest / 2)
        sums = cv2.GaussianBlur(top, (0, 0), closest / 2).reshape(top.shape)
        here = sums / np.maximum(blurred, 1e-6)[..., None]
        if out is None:
            out = here
            continue
        below = cv2.resize(out, blurred.shape[::-1], interpolation=cv2.INTER_LINEAR).reshape(top.shape)
        sure = np.clip(blurred / 0.3, 0, 1)[..., None]
        out = here * sure + below * (1 - sure)
    assert out is not None
    return np.asarray(out if values.ndim == 3 else out[..., 0], np.float32)


def _halved(layer: Picture, size: tuple[int, ...]) -> Picture:
    small = cv2.resize(layer, size, interpolation=cv2.INTER_AREA)
    return np.asarray(small if small.ndim == layer.ndim else small[..., None], np.float32)
