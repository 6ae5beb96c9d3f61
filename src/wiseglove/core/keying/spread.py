"""Values that are known on some pixels, carried on to all others."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.keying import kernels

Picture = NDArray[np.float32]


def spread(values: Picture, weight: Picture | NDArray[np.uint8], closest: float = 3.0, step: int = 2) -> Picture:
    """Values (h, w, 3) where there is weight (h, w; 0..1), and elsewhere what is known around; see `carried_on`."""
    top, share = blocks(weight.shape, step)
    known, sure = np.ascontiguousarray(values), np.ascontiguousarray(weight)
    kernels.gathered(known, sure, step, top, share)
    return carried_on(top, share, weight.shape, step, closest)


def blocks(shape: tuple[int, ...], step: int) -> tuple[Picture, Picture]:
    """Room for sums (j, i, 3) and shares (j, i) of a picture's blocks of `step` pixels; see `carried_on`."""
    small = -(-shape[0] // step), -(-shape[1] // step)
    return np.empty((*small, 3), np.float32), np.empty(small, np.float32)


def carried_on(top: Picture, share: Picture, shape: tuple[int, ...], step: int, closest: float = 3.0) -> Picture:
    """Values that are known on a share of each block of `step` pixels, for every pixel of a picture, (h, w, 3).

    share (j, i), 0..1; top (j, i, 3): the values times it. Normalised convolution (Knutsson and Westin 1993) from fine to
    coarse: a pixel takes the narrowest window in which enough is known, starting with `closest` pixels. Where nothing is
    known at all the result is 0.
    """
    layers = [(top, share)]
    while min(layers[-1][1].shape) > 4:
        size = tuple(max((n + 1) // 2, 1) for n in layers[-1][1].shape[::-1])
        top, share = (
            np.asarray(cv2.resize(layer, size, interpolation=cv2.INTER_AREA), np.float32) for layer in layers[-1]
        )
        layers.append((top, share))
    out: Picture | None = None
    width = closest / (2 * step)
    for top, share in reversed(layers):
        blurred = cv2.GaussianBlur(share, (0, 0), width)
        sums = cv2.GaussianBlur(top, (0, 0), width)
        if out is None:
            out = np.asarray(sums / np.maximum(blurred, 1e-6)[..., None], np.float32)
            continue
        below = cv2.resize(out, blurred.shape[::-1], interpolation=cv2.INTER_LINEAR)
        kernels.settled(sums, blurred, below)
        out = np.asarray(below, np.float32)
    assert out is not None
    size = (layers[0][1].shape[1] * step, layers[0][1].shape[0] * step)
    whole = cv2.resize(out, size, interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(whole[: shape[0], : shape[1]], np.float32)
