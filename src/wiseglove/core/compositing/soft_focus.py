"""Sharpness: how soft the plate is where the pane's border shows it, and an insert made as soft."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Layer = NDArray[np.float32]
OWN = 0.42
"""Standard deviation in px of what our own sampling does to an edge: a pixel's box (1/sqrt(12)) and the warp's."""
ACROSS, STEP = 10.0, 0.25
"""Pixels to each side over which an edge is looked at, and between samples."""
PROFILES, CLEAR = 160, 0.06
"""Places along the border that are looked at, and the contrast (encoded, 0..1) from which one is an edge."""
FEWEST = 12
"""Profiles that must show one clear edge."""
LEVELS = 5
"""Softnesses between which depth blur goes over."""


def edge_softness(picture: Layer, corners: Array, hidden: Layer | None = None) -> float | None:
    """Standard deviation (px) of the blur of the plate at a pane's border; None where it shows no clear edge.

    picture (h, w), linear light; corners (4, 2) px; hidden (h, w), 1 where something covers it. Profiles across the four
    sides; each edge's derivative has the blur's second moment (the line spread function, ISO 12233), and the median counts.
    """
    places, normals = _along(corners)
    offsets = np.arange(-ACROSS, ACROSS + STEP / 2, STEP)
    at = places[:, None] + normals[:, None] * offsets[None, :, None] - 0.5
    across, down = (np.ascontiguousarray(at[..., k], np.float32) for k in (0, 1))
    profiles = np.asarray(
        cv2.remap(picture, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32
    )
    inside = ((at > 0) & (at < np.array(picture.shape[::-1]) - 1)).all(axis=(1, 2))
    if hidden is not None:
        inside &= cv2.remap(hidden, across, down, cv2.INTER_LINEAR).max(axis=1) < 0.02
    widths = [w for w in (_width(p) for p in profiles[inside]) if w is not None]
    return float(np.median(widths)) if len(widths) >= FEWEST else None


def _along(corners: Array) -> tuple[Array, Array]:
    """Places along the sides but for their ends, and the direction across there, (N, 2) each."""
    share = np.linspace(0.08, 0.92, PROFILES // 4)[:, None]
    places, normals = [], []
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        along = (b - a) / max(float(np.linalg.norm(b - a)), 1e-9)
        places.append(a + (b - a) * share)
        normals.append(np.broadcast_to([along[1], -along[0]], (len(share), 2)))
    return np.concatenate(places), np.concatenate(normals)


def _width(profile: Layer) -> float | None:
    """Standard deviation (px) of the one edge in a profile; None where there is none, or several."""
    slope = np.diff(profile.astype(np.float64))
    peak = int(np.argmax(np.abs(slope)))
    sign = np.sign(slope[peak])
    slope = np.maximum(slope * sign, 0)
    low, high = peak, peak
    floor = 0.06 * slope[peak]
    while low > 0 and slope[low - 1] > floor:
        low -= 1
    while high < len(slope) - 1 and slope[high + 1] > floor:
        high += 1
    part = slope[low : high + 1]
    rise = float(part.sum())
    if rise < CLEAR * CLEAR or low == 0 or high == len(slope) - 1 or len(part) < 3:
        return None
    if np.abs(np.diff(profile)).sum() > 1.8 * rise:  # more than this one edge
        return None
    at = np.arange(len(part)) * STEP
    middle = float((part * at).sum() / rise)
    variance = float((part * (at - middle) ** 2).sum() / rise)
    return float(np.sqrt(max(variance, 0.0)))


def disc(radius: float) -> Layer:
    """A kernel (n, n) that is even within a radius in px and adds up to 1; its rim covers pixels in part."""
    reach = int(np.ceil(radius))
    fine = 8
    steps = (np.arange((2 * reach + 1) * fine) + 0.5) / fine - reach - 0.5
    inside = (steps[:, None] ** 2 + steps[None] ** 2 <= radius * radius).astype(np.float32)
    kernel = cv2.resize(inside, (2 * reach + 1, 2 * reach + 1), interpolation=cv2.INTER_AREA)
    total = float(kernel.sum())
    return np.asarray(kernel / total, np.float32) if total > 0 else np.ones((1, 1), np.float32)


def softened(picture: Layer, deviation: float) -> Layer:
    """A picture (h, w, c) with a Gaussian's blur, standard deviation in px."""
    if deviation < 0.05:
        return picture
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), deviation, borderType=cv2.BORDER_REPLICATE), np.float32)


def defocused(picture: Layer, radius: float) -> Layer:
    """A picture (h, w, c) out of focus by a disc of a radius in px."""
    if radius < 0.3:
        return picture
    return np.asarray(cv2.filter2D(picture, -1, disc(radius), borderType=cv2.BORDER_REPLICATE), np.float32)


def depth_blurred(picture: Layer, radii: Layer) -> Layer:
    """A picture (h, w, c) out of focus by discs whose radius (px) differs from place to place, radii (h, w).

    A few evenly blurred pictures, between which each pixel goes over.
    """
    top, low = float(radii.max(initial=0)), float(radii.min(initial=0))
    if top < 0.3:
        return picture
    if top - low < 0.25:
        return defocused(picture, (top + low) / 2)
    ladder = np.linspace(low, top, LEVELS)
    place = (radii - low) / (top - low) * (LEVELS - 1)
    out = np.zeros_like(picture)
    for level, radius in enumerate(ladder):
        share = np.clip(1 - np.abs(place - level), 0, 1)[..., None]
        if share.any():
            out += defocused(picture, float(radius)) * share
    return out


def to_add(wanted: float, own: float = OWN) -> float:
    """Standard deviation (px) of the blur that brings an edge of our own sampling to a wanted softness."""
    return float(np.sqrt(max(wanted * wanted - own * own, 0.0)))
