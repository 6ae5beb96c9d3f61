"""What the document looks like at given frames: outlines and pane corners as arrays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.inbetween import Animation, in_between, pivots
from wiseglove.shot.model import Key, Outline, Pane, PaneKey

Array = NDArray[np.float64]
_EVEN = (0.0, 0.0, 1.0, 1.0)


def key_points(key: Key | PaneKey) -> Array:
    """A key's shape as points (N, 8); corners have no handles and no soft edge."""
    if isinstance(key, Key):
        return np.array(key.points, np.float64)
    return np.concatenate([np.array(key.corners, np.float64), np.zeros((4, 6))], axis=1)


def animation_of(element: Outline | Pane) -> Animation:
    """The element's keys as the core wants them; kept with the element, whose keys never change.

    A copy takes what is kept along, so it counts only while it was made of these very keys.
    """
    held = element.__dict__.get("_animation")
    if held is None or held[0] is not element.keys or (isinstance(element, Outline) and held[1] != element.pivot):
        pivot = element.pivot if isinstance(element, Outline) else None
        made = Animation(
            frames=np.array([k.frame for k in element.keys], np.float64),
            points=np.stack([key_points(k) for k in element.keys]),
            eases=tuple(k.ease for k in element.keys),
            pivot=pivot,
            turns=tuple(k.turns if isinstance(k, Key) else 0 for k in element.keys),
            curves=np.array([k.curve or _EVEN for k in element.keys], np.float64),
        )
        held = (element.keys, pivot, made)
        element.__dict__["_animation"] = held
    animation = held[2]
    assert isinstance(animation, Animation)
    return animation


def points_at(element: Outline | Pane, frames: Sequence[float] | NDArray[Any]) -> Array:
    """Evaluated points at frames (T,): (T, N, 8)."""
    return in_between(animation_of(element), np.asarray(frames, np.float64))


def pivot_at(outline: Outline, frame: float) -> Array:
    """Where an outline turns about on a frame, (2,)."""
    return np.asarray(pivots(animation_of(outline), np.array([frame], np.float64))[0])


def corners_at(pane: Pane, frame: float) -> Array:
    """A pane's four corners at a frame, (4, 2)."""
    return points_at(pane, [frame])[0, :, :2]
