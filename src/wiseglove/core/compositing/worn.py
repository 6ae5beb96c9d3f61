"""A worn picture: coarse pixels, dark lines, colours that lie apart, and corners that fall off."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Layer = NDArray[np.float32]


@dataclass(frozen=True)
class Worn:
    """coarse: pixels across the insert that it is shown with, 0 as it is. lines: how many dark lines lie across it, and
    how dark they are (0..1). chroma: how far red and blue lie apart, as a share of the width. vignette: how much darker
    the corners are, 0..1.
    """

    coarse: int = 0
    lines: int = 0
    dark: float = 0.0
    chroma: float = 0.0
    vignette: float = 0.0


NEW = Worn()


def worn(picture: Layer, how: Worn) -> Layer:
    """An insert (h, w, 3 or 4; working values) as a screen that has seen better days shows it; alpha stays."""
    if how == NEW:
        return picture
    out = picture.copy()
    height, width = out.shape[:2]
    if how.chroma:
        apart = how.chroma * width / 2
        for channel, way in ((0, -apart), (2, apart)):
            move = np.array([[1, 0, way], [0, 1, 0]], np.float32)
            plane = np.ascontiguousarray(out[..., channel])
            out[..., channel] = cv2.warpAffine(plane, move, (width, height), borderMode=cv2.BORDER_REPLICATE)
    if how.coarse and how.coarse < width:
        size = (how.coarse, max(round(how.coarse * height / width), 1))
        small = cv2.resize(out, size, interpolation=cv2.INTER_AREA)
        out = np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_NEAREST), np.float32)
    if how.lines and how.dark:
        phase = (np.arange(height) + 0.5) / height * how.lines
        out[..., :3] *= (1 - how.dark * (0.5 - 0.5 * np.cos(2 * np.pi * phase)))[:, None, None].astype(np.float32)
    if how.vignette:
        y, x = (np.arange(n, dtype=np.float32) * 2 / n - 1 + 1 / n for n in (height, width))
        fall = 1 - how.vignette * np.clip((x[None] ** 2 + y[:, None] ** 2) / 2, 0, 1) ** 2
        out[..., :3] *= fall[..., None].astype(np.float32)
    return out
