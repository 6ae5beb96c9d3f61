"""Edits of keys: set, delete, move, copy, stretch, ease, and thinning them out."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from wiseglove.core.outline.thin import Thinned, thin_out
from wiseglove.shot import keys as keying
from wiseglove.shot.basics import Curve, Ease, ElementId, Point
from wiseglove.shot.edits.base import (
    FINEST,
    MOST_POINTS,
    Applied,
    Editing,
    Frames,
    Index,
    unlocked_animated,
    unlocked_outline,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Doubted, Key, Outline
from wiseglove.shot.rider import Rider


def _named(frames: Frames) -> str:
    return f"key {frames[0]}" if len(frames) == 1 else f"{len(frames)} keys"


class SetKey(Editing):
    """Set a key without changing the shape."""

    type: Literal["set-key"]
    element: ElementId
    frame: int

    def apply(self, shot: EvaluatedShot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        keying.check_frame(shot.plate, self.frame)
        rider = shot.rider(element)
        changed = keying.with_key(rider, self.frame, rider.shape_at(self.frame)).element
        return Applied(f"Set a key, {owner.name}, frame {self.frame}", {element.id: changed})


class SetKeys(Editing):
    """Set an outline's whole shape on several frames at once, as pasted or carried on."""

    type: Literal["set-keys"]
    outline: ElementId
    shapes: dict[Index, Annotated[list[Point], Field(max_length=MOST_POINTS)]] = Field(min_length=1, max_length=10_000)
    doubtful: dict[Index, Annotated[list[Index], Field(max_length=MOST_POINTS)]] = Field(default={}, max_length=10_000)
    """Segments by frame that are to be looked at: pinned and marked until the shape there changes."""

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        changed = shot.rider(outline)
        for frame, points in sorted(self.shapes.items()):
            keying.check_frame(shot.plate, frame)
            if len(points) != len(outline.kinds):
                raise EditError(
                    f"That shape has {len(points)} points, this outline has {len(outline.kinds)}, so it cannot be a key "
                    "of it. Nothing was changed; paste it as an outline of its own instead."
                )
            changed = keying.with_key(changed, frame, np.array(points))
        frames = sorted(self.shapes)
        where = f"frame {frames[0]}" if len(frames) == 1 else f"frames {frames[0]} to {frames[-1]}"
        keyed = changed.element.model_copy(update={"doubted": self._doubted(outline, changed)})
        return Applied(f"Set {_named(frames)} of {cover.name}, {where}", {outline.id: keyed})

    def _doubted(self, outline: Outline, changed: Rider[Outline]) -> dict[int, Doubted]:
        """What is in doubt once these keys are set."""
        out = {f: d for f, d in outline.doubted.items() if f not in self.shapes}
        for frame in self.shapes:
            segments = sorted({k for k in self.doubtful.get(frame, []) if k < len(outline.kinds)})
            if segments:
                out[frame] = Doubted(segments=segments, shape=keying.shape_digest(changed.shape_at(frame)))
        return dict(sorted(out.items()))


class DeleteKeys(Editing):
    """Delete keys of an outline or a pane."""

    type: Literal["delete-keys"]
    element: ElementId
    frames: Frames

    def apply(self, shot: EvaluatedShot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        changed = keying.without_keys(element, self.frames, owner.name)
        return Applied(f"Deleted {_named(self.frames)}, {owner.name}", {element.id: changed})


class MoveKeys(Editing):
    """Shift keys of an outline or a pane in time, or put copies of them there."""

    type: Literal["move-keys"]
    element: ElementId
    frames: Frames
    by: int
    copies: bool = False

    def apply(self, shot: EvaluatedShot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        changed = keying.with_keys_moved(element, self.frames, lambda f: f + self.by, shot.plate, self.copies)
        done = "Copied" if self.copies else "Moved"
        return Applied(f"{done} {_named(self.frames)} by {self.by:+d}, {owner.name}", {element.id: changed})


class StretchKeys(Editing):
    """Spread keys over another span of frames; what then falls on one frame becomes one key."""

    type: Literal["stretch-keys"]
    element: ElementId
    frames: Frames
    first: int
    last: int

    def apply(self, shot: EvaluatedShot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        low, high = min(self.frames), max(self.frames)
        if low == high or self.first == self.last:
            raise EditError("Stretching needs two keys or more on different frames. Nothing was changed.")

        def to(frame: int) -> int:
            return round(self.first + (frame - low) * (self.last - self.first) / (high - low))

        changed = keying.with_keys_moved(element, self.frames, to, shot.plate)
        label = f"Stretched {_named(self.frames)} to {self.first} to {self.last}, {owner.name}"
        return Applied(label, {element.id: changed})


class EaseKeys(Editing):
    """Choose how the stretches after some keys go on; "curve" is a cubic as in CSS."""

    type: Literal["ease-keys"]
    element: ElementId
    frames: Frames
    ease: Ease
    curve: Curve | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        element, owner = unlocked_animated(shot, self.element)
        if self.ease == "curve" and self.curve is None:
            raise EditError("Easing by a curve needs its four numbers. Nothing was changed.")
        changed = keying.with_ease(element, self.frames, self.ease, self.curve)
        return Applied(f"Eased to {self.ease}, {owner.name}", {element.id: changed})


class TurnKeys(Editing):
    """Choose how many whole turns an outline makes on the way from a key to the next; 0 is the shorter way round."""

    type: Literal["turn-keys"]
    outline: ElementId
    frame: int
    turns: int = Field(ge=-20, le=20)

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        if self.frame not in {k.frame for k in outline.keys}:
            raise EditError("There is no key on that frame. Nothing was changed.")
        keys = [k.model_copy(update={"turns": self.turns}) if k.frame == self.frame else k for k in outline.keys]
        label = f"Turned the way round by {self.turns:+d}, {cover.name}, after {self.frame}"
        return Applied(label, {outline.id: keying.with_key_list(outline, keys)})


class ThinOut(Editing):
    """Keep only the keys that are needed for every frame to stay as it is, within a tolerance in pixels."""

    type: Literal["thin-out"]
    outline: ElementId
    tolerance: float = Field(ge=FINEST, le=100, allow_inf_nan=False)

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        rider = shot.rider(outline)
        thinned = thinned_keys(rider, self.tolerance)
        if len(thinned.frames) >= len(outline.keys):
            raise EditError(
                f"All {len(outline.keys)} keys are needed to stay within {self.tolerance:g} px. Nothing was changed."
            )
        shapes = rider.stored_at(list(thinned.frames))
        keys = [Key(frame=f, points=keying.as_points(s)) for f, s in zip(thinned.frames, shapes, strict=True)]
        label = f"Thinned out from {len(outline.keys)} to {len(keys)} keys, {cover.name}"
        return Applied(label, {outline.id: keying.with_key_list(outline, keys)})


def thinned_keys(rider: Rider[Outline], tolerance: float) -> Thinned:
    """Which frames would stay keys of an outline, and by how much any frame would differ."""
    keys = rider.element.keys
    frames = list(range(keys[0].frame, keys[-1].frame + 1))
    return thin_out(frames, rider.stored_at(frames), tolerance, rider.element.pivot)
