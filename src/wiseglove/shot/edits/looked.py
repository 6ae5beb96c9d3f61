"""Saying that an outline looks right on a frame, until its shape there changes."""

from __future__ import annotations

from typing import Literal

from wiseglove.shot import keys as keying
from wiseglove.shot.basics import ElementId
from wiseglove.shot.edits.base import Applied, Editing, get, owner_of
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Outline


class LooksRight(Editing):
    """Say that an outline looks right on a frame as it is there now, or (right: false) take that back.

    It holds for this very shape: once it changes, the frame may be doubted again. Also for what is locked, which stays as it is.
    """

    type: Literal["looks-right"]
    outline: ElementId
    frame: int
    right: bool = True

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline = get(shot, self.outline, Outline)
        name = owner_of(shot, outline).name
        keying.check_frame(shot.plate, self.frame)
        said = {f: d for f, d in outline.right.items() if f != self.frame}
        if self.right:
            said[self.frame] = keying.shape_digest(shot.rider(outline).shape_at(self.frame))
        label = f"Said that {name} looks right, frame {self.frame}"
        if not self.right:
            label = f"Took back that {name} looks right, frame {self.frame}"
        doubted = {f: d for f, d in outline.doubted.items() if not self.right or f != self.frame}
        changed = outline.model_copy(update={"right": dict(sorted(said.items())), "doubted": doubted})
        return Applied(label, {outline.id: changed})
