"""Which moments of an exposure are looked at, so that the mean over them shows no steps."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points

Array = NDArray[np.float64]
MOST = 128
STILL = 0.02
"""Travel in pixels below which nothing is blurred."""
SOFT_SHARE = 0.4
"""Share of a soft edge's width that may pass between two moments."""


def moments(frame: float, angle: float, phase: float, count: int) -> Array:
    """The middles of `count` equal parts of an exposure, (count,), in frames.

    An exposure lasts angle / 360 frames around the frame (product convention), shifted by phase / 360.
    """
    length = angle / 360.0
    return frame + phase / 360.0 + length * ((np.arange(count) + 0.5) / count - 0.5)


def travel(shapes: Points) -> float:
    """How far the farthest place of an outline gets over its moments (S, N, 6 or 8), along its way, in pixels."""
    places = np.concatenate(
        [shapes[..., :2], shapes[..., :2] + shapes[..., 2:4], shapes[..., :2] + shapes[..., 4:6]], 1
    )
    return float(np.linalg.norm(np.diff(places, axis=0), axis=2).sum(axis=0).max(initial=0.0))


def moments_needed(distance: float, softness: float) -> int:
    """How many moments a travel in result pixels needs; `softness` is the narrowest soft edge in result pixels.

    At a hard edge, moments one pixel apart tile the pixels; h apart they leave steps of (h - 1) / (2 * travel), of which
    1.5/255 is allowed. Short travels need more: the midpoint rule errs by travel / (4 * moments^2) at the two ends of a
    pixel's ramp. At a soft edge a share of its width may pass.
    """
    if distance < STILL:
        return 1
    apart = max(1.0 + distance / 85.0, softness * SOFT_SHARE)
    short = min(6.0 * math.sqrt(distance), 30.0) if softness < 1.0 else 4.0
    return int(min(max(math.ceil(distance / apart), math.ceil(short), 4), MOST))
