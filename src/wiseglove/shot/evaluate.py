"""What the document looks like at given frames: outlines and pane corners as arrays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.shot.model import Key, Outline, Pane, PaneKey

Array = NDArray[np.float64]


def key_points(key: Key | PaneKey) -> Array:
    """A key's shape as points (N, 6); corners have no handles."""
    if isinstance(key, Key):
        return np.array(key.points, np.float64)
    return np.concatenate([np.array(key.corners, np.float64), np.zeros((4, 4))], axis=1)


def animation_of(element: Outline | Pane) -> Animation:
    """The element's keys as the core wants them."""
    return Animation(
        frames=np.array([k.frame for k in element.keys], np.float64),
        points=np.stack([key_points(k) for k in element.keys]),
        eases=tuple(k.ease for k in element.keys),
    )


def points_at(element: Outline | Pane, frames: Sequence[float] | NDArray[Any]) -> Array:
    """Evaluated points at frames (T,): (T, N, 6)."""
    return in_between(animation_of(element), np.asarray(frames, np.float64))


def corners_at(pane: Pane, frame: float) -> Array:
    """A pane's four corners at a frame, (4, 2)."""
    return points_at(pane, [frame])[0, :, :2]
