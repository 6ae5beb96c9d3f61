"""Typed edits. Each one says what it changes; nothing else changes a shot.

`apply` returns the label for the history and the elements after the edit (None for one that is gone). The
store keeps before and after of each, which is all that undo and redo need.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from wiseglove.core.geometry import bezier
from wiseglove.core.geometry.homography import is_convex
from wiseglove.shot import keys as keying
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluate import animation_of, key_points
from wiseglove.shot.model import (
    Colour,
    Corner,
    Cover,
    E,
    Ease,
    Element,
    ElementId,
    Insert,
    Key,
    Name,
    Outline,
    Pane,
    PaneKey,
    Point,
    PointKind,
    Settings,
    Shot,
    Strict,
    new_id,
)

MOST_POINTS = 2000
COVER_COLOURS = ("#56b4e9", "#e69f00", "#cc79a7", "#009e73", "#f0e442", "#d55e00", "#0072b2")
"""Okabe & Ito's colour-blind-safe set, in the order in which covers get them."""
PANE_COLOUR = "#0f6a62"

Frames = Annotated[list[int], Field(min_length=1, max_length=100_000)]
Corners = tuple[Corner, Corner, Corner, Corner]


@dataclass(frozen=True)
class Applied:
    """What an edit did: its label, each element's state afterwards, and what the page may select."""

    label: str
    after: dict[str, Element | None]
    made: str | None = None


class Editing(Strict):
    """Base of all edits."""

    def apply(self, shot: Shot) -> Applied:
        """The change, or EditError; the shot itself is not touched."""
        raise NotImplementedError


def _get(shot: Shot, element: str, wanted: type[E]) -> E:
    found = shot.find(element, wanted)
    if found is None:
        raise EditError(
            f"That {wanted.__name__.lower()} is not in the shot any more; it may have been deleted in another "
            "page. Nothing was changed."
        )
    return found


def _animated(shot: Shot, element: str) -> Outline | Pane:
    found = shot.elements.get(element)
    if not isinstance(found, Outline | Pane):
        raise EditError("What these keys belong to is not in the shot any more. Nothing was changed.")
    return found


def _owner(shot: Shot, element: Outline | Pane) -> Cover | Pane:
    return _get(shot, element.cover, Cover) if isinstance(element, Outline) else element


def _unlocked(owner: Cover | Pane) -> None:
    if owner.locked:
        raise EditError(f"“{owner.name}” is locked. Unlock it to change it; nothing was changed.")


def _free_name(shot: Shot, wanted: str) -> str:
    taken = {e.name for e in shot.elements.values() if isinstance(e, Cover | Pane)}
    number, name = 1, wanted
    while name in taken:
        number += 1
        name = f"{wanted} {number}"
    return name


def _unused(shot: Shot, wanted: str) -> str:
    if wanted in shot.elements:
        raise EditError("That id is taken. Nothing was changed; leave it out to get a fresh one.")
    return wanted


def _with_depth(shot: Shot, depth: list[str]) -> Settings:
    return shot.settings.model_copy(update={"depth": depth})


def _check_shape(points: list[Point], kinds: list[PointKind]) -> None:
    if len(points) != len(kinds):
        raise EditError(f"The outline has {len(kinds)} points but {len(points)} came. Nothing was changed.")
    if len(points) < 3:
        raise EditError("An outline needs at least three points. Go on clicking; nothing was changed.")


def _check_corners(points: bezier.Points) -> None:
    if not is_convex(points[:, :2]):
        raise EditError(
            "A pane's corners must go round without crossing or folding in. The pane stays as it was; "
            "move the corner the other way."
        )


class OutlineDraft(Strict):
    """A freshly drawn outline."""

    kinds: list[PointKind] = Field(max_length=MOST_POINTS)
    points: list[Point] = Field(max_length=MOST_POINTS)

    def as_outline(self, cover: str, frame: int, mode: Literal["adds", "cuts", "limits"]) -> Outline:
        """The outline with one key."""
        _check_shape(self.points, self.kinds)
        key = Key(frame=frame, points=self.points)
        return Outline(id=new_id(), cover=cover, mode=mode, kinds=self.kinds, keys=[key])


