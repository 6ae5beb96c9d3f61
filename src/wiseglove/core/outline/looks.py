"""How an outline's edge looks on a frame beside how it looked where it was right: signs by which its stretches are doubted."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points, signed_area
from wiseglove.core.outline.edges import length, range_of, roots_of, seen_at
from wiseglove.core.outline.normals import Normals, normals_at, normals_of
from wiseglove.core.outline.snap import layer_around

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
SPACING, STEP = 2.0, 0.5
"""Pixels between the places along an outline, and between those across it."""
REACH, SEEK = 10.0, 6.0
"""How far inside and outside is looked at, and how far off an edge may be to be taken for the outline's, in pixels."""
NEAR, DEEP = (2.0, 6.0), (3.0, 10.0)
"""Where colours on both sides of the edge are compared, and where those well inside are, in pixels."""
ON = 0.6
"""Pixels within which an edge is the outline's own."""
APART = 2.0
"""Pixels across which an edge's strength is measured."""
FAINTEST, LEAST_EDGE = 0.05, 0.1
"""In shares of that range: the least strength that others are measured against, and what an edge has at least to be lacking."""
LARGE, SMALLEST = 150.0, 0.35
"""Root of a small thing's area, in pixels, below which it is looked across its edge less far by as much, and the least share."""
TICKS = np.arange(-REACH, REACH + STEP / 2, STEP)


@dataclass(frozen=True)
class Signs:
    """Signs on each of N segments, (N,) each: logarithms of shares of the range of colours inside, or shares.

    unlike, unlike_near: how much the colours well inside, and those beside the edge, differ from what they were; step: how much
    both sides differ; lacks: what is missing of that difference, 0..1; clear: the edge's strength; first: that beside the
    strongest within SEEK pixels, 0..1.
    """

    unlike: Array
    unlike_near: Array
    step: Array
    lacks: Array
    clear: Array
    first: Array


class Looks:
    """What is seen along an outline on the frame on which it is right."""

    def __init__(self, picture: Picture, points: Points, by_size: bool = False) -> None:
        """picture: RGB (H, W, 3); points (N, 8); by_size: whether less far is looked across a small thing's edge."""
        along = normals_of(points, list(range(len(points))), SPACING)
        self._segment, self._t, self._count = along.segment, along.t, len(points)
        size = float(np.sqrt(abs(signed_area(points))))
        self._ticks = TICKS * (np.clip(size / LARGE, SMALLEST, 1.0) if by_size else 1.0)
        self._seen = _across(picture, along, self._ticks)
        inner, outer = self._sides(self._seen)
        self._inner, self._step = inner, length(outer - inner)
        self._scale = range_of(inner)

    def on(self, picture: Picture, points: Points) -> Signs:
        """The signs where the outline is this one (N, 8) on another frame."""
        seen = _across(picture, normals_at(points, self._segment, self._t), self._ticks)
        inner, outer = self._sides(seen)
        step, well = length(outer - inner), _between(-DEEP[1], -DEEP[0])
        half = round(APART / STEP / 2)
        strength = length(seen[:, 2 * half :] - seen[:, : -2 * half])
        places = np.abs(TICKS[half:-half])
        own, most = (strength[:, places <= within].max(axis=1) for within in (ON, SEEK))
        unlike = length(seen[:, well] - self._seen[:, well]).mean(axis=1)
        lacks = 1 - step / np.maximum(self._step, LEAST_EDGE * self._scale)
        return Signs(
            np.log(self._mean(unlike) / self._scale + 0.05),
            np.log(self._mean(length(inner - self._inner)) / self._scale + 0.05),
            np.log(self._mean(step) / self._scale + 0.1),
            self._mean(np.clip(lacks, 0, 1)),
            np.log(self._mean(own) / self._scale + 0.05),
            self._mean(own / np.maximum(most, FAINTEST * self._scale)),
        )

    @staticmethod
    def _sides(seen: Array) -> tuple[Array, Array]:
        inner, outer = _between(-NEAR[1], -NEAR[0]), _between(*NEAR)
        return seen[:, inner].mean(axis=1), seen[:, outer].mean(axis=1)

    def _mean(self, values: Array) -> Array:
        return by_segment(values, self._segment, self._count)


def by_segment(values: Array, segment: NDArray[np.int64], count: int) -> Array:
    """The mean of values (M,) on each of `count` segments; 0 where none lies."""
    total = np.bincount(segment, values, count)
    return np.asarray(total / np.maximum(np.bincount(segment, minlength=count), 1))


def colours_inside(picture: Picture, along: Normals) -> Array:
    """Colours a few pixels inside, as roots of linear light, (M, 3)."""
    depths = np.array([3.0, 5.0, 7.0])
    places = along.places[:, None] - along.outward[:, None] * depths[:, None]
    low = np.maximum(places.min(axis=(0, 1)).astype(int) - 3, 0)
    high = np.maximum(places.max(axis=(0, 1)).astype(int) + 4, low + 1)
    part = picture[low[1] : high[1], low[0] : high[0]]
    if part.size == 0:
        return np.zeros((len(along.places), 3))
    calm = np.asarray(cv2.GaussianBlur(part, (0, 0), 1.5), np.uint8)
    return np.asarray(roots_of(seen_at(calm, places - low)).mean(axis=1, dtype=np.float64))


def logistic(weighed: Array) -> Array:
    """Doubt 0..1 from weighed signs, one half at 0."""
    return np.asarray(1 / (1 + np.exp(-weighed)))


def _between(low: float, high: float) -> NDArray[np.bool_]:
    return np.asarray((low <= TICKS) & (high >= TICKS))


def _across(picture: Picture, along: Normals, ticks: Array) -> Array:
    """Roots of linear light at so many pixels (T,) across an outline, (M, T, 3)."""
    left, top, layer = layer_around(picture, along.places, REACH + 4)
    if layer.size == 0:
        return np.zeros((len(along.t), len(ticks), 3))
    places = along.places[:, None] + along.outward[:, None] * ticks[:, None] - (left, top)
    return seen_at(layer, places).astype(np.float64)
