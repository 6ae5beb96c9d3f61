"""Edits of shape: points, handles and corners."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from pydantic import Field

from wiseglove.core.geometry import bezier
from wiseglove.core.outline.inbetween import pivots
from wiseglove.core.outline.points import mirror, remove_points, round_points
from wiseglove.shot import keys as keying
from wiseglove.shot.basics import ElementId, Point, PointKind
from wiseglove.shot.edits.base import (
    MOST_POINTS,
    Applied,
    Editing,
    Index,
    check_corners,
    unlocked_animated,
    unlocked_outline,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Outline, Pane
from wiseglove.shot.rider import key_points
from wiseglove.shot.subject import Subject


class ShapePoints(Editing):
    """Set some points of an outline or corners of a pane on a frame; a key appears there."""

    type: Literal["shape-points"]
    element: ElementId
    frame: int
    points: dict[Index, Point] = Field(min_length=1, max_length=MOST_POINTS)
    kinds: dict[Index, PointKind] = Field(default={}, max_length=MOST_POINTS)
    """Points of an outline that become another kind with it (on all keys; their handles there stay)."""
    reach: keying.Reach = "frame"
    within: keying.Range | None = None
    """The frames of the reach "range"."""

    def apply(self, shot: EvaluatedShot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        keying.check_frame(shot.plate, self.frame)
        rider = shot.rider(element)
        shape = rider.shape_at(self.frame).copy()
        for index, point in self.points.items():
            if not 0 <= index < len(shape):
                raise EditError(f"There is no point {index + 1}; there are {len(shape)}. Nothing was changed.")
            shape[index] = point
        if isinstance(element, Outline) and self.kinds:
            kinds = [self.kinds.get(i, kind) for i, kind in enumerate(element.kinds)]
            rider = rider.changed(element.model_copy(update={"kinds": kinds}))
        what = "corner" if isinstance(element, Pane | Subject) else "point"
        count = len(self.points)
        number = "whole" if count == len(shape) else f"{count} {what}{'s' if count > 1 else ''} of"
        if self.reach == "range" and self.within is None:
            raise EditError("Which frames the edit is to reach was not said. Nothing was changed.")
        label = f"Moved {number} {owner.name}, {self._where()}"
        changed = keying.with_shape(rider, self.frame, shape, self.reach, self.within).element
        if isinstance(changed, Pane | Subject):
            for key in changed.keys:
                check_corners(key_points(key))
        return Applied(label, {element.id: changed})

    def _where(self) -> str:
        if self.reach == "range" and self.within is not None:
            return f"frames {self.within.first} to {self.within.last}"
        return {"all": "all keys", "onward": f"frame {self.frame} on"}.get(self.reach, f"frame {self.frame}")


class InsertPoint(Editing):
    """Put a point on an outline's curve; no key changes its shape."""

    type: Literal["insert-point"]
    outline: ElementId
    segment: int = Field(ge=0)
    t: float = Field(gt=0, lt=1)

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        if self.segment >= len(outline.kinds) or len(outline.kinds) >= MOST_POINTS:
            raise EditError("There is no room for a point there. Nothing was changed.")
        shapes = bezier.insert_point(shot.rider(outline).animation.points, self.segment, self.t)
        kinds = [*outline.kinds]
        kinds.insert(self.segment + 1, "smooth")
        changed = _reshaped(outline, kinds, shapes, lambda held: _with_between(held, self.segment, self.t))
        return Applied(f"Added a point to {cover.name}", {outline.id: changed})


