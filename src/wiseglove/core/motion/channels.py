"""Which grey picture a carrier looks at: luma, or the colour channel that shows the patch best."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.noise import unshared
from wiseglove.core.parallel import each

Picture = NDArray[np.float32]
Channel = Literal["auto", "luma", "red", "green", "blue"]
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""ITU-R BT.709."""
BETTER = 2.0
"""A single channel is taken only where it tells so many times more than luma."""


FURTHER = 4
"""Frames before and after the reference on which a channel must be better as well."""
QUIETEST = 1.0
"""Grey levels of noise that are always reckoned with: compression smooths grain, but what it puts in its place is no texture."""


def seen_in(pixels: Picture, channel: Channel) -> Picture:
    """One channel (h, w) of a picture (h, w, 1 to 4); luma where there is only one, or for "auto"."""
    if pixels.shape[2] < 3:
        return np.ascontiguousarray(pixels[..., 0])
    if channel in ("luma", "auto"):
        return np.asarray(cv2.transform(np.ascontiguousarray(pixels[..., :3]), LUMA[None]), np.float32)
    return np.ascontiguousarray(pixels[..., ("red", "green", "blue").index(channel)])


def best_channel(pixels: Picture, mask: Picture, others: Iterable[Picture] = ()) -> Channel:
    """Luma, or the channel in which the patch (h, w) has clearly more texture for its noise.

    others: further frames, looked at only where a single channel seems better: it must be so on every one of them.
    """
    if pixels.shape[2] < 3:
        return "luma"
    left, top, width, height = cv2.boundingRect((mask > 0.5).view(np.uint8))
    rows, columns = slice(top, top + height), slice(left, left + width)
    within = mask[rows, columns]
    found = _best(pixels[rows, columns], within)
    if found == "luma":
        return found
    same = all(_best(other[rows, columns], within) == found for other in others)
    return found if same else "luma"


def _best(pixels: Picture, mask: Picture) -> Channel:
    channels: tuple[Channel, ...] = ("luma", "red", "green", "blue")
    clear = dict(zip(channels, each(lambda c: _clearness(seen_in(pixels, c), mask), channels), strict=True))
    best = max(clear, key=lambda channel: clear[channel])
    return best if clear[best] > BETTER * clear["luma"] else "luma"


def _clearness(picture: Picture, mask: Picture) -> float:
    """Gradient energy over noise variance."""
    within = mask > 0.5
    noise = max(float(np.median(unshared(picture)[within])) / 0.6745, QUIETEST)
    soft = cv2.GaussianBlur(picture, (0, 0), 1.0)
    steep = cv2.Sobel(soft, -1, 1, 0, scale=0.125) ** 2 + cv2.Sobel(soft, -1, 0, 1, scale=0.125) ** 2
    return float(steep[within].mean()) / noise**2
