"""Edits of shape: points, handles and corners."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from wiseglove.core.geometry import bezier
from wiseglove.shot import keys as keying
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
from wiseglove.shot.evaluate import animation_of, key_points
from wiseglove.shot.model import ElementId, Outline, Pane, Point, PointKind, Shot


class ShapePoints(Editing):
    """Set some points of an outline or corners of a pane on a frame; a key appears there."""

    type: Literal["shape-points"]
    element: ElementId
    frame: int
    points: dict[Index, Point] = Field(min_length=1, max_length=MOST_POINTS)
    kinds: dict[Index, PointKind] = Field(default={}, max_length=MOST_POINTS)
    """Points of an outline that become another kind with it (on all keys; their handles there stay)."""
    reach: keying.Reach = "frame"

    def apply(self, shot: Shot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        keying.check_frame(shot.plate, self.frame)
        shape = keying.shape_at(element, self.frame).copy()
        for index, point in self.points.items():
            if not 0 <= index < len(shape):
                raise EditError(f"There is no point {index + 1}; there are {len(shape)}. Nothing was changed.")
            shape[index] = point
        if isinstance(element, Outline) and self.kinds:
            kinds = [self.kinds.get(i, kind) for i, kind in enumerate(element.kinds)]
            element = element.model_copy(update={"kinds": kinds})
        what = "corner" if isinstance(element, Pane) else "point"
        count = len(self.points)
        number = "whole" if count == len(shape) else f"{count} {what}{'s' if count > 1 else ''} of"
        label = f"Moved {number} {owner.name}, {_REACHES[self.reach].format(self.frame)}"
        changed = keying.with_shape(element, self.frame, shape, self.reach)
        if isinstance(changed, Pane):
            for key in changed.keys:
                check_corners(key_points(key))
        return Applied(label, {element.id: changed})


_REACHES = {"frame": "frame {}", "all": "all keys", "onward": "frame {} on"}


class InsertPoint(Editing):
    """Put a point on an outline's curve; no key changes its shape."""

    type: Literal["insert-point"]
    outline: ElementId
    segment: int = Field(ge=0)
    t: float = Field(gt=0, lt=1)

    def apply(self, shot: Shot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        if self.segment >= len(outline.kinds) or len(outline.kinds) >= MOST_POINTS:
            raise EditError("There is no room for a point there. Nothing was changed.")
        shapes = bezier.insert_point(animation_of(outline).points, self.segment, self.t)
        kinds = [*outline.kinds]
        kinds.insert(self.segment + 1, "smooth")
        return Applied(f"Added a point to {cover.name}", {outline.id: _reshaped(outline, kinds, shapes)})


class RemovePoints(Editing):
    """Take points out of an outline on every key."""

    type: Literal["remove-points"]
    outline: ElementId
    indices: list[int] = Field(min_length=1, max_length=MOST_POINTS)

    def apply(self, shot: Shot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        gone = set(self.indices)
        if not gone <= set(range(len(outline.kinds))):
            raise EditError("One of these points is not there any more. Nothing was changed.")
        if len(outline.kinds) - len(gone) < 3:
            raise EditError(
                "An outline needs at least three points, so these stay. Delete the cover if it is not needed."
            )
        shapes = bezier.remove_points(animation_of(outline).points, sorted(gone))
        kinds = [kind for i, kind in enumerate(outline.kinds) if i not in gone]
        label = f"Removed {len(gone)} point{'s' if len(gone) > 1 else ''} from {cover.name}"
        return Applied(label, {outline.id: _reshaped(outline, kinds, shapes)})


class SetPointKind(Editing):
    """Make points corners (no handles), smooth (handles in line) or free, on every key."""

    type: Literal["set-point-kind"]
    outline: ElementId
    indices: list[int] = Field(min_length=1, max_length=MOST_POINTS)
    kind: PointKind

    def apply(self, shot: Shot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        if not set(self.indices) <= set(range(len(outline.kinds))):
            raise EditError("One of these points is not there any more. Nothing was changed.")
        shapes = np.stack([key_points(key) for key in outline.keys])
        kinds = list(outline.kinds)
        for index in self.indices:
            kinds[index] = self.kind
            if self.kind == "corner":
                shapes[:, index, 2:] = 0.0
            elif self.kind == "smooth":
                _align_handles(shapes, index)
        return Applied(f"Made {self.kind}, {cover.name}", {outline.id: _reshaped(outline, kinds, shapes)})


def _reshaped(outline: Outline, kinds: list[PointKind], shapes: bezier.Points) -> Outline:
    keys = [
        key.model_copy(update={"points": keying.as_points(shape)})
        for key, shape in zip(outline.keys, shapes, strict=True)
    ]
    return outline.model_copy(update={"kinds": kinds, "keys": keys})


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
