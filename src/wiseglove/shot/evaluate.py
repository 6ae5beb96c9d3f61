"""What the document looks like at given frames: outlines and pane corners as arrays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.motion.joint import Jointed
from wiseglove.core.motion.path import Motion
from wiseglove.core.outline.inbetween import Animation, in_between, pivots
from wiseglove.shot.basics import PaneKey
from wiseglove.shot.model import Animated, Key, Outline, Pane
from wiseglove.shot.subject import Subject

Array = NDArray[np.float64]
_EVEN = (0.0, 0.0, 1.0, 1.0)


def key_points(key: Key | PaneKey) -> Array:
    """A key's stored shape as points (N, 8); corners have no handles and no soft edge."""
    if isinstance(key, Key):
        return np.array(key.points, np.float64)
    return np.concatenate([np.array(key.corners, np.float64), np.zeros((4, 6))], axis=1)


def keep_shapes(outline: Outline, shapes: Array) -> None:
    """Keep the points of all keys, (K, N, 8), with an outline that was just made of them."""
    outline.__dict__["_shapes"] = (outline.keys, shapes)


def _shapes(element: Animated) -> Array:
    held = element.__dict__.get("_shapes")
    if held is not None and held[0] is element.keys:
        return np.asarray(held[1])
    return np.stack([key_points(k) for k in element.keys])


def animation_of(element: Animated) -> Animation:
    """The element's keys as the core wants them; kept with the element, whose keys never change.

    A copy takes what is kept along, so it counts only while it was made of these very keys.
    """
    held = element.__dict__.get("_animation")
    if held is None or held[0] is not element.keys or (isinstance(element, Outline) and held[1] != element.pivot):
        pivot = element.pivot if isinstance(element, Outline) else None
        made = Animation(
            frames=np.array([k.frame for k in element.keys], np.float64),
            points=_shapes(element),
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


def motion_of(element: Animated) -> Motion | Jointed | None:
    """The motion that an element rides on, as `riding.bound` left it there."""
    held: Motion | Jointed | None = element.__dict__.get("_motion")
    return held


def stored_at(element: Animated, frames: Sequence[float] | NDArray[Any]) -> Array:
    """Points at frames (T,) as they are stored, at the reference of what the element rides on: (T, N, 8)."""
    return in_between(animation_of(element), np.asarray(frames, np.float64))


def points_at(element: Animated, frames: Sequence[float] | NDArray[Any]) -> Array:
    """Points at frames (T,) as they are seen: (T, N, 8)."""
    times = np.asarray(frames, np.float64)
    motion = motion_of(element)
    points = stored_at(element, times)
    return points if motion is None else motion.carry(times, points)


def to_stored(element: Animated, frame: float, points: Array) -> Array:
    """Points (N, 8) seen on a frame, as they are to be stored."""
    motion = motion_of(element)
    return points if motion is None else motion.back(frame, points)


def span_of(element: Animated) -> tuple[int, int]:
    """First and last frame beyond which the element stands still."""
    first, last = element.keys[0].frame, element.keys[-1].frame
    motion = motion_of(element)
    return (first, last) if motion is None else (min(first, motion.first), max(last, motion.last))


def place_motion(outline: Outline) -> Motion | Jointed | None:
    """What a place of an outline that is none of its points rides on."""
    motion = motion_of(outline)
    return motion.of_places() if isinstance(motion, Jointed) else motion


def pivot_at(outline: Outline, frame: float) -> Array:
    """Where an outline turns about on a frame, (2,), as seen."""
    place = pivots(animation_of(outline), np.array([frame], np.float64))
    motion = place_motion(outline)
    if motion is None:
        return np.asarray(place[0])
    points = np.concatenate([place, np.zeros((1, 6))], axis=1)
    return np.asarray(motion.carry(np.array([frame]), points[None])[0, 0, :2])


def corners_at(pane: Pane | Subject, frame: float) -> Array:
    """A pane's four corners at a frame, (4, 2)."""
    return points_at(pane, [frame])[0, :, :2]
