"""Values that are known on some pixels, carried on to all others."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]


def spread(values: Picture, weight: Picture, closest: float = 3.0) -> Picture:
    """Values (h, w) or (h, w, c) where there is weight (h, w; 0..1), and elsewhere what is known around.

    Normalised convolution (Knutsson and Westin 1993) from fine to coarse: a pixel takes the narrowest window in which
    enough is known, starting with `closest` pixels. It is done at half size, as its result is smooth. Where nothing is
    known at all the result is 0.
    """
    known = np.asarray(values, np.float32) if values.ndim == 3 else np.asarray(values, np.float32)[..., None]
    half = tuple(max((n + 1) // 2, 1) for n in weight.shape[::-1])
    share = np.asarray(weight, np.float32)
    layers = [(_halved(known * share[..., None], half), _halved(share, half))]
    while min(layers[-1][1].shape) > 4:
        size = tuple(max((n + 1) // 2, 1) for n in layers[-1][1].shape[::-1])
        layers.append(tuple(_halved(layer, size) for layer in layers[-1]))  # type: ignore[arg-type]
    out: Picture | None = None
    for top, share in reversed(layers):
        blurred = cv2.GaussianBlur(share, (0, 0), closest / 4)
        sums = cv2.GaussianBlur(top, (0, 0), closest / 4).reshape(top.shape)
        here = sums / np.maximum(blurred, 1e-6)[..., None]
        if out is None:
            out = np.asarray(here, np.float32)
            continue
        below = cv2.resize(out, blurred.shape[::-1], interpolation=cv2.INTER_LINEAR).reshape(top.shape)
        sure = np.clip(blurred / 0.3, 0, 1)[..., None]
        out = np.asarray(here * sure + below * (1 - sure), np.float32)
    assert out is not None
    whole = cv2.resize(out, weight.shape[::-1], interpolation=cv2.INTER_LINEAR).reshape(known.shape)
    return np.asarray(whole if values.ndim == 3 else whole[..., 0], np.float32)


def _halved(layer: Picture, size: tuple[int, ...]) -> Picture:
    small = cv2.resize(layer, size, interpolation=cv2.INTER_AREA)
    return np.asarray(small if small.ndim == layer.ndim else small[..., None], np.float32)
