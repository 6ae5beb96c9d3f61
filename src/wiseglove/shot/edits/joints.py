"""Edits of joints: where an outline that rides on one carrier goes over to another."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from wiseglove.core.motion.joint import weights_beyond
from wiseglove.shot import keys as keying
from wiseglove.shot.basics import ElementId, Line
from wiseglove.shot.edits.base import Applied, Editing, get, unlocked, unlocked_outline
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Carrier, Joint, Outline, Pane
from wiseglove.shot.rider import Rider

Width = Annotated[float, Field(allow_inf_nan=False, ge=0, le=5000)]


def _beyond(rider: Rider[Outline], frame: int, line: Line, width: float) -> list[float]:
    seen = rider.shape_at(frame)[:, :2]
    try:
        there = weights_beyond(seen, np.array(line, np.float64), width)
    except ValueError:
        raise EditError("The line across the joint has no length. Nothing was changed; drag it across.") from None
    if there.max() <= 0 or there.min() >= 1:
        raise EditError(
            "The line leaves the whole outline on one side, so nothing bends there. Nothing was changed; drag it across "
            "the outline."
        )
    return [float(x) for x in there]


class AddJoint(Editing):
    """Let what lies beyond a line across an outline, to its right as seen on a frame, ride on a further carrier.

    Without a width, the one goes over into the other within half of what the outline measures along the line.
    """

    type: Literal["add-joint"]
    outline: ElementId
    carrier: ElementId
    frame: int
    line: Line
    width: Width | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        carrier = get(shot, self.carrier, Carrier)
        keying.check_frame(shot.plate, self.frame)
        if outline.rides is None:
            raise EditError(
                "A joint needs a carrier on either side. Let the outline ride on one first; nothing was changed."
            )
        if carrier.id in (outline.rides, *(j.carrier for j in outline.joints)):
            raise EditError(
                f"The outline rides on {carrier.name} already. Nothing was changed; choose another carrier."
            )
        width = self.width
        if width is None:
            width = max(float(np.hypot(*np.subtract(self.line[1], self.line[0]))) / 2, 4.0)
        joint = Joint(
            carrier=carrier.id, at=self.frame, line=self.line, width=width,
            beyond=_beyond(shot.rider(outline), self.frame, self.line, width),
        )  # fmt: skip
        rest = outline.rest if outline.joints else self.frame
        changed = shot.riding(outline, joints=[*outline.joints, joint], rest=rest)
        return Applied(f"{cover.name} bends to {carrier.name}", {outline.id: changed})


class SetJoint(Editing):
    """Change a joint's width, its line, or which side of it is beyond; the outline stays where it is on its keys."""

    type: Literal["set-joint"]
    outline: ElementId
    index: int = Field(ge=0)
    width: Width | None = None
    swapped: bool = False

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        joint = _joint(outline, self.index)
        line = (joint.line[1], joint.line[0]) if self.swapped else joint.line
        width = joint.width if self.width is None else self.width
        update: dict[str, Any] = {
            "line": line,
            "width": width,
            "beyond": _beyond(shot.rider(outline), joint.at, line, width),
        }
        joints = list(outline.joints)
        joints[self.index] = joint.model_copy(update=update)
        return Applied(f"Changed a joint of {cover.name}", {outline.id: shot.riding(outline, joints=joints)})


class RemoveJoint(Editing):
    """Take a joint away; the outline stays where it is on its keys."""

    type: Literal["remove-joint"]
    outline: ElementId
    index: int = Field(ge=0)

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        gone = _joint(outline, self.index)
        joints = [j for j in outline.joints if j is not gone]
        changed = shot.riding(outline, joints=joints, rest=outline.rest if joints else None)
        return Applied(f"Took a joint of {cover.name} away", {outline.id: changed})


def _joint(outline: Outline, index: int) -> Joint:
    if index >= len(outline.joints):
        raise EditError("That joint is not there any more. Nothing was changed.")
    return outline.joints[index]


class PinCorner(Editing):
    """Let one corner of a pane ride on a carrier of its own, or with the others again; it stays where it is on its keys."""

    type: Literal["pin-corner"]
    pane: ElementId
    index: int = Field(ge=0, le=3)
    carrier: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        pane = get(shot, self.pane, Pane)
        unlocked(shot, pane)
        carrier = get(shot, self.carrier, Carrier) if self.carrier else None
        pins: list[str | None] = [*pane.pins, *[None] * (4 - len(pane.pins))]
        pins[self.index] = carrier.id if carrier else None
        rest = pane.keys[0].frame if pane.rest is None else pane.rest
        changed = shot.riding(pane, pins=pins if any(pins) else [], rest=rest if any(pins) else None)
        where = ("top left", "top right", "bottom right", "bottom left")[self.index]
        label = f"{pane.name}, {where} corner rides on {carrier.name if carrier else 'what the others do'}"
        return Applied(label, {pane.id: changed})