class AddCover(Editing):
    """A new cover in front of everything, with one outline that has one key."""

    type: Literal["add-cover"]
    frame: int
    outline: OutlineDraft
    name: Name | None = None
    colour: Colour | None = None
    outline_id: ElementId | None = None

    def apply(self, shot: Shot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        cover_id = new_id()
        outline = self.outline.as_outline(cover_id, self.frame, "adds")
        if self.outline_id:
            outline = outline.model_copy(update={"id": _unused(shot, self.outline_id)})
        cover = Cover(
            id=cover_id,
            name=_free_name(shot, self.name or "Cover"),
            colour=self.colour or COVER_COLOURS[len(shot.covers) % len(COVER_COLOURS)],
            outlines=[outline.id],
        )
        settings = _with_depth(shot, [cover_id, *shot.settings.depth])
        after: dict[str, Element | None] = {cover_id: cover, outline.id: outline, "settings": settings}
        return Applied(f"Drew {cover.name}, frame {self.frame}", after, cover_id)


class AddOutline(Editing):
    """A further outline of a cover."""

    type: Literal["add-outline"]
    cover: ElementId
    frame: int
    outline: OutlineDraft
    mode: Literal["adds", "cuts", "limits"] = "adds"

    def apply(self, shot: Shot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        cover = _get(shot, self.cover, Cover)
        _unlocked(cover)
        outline = self.outline.as_outline(cover.id, self.frame, self.mode)
        grown = cover.model_copy(update={"outlines": [*cover.outlines, outline.id]})
        label = f"Drew an outline that {self.mode}, {cover.name}, frame {self.frame}"
        return Applied(label, {cover.id: grown, outline.id: outline}, cover.id)


class ShapePoints(Editing):
    """Set some points of an outline or corners of a pane on a frame; a key appears there."""

    type: Literal["shape-points"]
    element: ElementId
    frame: int
    points: dict[int, Point] = Field(min_length=1, max_length=MOST_POINTS)
    kinds: dict[int, PointKind] = Field(default={}, max_length=MOST_POINTS)
    """Points of an outline that become another kind with it (on all keys; their handles there stay)."""

    def apply(self, shot: Shot) -> Applied:
        element = _animated(shot, self.element)
        owner = _owner(shot, element)
        _unlocked(owner)
        keying.check_frame(shot.plate, self.frame)
        shape = keying.shape_at(element, self.frame).copy()
        for index, point in self.points.items():
            if not 0 <= index < len(shape):
                raise EditError(f"There is no point {index + 1}; there are {len(shape)}. Nothing was changed.")
            shape[index] = point
        if isinstance(element, Pane):
            _check_corners(shape)
        elif self.kinds:
            kinds = [self.kinds.get(i, kind) for i, kind in enumerate(element.kinds)]
            element = element.model_copy(update={"kinds": kinds})
        what = "corner" if isinstance(element, Pane) else "point"
        count = len(self.points)
        number = "whole" if count == len(shape) else f"{count} {what}{'s' if count > 1 else ''} of"
        label = f"Moved {number} {owner.name}, frame {self.frame}"
        return Applied(label, {element.id: keying.with_key(element, self.frame, shape)})


class SetKey(Editing):
    """Set a key without changing the shape."""

    type: Literal["set-key"]
    element: ElementId
    frame: int

    def apply(self, shot: Shot) -> Applied:
        element = _animated(shot, self.element)
        owner = _owner(shot, element)
        _unlocked(owner)
        keying.check_frame(shot.plate, self.frame)
        shape = keying.shape_at(element, self.frame)
        label = f"Set a key, {owner.name}, frame {self.frame}"
        return Applied(label, {element.id: keying.with_key(element, self.frame, shape)})


class DeleteKeys(Editing):
    """Delete keys of an outline or a pane."""

    type: Literal["delete-keys"]
    element: ElementId
    frames: Frames

    def apply(self, shot: Shot) -> Applied:
        element = _animated(shot, self.element)
        owner = _owner(shot, element)
        _unlocked(owner)
        changed = keying.without_keys(element, self.frames, owner.name)
        which = f"key {self.frames[0]}" if len(self.frames) == 1 else f"{len(self.frames)} keys"
        return Applied(f"Deleted {which}, {owner.name}", {element.id: changed})


class MoveKeys(Editing):
    """Shift keys of an outline or a pane in time."""

    type: Literal["move-keys"]
    element: ElementId
    frames: Frames
    by: int

    def apply(self, shot: Shot) -> Applied:
        element = _animated(shot, self.element)
        owner = _owner(shot, element)
        _unlocked(owner)
        changed = keying.with_keys_moved(element, self.frames, self.by, shot.plate)
        which = f"key {self.frames[0]}" if len(self.frames) == 1 else f"{len(self.frames)} keys"
        return Applied(f"Moved {which} by {self.by:+d}, {owner.name}", {element.id: changed})


class EaseKeys(Editing):
    """Choose how the stretches after some keys go on."""

    type: Literal["ease-keys"]
    element: ElementId
    frames: Frames
    ease: Ease

    def apply(self, shot: Shot) -> Applied:
        element = _animated(shot, self.element)
        owner = _owner(shot, element)
        _unlocked(owner)
        changed = keying.with_ease(element, self.frames, self.ease)
        return Applied(f"Eased to {self.ease}, {owner.name}", {element.id: changed})


class InsertPoint(Editing):
    """Put a point on an outline's curve; no key changes its shape."""

    type: Literal["insert-point"]
    outline: ElementId
    segment: int = Field(ge=0)
    t: float = Field(gt=0, lt=1)

    def apply(self, shot: Shot) -> Applied:
        outline = _get(shot, self.outline, Outline)
        cover = _owner(shot, outline)
        _unlocked(cover)
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
        outline = _get(shot, self.outline, Outline)
        cover = _owner(shot, outline)
        _unlocked(cover)
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


def _reshaped(outline: Outline, kinds: list[PointKind], shapes: bezier.Points) -> Outline:
    keys = [
        key.model_copy(update={"points": keying.as_points(shape)})
        for key, shape in zip(outline.keys, shapes, strict=True)
    ]
    return outline.model_copy(update={"kinds": kinds, "keys": keys})


class SetPointKind(Editing):
    """Make points corners (no handles), smooth (handles in line) or free, on every key."""

    type: Literal["set-point-kind"]
    outline: ElementId
    indices: list[int] = Field(min_length=1, max_length=MOST_POINTS)
    kind: PointKind

    def apply(self, shot: Shot) -> Applied:
        outline = _get(shot, self.outline, Outline)
        cover = _owner(shot, outline)
        _unlocked(cover)
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


class SetCover(Editing):
    """Change a cover's name, colour, show, lock, in or out; only what is sent changes."""

    type: Literal["set-cover"]
    cover: ElementId
    name: Name | None = None
    colour: Colour | None = None
    shown: bool | None = None
    locked: bool | None = None
    first: int | None = None
    last: int | None = None

    def apply(self, shot: Shot) -> Applied:
        cover = _get(shot, self.cover, Cover)
        sent = {name: getattr(self, name) for name in self.model_fields_set - {"type", "cover"}}
        for name in ("first", "last"):
            if sent.get(name) is not None:
                keying.check_frame(shot.plate, sent[name])
        changed = cover.model_copy(update={k: v for k, v in sent.items() if v is not None or k in ("first", "last")})
        if changed.first is not None and changed.last is not None and changed.first > changed.last:
            raise EditError(f"In ({changed.first}) must not lie after out ({changed.last}). Nothing was changed.")
        return Applied(_attribute_label(cover.name, sent), {cover.id: changed})


class AddPane(Editing):
    """A new pane behind all covers, with one key."""

    type: Literal["add-pane"]
    frame: int
    corners: Corners
    name: Name | None = None
    id: ElementId | None = None

    def apply(self, shot: Shot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        _check_corners(np.array(self.corners))
        pane = Pane(
            id=_unused(shot, self.id) if self.id else new_id(),
            name=_free_name(shot, self.name or "Pane"),
            colour=PANE_COLOUR,
            keys=[PaneKey(frame=self.frame, corners=self.corners)],
        )
        settings = _with_depth(shot, [*shot.settings.depth, pane.id])
        return Applied(f"Placed {pane.name}, frame {self.frame}", {pane.id: pane, "settings": settings}, pane.id)


class SetPane(Editing):
    """Change a pane's name, colour, show, lock, opacity or insert; only what is sent changes."""

    type: Literal["set-pane"]
    pane: ElementId
    name: Name | None = None
    colour: Colour | None = None
    shown: bool | None = None
    locked: bool | None = None
    opacity: float | None = Field(default=None, ge=0, le=1, allow_inf_nan=False)
    insert: Insert | None = None

    def apply(self, shot: Shot) -> Applied:
        pane = _get(shot, self.pane, Pane)
        if self.insert and self.insert.source == "media" and not self.insert.media:
            raise EditError("No picture was chosen for the insert. The pane keeps the one it has.")
        fields = self.model_fields_set - {"type", "pane"}
        sent = {name: getattr(self, name) for name in fields if getattr(self, name) is not None}
        if self.insert and self.insert.start is None:
            sent["insert"] = self.insert.model_copy(update={"start": shot.plate.first})
        return Applied(_attribute_label(pane.name, sent), {pane.id: pane.model_copy(update=sent)})


def _attribute_label(name: str, sent: dict[str, object]) -> str:
    if "name" in sent:
        return f"Renamed {name} to {sent['name']}"
    if "shown" in sent:
        return f"{'Showed' if sent['shown'] else 'Hid'} {name}"
    if "locked" in sent:
        return f"{'Locked' if sent['locked'] else 'Unlocked'} {name}"
    words = {"first": "in", "last": "out"}
    return f"Changed {', '.join(words.get(k, k) for k in sorted(sent)) or 'nothing'} of {name}"


class DeleteElement(Editing):
    """Delete a cover with its outlines, one outline of several, or a pane."""

    type: Literal["delete"]
    element: ElementId

    def apply(self, shot: Shot) -> Applied:
        found = shot.elements.get(self.element)
        if isinstance(found, Outline):
            cover = _get(shot, found.cover, Cover)
            _unlocked(cover)
            if len(cover.outlines) > 1:
                left = [o for o in cover.outlines if o != found.id]
                thinner = cover.model_copy(update={"outlines": left})
                return Applied(f"Deleted an outline of {cover.name}", {found.id: None, cover.id: thinner})
            found = cover
        if not isinstance(found, Cover | Pane):
            raise EditError("That is not in the shot any more. Nothing was changed.")
        _unlocked(found)
        after: dict[str, Element | None] = {found.id: None}
        if isinstance(found, Cover):
            after.update(dict.fromkeys(found.outlines))
        after["settings"] = _with_depth(shot, [d for d in shot.settings.depth if d != found.id])
        return Applied(f"Deleted {found.name}", after)


class OrderDepth(Editing):
    """Put covers and panes into another order, near to far."""

    type: Literal["order-depth"]
    depth: list[ElementId]

    def apply(self, shot: Shot) -> Applied:
        if sorted(self.depth) != sorted(shot.settings.depth):
            raise EditError("The depth order does not name what is in the shot now. Nothing was changed.")
        return Applied("Changed the depth order", {"settings": _with_depth(shot, self.depth)})


class SetShot(Editing):
    """Rename the shot or choose how pictures are mixed."""

    type: Literal["set-shot"]
    name: Name | None = None
    mixing: Literal["linear", "encoded"] | None = None

    def apply(self, shot: Shot) -> Applied:
        sent = self.model_dump(include={"name", "mixing"}, exclude_none=True)
        label = f"Renamed the shot to {self.name}" if self.name else f"Mixing in {self.mixing} light"
        return Applied(label, {"settings": shot.settings.model_copy(update=sent)})


Edit = Annotated[
    AddCover
    | AddOutline
    | ShapePoints
    | SetKey
    | DeleteKeys
    | MoveKeys
    | EaseKeys
    | InsertPoint
    | RemovePoints
    | SetPointKind
    | SetCover
    | AddPane
    | SetPane
    | DeleteElement
    | OrderDepth
    | SetShot,
    Field(discriminator="type"),
]
