"""A pane's true proportions and the camera's focal length, from how the pane is seen on many frames.

Self-calibration from a plane's homographies (Zhang 2000, "A flexible new technique for camera calibration") with square
pixels and the lens's axis in the picture's middle: on every frame the two directions of the pane are at right angles, and
their lengths are as the pane's sides are.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import is_convex, quad_to_quads

Array = NDArray[np.float64]
FOCALS = np.geomspace(0.35, 12.0, 160)
"""Focal lengths that are tried, in widths of the picture."""
NOISE, DRAWS = 0.15, 24
"""Pixels by which corners are taken to be off, and how often that is tried out."""
SURE = 0.01
"""Share by which the answer may vary under that noise."""
LIKELY, APART = 2.0, 0.02
"""How many times the noise's cost a focal length may have to be possible, and how far apart the aspects of these may be."""
FEWEST = 3


class UnknownProportionsError(ValueError):
    """The motion does not tell them; the message says why and what would."""


@dataclass(frozen=True)
class Proportions:
    """aspect: width over height of the real pane; focal: length in px; deviations: of each, as a share of it.

    A pane that faces the camera tells its aspect, but no focal length.
    """

    aspect: float
    focal: float
    deviation: float
    focal_deviation: float


def proportions(quads: Array, width: float, height: float) -> Proportions:
    """From a pane's corners on frames, quads (T, 4, 2) px, of pictures of a size. Raises UnknownProportionsError."""
    quads = quads[[bool(np.isfinite(q).all()) and is_convex(q) for q in quads]]
    if len(quads) < FEWEST:
        raise UnknownProportionsError(
            f"The pane is placed on {len(quads)} frames only, which does not tell its proportions. Type width and height."
        )
    plain, noisy, weights = _told(quads, width, height)
    costs, aspects = _weighed(*plain, weights)
    best = int(np.argmin(costs))
    draws = [_weighed(*each, weights) for each in noisy]
    picked = [int(np.argmin(cost)) for cost, _ in draws]
    floor = float(np.median([cost[i] for (cost, _), i in zip(draws, picked, strict=True)]))
    possible = aspects[costs <= max(LIKELY * floor, costs[best] * LIKELY)]
    deviation = float(np.std(np.log([a[i] for (_, a), i in zip(draws, picked, strict=True)])))
    if deviation > SURE or possible.max() / possible.min() - 1 > APART:
        raise UnknownProportionsError(
            "The pane turns too little towards and away from the camera to tell its proportions "
            f"(they could be anywhere from about {possible.min():.2f} to {possible.max():.2f}). "
            "Type width and height, or take a shot in which it turns more."
        )
    spread = float(np.std(np.log([FOCALS[i] for i in picked])))
    return Proportions(float(aspects[best]), float(FOCALS[best] * width), deviation, spread)


SHAPES = (0.5, 2 / 3, 0.75, 8 / 9, 10 / 11, 12 / 11, 16 / 15, 1.125, 4 / 3, 16 / 11, 64 / 45, 1.5, 2.0)
"""Widths over heights of pixels that are in use (ITU-R BT.601's two, their wide forms, and film's squeezed ones) or would undo one."""
SOME, FEW_DRAWS = 30, 4
"""Frames at most by which that is told, and how often noise is tried on them."""
VARIED = 0.015
"""How much the pane's shape on the picture must change, as a share of its size."""
CLEARER = 8.0
"""How many times better another shape of the pixels must fit to be said."""


def pixel_shape(quads: Array, width: float, height: float) -> float | None:
    """How many times wider the pixels are than they are taken for; None where they are right, or the motion does not tell.

    Otherwise as `proportions`: with pixels of another shape its directions are not at right angles on all frames. A shape is
    said only where it fits far better than theirs, and the next one much worse than it.
    """
    quads = quads[[bool(np.isfinite(q).all()) and is_convex(q) for q in quads]]
    if len(quads) < FEWEST or _varied(quads) < VARIED:
        return None
    quads = quads[:: -(-len(quads) // SOME)]
    costs = {}
    for shape in (1.0, *SHAPES):
        plain, _, weights = _told(quads * (shape, 1.0), width * shape, height, FEW_DRAWS)
        costs[shape] = float(_weighed(*plain, weights)[0].min())
    best, second = sorted(costs, key=lambda shape: costs[shape])[:2]
    if best == 1.0 or costs[1.0] < CLEARER * costs[best] or costs[second] < 2 * costs[best]:
        return None
    return best


def _varied(quads: Array) -> float:
    """How much the pane's shape on the picture changes, wherever and however large it is, as a share of its size.

    A single view fits pixels of some shape exactly, whatever they are.
    """
    middles = quads - quads.mean(axis=1, keepdims=True)
    sizes = np.sqrt((middles**2).mean(axis=(1, 2), keepdims=True))
    return float((middles / np.maximum(sizes, 1e-9)).std(axis=0).max())


Tried = tuple[Array, Array]


def _told(quads: Array, width: float, height: float, draws: int = DRAWS) -> tuple[Tried, list[Tried], Array]:
    """What is tried on the quads, the same under noise, and how much each frame counts, (T,), which adds up to 1."""
    rng = np.random.default_rng(5)
    noisy = [_tried(quads + rng.normal(0, NOISE, quads.shape), width, height) for _ in range(draws)]
    plain = _tried(quads, width, height)
    # What a frame tells counts by how little noise changes it: steep ones tell the least.
    rough = np.mean([((r - plain[1]) ** 2 + (k - plain[0]) ** 2)[len(FOCALS) // 2] for k, r in noisy], axis=0)
    weights = 1 / np.maximum(rough, 1e-9)
    return plain, noisy, weights / weights.sum()


def _tried(quads: Array, width: float, height: float) -> tuple[Array, Array]:
    """For each focal length and frame, (F, T) each: the cosine between the two directions, and the log of their ratio."""
    first, second = _directions(quads, width, height)
    weight = 1 / (FOCALS * width) ** 2
    # (F, T) each: squared lengths of the two directions, and their product.
    a, b, c = (
        weight[:, None] * (one[:, :2] * other[:, :2]).sum(1) + one[:, 2] * other[:, 2]
        for one, other in ((first, first), (second, second), (first, second))
    )
    return c / np.sqrt(a * b), 0.5 * np.log(a / b)


def _weighed(skew: Array, ratio: Array, weights: Array) -> tuple[Array, Array]:
    """For each focal length: how far it is from right angles and even proportions, and the aspect, (F,) each."""
    middle = ratio @ weights
    return (skew**2) @ weights + ((ratio - middle[:, None]) ** 2) @ weights, np.exp(middle)


def _directions(quads: Array, width: float, height: float) -> tuple[Array, Array]:
    """The first two columns of each frame's homography from the unit square, about the picture's middle, (T, 3) each."""
    centred = quads - (width / 2, height / 2)
    homographies = quad_to_quads(np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]]), centred)[:, :, :2]
    columns = homographies / np.linalg.norm(homographies, axis=(1, 2), keepdims=True)
    return columns[:, :, 0], columns[:, :, 1]
