"""Edits of keys: set, delete, move, ease."""

from __future__ import annotations

from typing import Literal

from wiseglove.shot import keys as keying
from wiseglove.shot.edits.base import Applied, Editing, Frames, unlocked_animated
from wiseglove.shot.model import Ease, ElementId, Shot


def _named(frames: Frames) -> str:
    return f"key {frames[0]}" if len(frames) == 1 else f"{len(frames)} keys"


class SetKey(Editing):
    """Set a key without changing the shape."""

    type: Literal["set-key"]
    element: ElementId
    frame: int

    def apply(self, shot: Shot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
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
        element, owner = unlocked_animated(shot, self.element)
        changed = keying.without_keys(element, self.frames, owner.name)
        return Applied(f"Deleted {_named(self.frames)}, {owner.name}", {element.id: changed})


class MoveKeys(Editing):
    """Shift keys of an outline or a pane in time."""

    type: Literal["move-keys"]
    element: ElementId
    frames: Frames
    by: int

    def apply(self, shot: Shot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        changed = keying.with_keys_moved(element, self.frames, self.by, shot.plate)
        return Applied(f"Moved {_named(self.frames)} by {self.by:+d}, {owner.name}", {element.id: changed})


class EaseKeys(Editing):
    """Choose how the stretches after some keys go on."""

    type: Literal["ease-keys"]
    element: ElementId
    frames: Frames
    ease: Ease

    def apply(self, shot: Shot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        changed = keying.with_ease(element, self.frames, self.ease)
        return Applied(f"Eased to {self.ease}, {owner.name}", {element.id: changed})