class RemovePoints(Editing):
    """Take points out of an outline on every key."""

    type: Literal["remove-points"]
    outline: ElementId
    indices: list[int] = Field(min_length=1, max_length=MOST_POINTS)

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        gone = set(self.indices)
        if not gone <= set(range(len(outline.kinds))):
            raise EditError("One of these points is not there any more. Nothing was changed.")
        if len(outline.kinds) - len(gone) < 3:
            raise EditError(
                "An outline needs at least three points, so these stay. Delete the cover if it is not needed."
            )
        shapes = remove_points(shot.rider(outline).animation.points, sorted(gone))
        kinds = [kind for i, kind in enumerate(outline.kinds) if i not in gone]
        label = f"Removed {len(gone)} point{'s' if len(gone) > 1 else ''} from {cover.name}"
        left = [i for i in range(len(outline.kinds)) if i not in gone]
        changed = _reshaped(outline, kinds, shapes, lambda held: [held[i] for i in left])
        return Applied(label, {outline.id: changed})


class SetPointKind(Editing):
    """Make points corners (no handles), smooth (handles in line) or free, on every key.

    With a roundness, smooth points get their handles computed anew from their neighbours.
    """

    type: Literal["set-point-kind"]
    outline: ElementId
    indices: list[int] = Field(min_length=1, max_length=MOST_POINTS)
    kind: PointKind
    roundness: float | None = Field(default=None, ge=0, le=3, allow_inf_nan=False)

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        if not set(self.indices) <= set(range(len(outline.kinds))):
            raise EditError("One of these points is not there any more. Nothing was changed.")
        shapes = np.stack([key_points(key) for key in outline.keys])
        kinds = list(outline.kinds)
        if self.kind == "smooth" and self.roundness is not None:
            shapes = round_points(shapes, self.indices, self.roundness)
        for index in self.indices:
            kinds[index] = self.kind
            if self.kind == "corner":
                shapes[:, index, 2:6] = 0.0
            elif self.kind == "smooth":
                _align_handles(shapes, index)
        return Applied(f"Made {self.kind}, {cover.name}", {outline.id: _reshaped(outline, kinds, shapes)})


class Mirror(Editing):
    """Mirror an outline left to right, or across: top to bottom, about its pivot on every key."""

    type: Literal["mirror"]
    outline: ElementId
    across: bool = False

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        animation = shot.rider(outline).animation
        centres = pivots(animation, animation.frames)
        shapes = mirror(animation.points, centres, self.across)
        return Applied(f"Mirrored {cover.name}", {outline.id: _reshaped(outline, outline.kinds, shapes)})


def _with_between(held: list[float], segment: int, t: float) -> list[float]:
    there = held[segment] * (1 - t) + held[(segment + 1) % len(held)] * t
    return [*held[: segment + 1], there, *held[segment + 1 :]]


def _reshaped(
    outline: Outline,
    kinds: list[PointKind],
    shapes: bezier.Points,
    same: Callable[[list[float]], list[float]] | None = None,
) -> Outline:
    """The outline with other shapes on its keys; `same` makes what each point had into what each new one has."""
    keys = [
        key.model_copy(update={"points": keying.as_points(shape)})
        for key, shape in zip(outline.keys, shapes, strict=True)
    ]
    joints = outline.joints
    if same is not None and joints:
        joints = [j.model_copy(update={"beyond": same(j.beyond)}) for j in joints]
    # A pivot is a place in the picture at the first key, which none of these changes moves.
    return outline.model_copy(update={"kinds": kinds, "keys": keys, "joints": joints})


def _align_handles(shapes: bezier.Points, index: int) -> None:
    """Handles of one point along the chord of its neighbours (where it had none, a third of the way)."""
    count = shapes.shape[1]
    here = shapes[:, index, :2]
    before, after = shapes[:, index - 1, :2], shapes[:, (index + 1) % count, :2]
    chord = after - before
    direction = chord / np.maximum(np.linalg.norm(chord, axis=-1, keepdims=True), 1e-9)
    for columns, neighbour, sign in ((slice(2, 4), before, -1.0), (slice(4, 6), after, 1.0)):
        own = np.linalg.norm(shapes[:, index, columns], axis=-1, keepdims=True)
        third = np.linalg.norm(neighbour - here, axis=-1, keepdims=True) / 3
        shapes[:, index, columns] = sign * direction * np.where(own > 1e-6, own, third)
