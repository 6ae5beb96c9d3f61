"""An outline, pane or subject together with the motion it rides on: where its points are at any time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.kept import kept
from wiseglove.core.motion.joint import Jointed
from wiseglove.core.motion.path import Motion
from wiseglove.core.outline.inbetween import Animation, in_between, pivots
from wiseglove.shot.basics import PaneKey
from wiseglove.shot.model import Animated, Key, Outline, Pane
from wiseglove.shot.subject import Subject

Array = NDArray[np.float64]
Times = Sequence[float] | NDArray[Any]
A = TypeVar("A", bound=Animated)
B = TypeVar("B", bound=Animated)
_EVEN = (0.0, 0.0, 1.0, 1.0)


def key_points(key: Key | PaneKey) -> Array:
    """A key's stored shape as points (N, 8); corners have no handles and no soft edge."""
    if isinstance(key, Key):
        return np.array(key.points, np.float64)
    return np.concatenate([np.array(key.corners, np.float64), np.zeros((4, 6))], axis=1)


@dataclass(frozen=True, eq=False)
class Rider(Generic[A]):
    """An element and what it rides on (None: nothing). Neither ever changes, so what is derived holds for good."""

    element: A
    motion: Motion | Jointed | None = None
    shapes: Array | None = None
    """The points of its keys, (K, N, 8), where they came as numbers."""

    def changed(self, element: B) -> Rider[B]:
        """Another state of the element, riding on the same."""
        return Rider(element, self.motion)

    @kept
    def animation(self) -> Animation:
        """The keys as the core wants them."""
        keys = self.element.keys
        return Animation(
            frames=np.array([k.frame for k in keys], np.float64),
            points=np.stack([key_points(k) for k in keys]) if self.shapes is None else self.shapes,
            eases=tuple(k.ease for k in keys),
            pivot=self.element.pivot if isinstance(self.element, Outline) else None,
            turns=tuple(k.turns if isinstance(k, Key) else 0 for k in keys),
            curves=np.array([k.curve or _EVEN for k in keys], np.float64),
        )

    def stored_at(self, frames: Times) -> Array:
        """Points at frames (T,) as they are stored, at the reference of what it rides on: (T, N, 8)."""
        return in_between(self.animation, np.asarray(frames, np.float64))

    def points_at(self, frames: Times) -> Array:
        """Points at frames (T,) as they are seen: (T, N, 8)."""
        times = np.asarray(frames, np.float64)
        points = self.stored_at(times)
        return points if self.motion is None else self.motion.carry(times, points)

    def shape_at(self, frame: float) -> Array:
        """Points (N, 8) on a frame as they are seen."""
        return np.asarray(self.points_at([frame])[0])

    def corners_at(self, frame: float) -> Array:
        """A pane's or subject's four corners on a frame, (4, 2)."""
        assert isinstance(self.element, Pane | Subject)
        return self.shape_at(frame)[:, :2]

    def corners_over(self, frames: Times) -> Array:
        """The same at frames (T,), (T, 4, 2)."""
        assert isinstance(self.element, Pane | Subject)
        return self.points_at(frames)[..., :2]

    def to_stored(self, frame: float, points: Array) -> Array:
        """Points (N, 8) seen on a frame, as they are to be stored."""
        return points if self.motion is None else self.motion.back(frame, points)

    @property
    def carriers(self) -> list[str]:
        """The carriers that it rides on, the one of most of it first."""
        element = self.element
        further = (
            [j.carrier for j in element.joints] if isinstance(element, Outline) else [p for p in element.pins if p]
        )
        return list(dict.fromkeys(c for c in (element.rides, *further) if c))

    @property
    def whole(self) -> bool:
        """Whether all of it rides on one carrier."""
        return isinstance(self.motion, Motion)

    @property
    def span(self) -> tuple[int, int]:
        """First and last frame beyond which it stands still."""
        first, last = self.element.keys[0].frame, self.element.keys[-1].frame
        return (first, last) if self.motion is None else (min(first, self.motion.first), max(last, self.motion.last))

    @property
    def place_motion(self) -> Motion | Jointed | None:
        """What a place of it that is none of its points rides on."""
        return self.motion.of_places() if isinstance(self.motion, Jointed) else self.motion

    def pivot_at(self, frame: float) -> Array:
        """Where it turns about on a frame, (2,), as seen."""
        place = pivots(self.animation, np.array([frame], np.float64))
        motion = self.place_motion
        if motion is None:
            return np.asarray(place[0])
        points = np.concatenate([place, np.zeros((1, 6))], axis=1)
        return np.asarray(motion.carry(np.array([frame]), points[None])[0, 0, :2])
