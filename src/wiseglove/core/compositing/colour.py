"""Display encoding (sRGB, IEC 61966-2-1) and back.

Encoded pictures (`Picture`) are uint8, uint16 or float32 with 1.0 as white; linear ones are float32.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import kernels

Picture = NDArray[Any]
Linear = NDArray[np.float32]


def decode(encoded: NDArray[np.float32] | NDArray[np.float64]) -> NDArray[np.float64]:
    """sRGB to linear light for values in any range (odd-symmetric below zero)."""
    v = np.abs(np.asarray(encoded, np.float64))
    out = np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)
    return np.copysign(out, encoded)


def encode(linear: NDArray[np.float32] | NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear light to sRGB for values in any range (odd-symmetric below zero)."""
    v = np.abs(np.asarray(linear, np.float64))
    out = np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055)
    return np.copysign(out, linear)


@lru_cache(maxsize=1)
def _curve() -> NDArray[np.float32]:
    return np.asarray(encode(np.linspace(0, 1, 65537)), np.float32)


def encoded(working: Linear) -> Linear:
    """Linear light (h, w, c) by the sRGB curve as `encode` has it, to 1e-6, but quicker: a table from 0 to 1, exact beyond."""
    working = np.ascontiguousarray(working, np.float32)
    out = np.empty(working.shape, np.float32)
    rows = kernels.curved(working, _curve(), out)
    if rows.any():
        out[rows] = encode(working[rows])
    return out


@lru_cache(maxsize=4)
def _table(levels: int, linear: bool) -> NDArray[np.float32]:
    values = np.arange(levels) / (levels - 1)
    return np.asarray(decode(values) if linear else values, np.float32)


def to_working(picture: Picture, linear: bool) -> Linear:
    """A display-encoded picture as float32, in linear light or (linear=False) still encoded."""
    if picture.dtype == np.uint8 and picture.ndim == 3 and picture.shape[2] <= 4 and picture.size:
        return np.asarray(cv2.LUT(picture, _table(256, linear)), np.float32)
    if picture.dtype == np.uint8 or picture.dtype == np.uint16:
        return np.asarray(np.take(_table(256 if picture.dtype == np.uint8 else 65536, linear), picture), np.float32)
    return np.asarray(decode(picture) if linear else picture, np.float32)


@lru_cache(maxsize=2)
def _display_table(linear: bool) -> NDArray[np.uint8]:
    values = np.arange(65536) / 65535
    return np.asarray(np.round((encode(values) if linear else values) * 255), np.uint8)


def to_display(working: Linear, linear: bool) -> NDArray[np.uint8]:
    """Working values to 8-bit display-encoded pixels, clipped to 0..1."""
    if working.ndim != 3 or working.dtype != np.float32:
        index = np.clip(working * 65535.0 + 0.5, 0, 65535).astype(np.uint16)
        return np.asarray(np.take(_display_table(linear), index), np.uint8)
    out = np.empty(working.shape, np.uint8)
    kernels.displayed(np.ascontiguousarray(working), _display_table(linear), out)
    return out


def of_hex(text: str) -> NDArray[np.float32]:
    """The encoded red, green and blue (3,) of a colour written as #rrggbb."""
    return np.array([int(text[i : i + 2], 16) / 255 for i in (1, 3, 5)], np.float32)


def to_eight_bits(picture: Picture) -> NDArray[np.uint8]:
    """An encoded picture of any depth as uint8, rounded."""
    if picture.dtype == np.uint8:
        return np.asarray(picture, np.uint8)
    if picture.dtype == np.uint16:
        return np.asarray((picture.astype(np.uint32) * 255 + 32767) // 65535, np.uint8)
    return np.asarray(np.clip(picture * 255.0 + 0.5, 0, 255), np.uint8)
