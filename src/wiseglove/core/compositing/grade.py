"""Level of an insert: black and white point, gamma, saturation. All in working values, where light adds up."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import sit_kernels

Layer = NDArray[np.float32]
Rgb = NDArray[np.float32]
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Shares of red, green and blue in luminance (ITU-R BT.709)."""
DARKEST = 1e-4
"""Light below which a pick says nothing about its colour."""


@dataclass(frozen=True)
class Grade:
    """black and white: what 0 and 1 of the insert become, (r, g, b); gamma: of the values between; saturation: 1 as it is."""

    black: tuple[float, float, float] = (0.0, 0.0, 0.0)
    white: tuple[float, float, float] = (1.0, 1.0, 1.0)
    gamma: float = 1.0
    saturation: float = 1.0


PLAIN = Grade()


def graded(picture: Layer, grade: Grade) -> Layer:
    """A picture (h, w, 3) at another level: saturation about its luminance, gamma, then from black to white."""
    if grade == PLAIN:
        return picture
    out = np.empty(picture.shape, np.float32)
    black, white = np.array(grade.black, np.float32), np.array(grade.white, np.float32)
    curve = _gamma(grade.gamma) if grade.gamma != 1 else NO_CURVE
    finest = np.float32(FINEST)
    sit_kernels.levelled(np.ascontiguousarray(picture), np.float32(grade.saturation), curve, finest, black, white, out)
    return out


FINEST, BRIGHTEST = 8192, 8.0
"""Steps of a gamma's table up to white, and the light up to which it goes; it goes straight on from there."""
NO_CURVE = np.zeros(0, np.float32)


@lru_cache(maxsize=16)
def _gamma(gamma: float) -> Layer:
    """Light to the power of 1 / gamma at even steps of its square root, where it is dark more finely."""
    steps = np.arange(int(FINEST * BRIGHTEST**0.5) + 2) / FINEST
    return np.asarray(steps ** (2 / gamma), np.float32)


def neutral(white: Rgb, grey: Rgb) -> Rgb:
    """A white (3,) tinted as a grey place (3,) of the plate is lit, as bright as before.

    Raises ValueError where the place is too dark to tell its tint.
    """
    light = float(grey @ LUMA)
    if light < DARKEST:
        raise ValueError("That place is too dark to tell the colour of the light. Pick a brighter grey.")
    tinted = np.asarray(grey / light * float(white @ LUMA), np.float32)
    return tinted
