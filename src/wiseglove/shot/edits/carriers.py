"""Edits of carriers, and of what rides on them."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.geometry.homography import is_convex
from wiseglove.core.motion.channels import Channel
from wiseglove.core.motion.models import Model
from wiseglove.shot import keys as keying
from wiseglove.shot.basics import Colour, Corners, ElementId, Name, new_id
from wiseglove.shot.edits.base import (
    Applied,
    Editing,
    changeable,
    free_name,
    get,
    owner_of,
    unlocked,
    unlocked_carrier,
    unlocked_outline,
    unused,
)
from wiseglove.shot.edits.regions import RegionPoints, check_region, riding
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import (
    Animated,
    Carrier,
    Cover,
    Element,
    FollowedFrame,
    FollowedPoint,
    HandKey,
    Outline,
    Pane,
    Region,
    SolvedFrame,
)
from wiseglove.shot.motions import motion_of
from wiseglove.shot.subject import Subject

Array = NDArray[np.float64]
STILL: Corners = ((0.0, 0.0), (0.0, 0.0), (0.0, 0.0), (0.0, 0.0))
CARRIER_COLOUR = "#7a5fb0"


class AddCarrier(Editing):
    """A new carrier that looks at one patch, drawn on a frame, which becomes its reference."""

    type: Literal["add-carrier"]
    frame: int
    patch: RegionPoints
    name: Name | None = None
    id: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        check_region(self.patch, shot)
        carrier = Carrier(
            id=unused(shot, self.id) if self.id else new_id(),
            name=free_name(shot, self.name or "Carrier"),
            colour=CARRIER_COLOUR,
            at=self.frame,
            base=_corners_of(np.array(self.patch, np.float64)),
            patches=[Region(points=self.patch)],
        )
        return Applied(f"Drew {carrier.name}, frame {self.frame}", {carrier.id: carrier}, carrier.id)


def _corners_of(patch: Array) -> Corners:
    """Four corners for a patch (N, 8): its own where it has four, clockwise from the upper left; else those around it."""
    quad = patch[:, :2]
    if len(patch) == 4 and not patch[:, 2:6].any() and is_convex(quad):
        around = quad - quad.mean(axis=0)
        quad = quad[np.argsort(np.arctan2(around[:, 1], around[:, 0]))]
        quad = np.roll(quad, -int(quad.sum(axis=1).argmin()), axis=0)
        first, second, third, fourth = ((float(x), float(y)) for x, y in quad)
        return first, second, third, fourth
    line = flatten(patch, 0.5)
    (left, top), (right, bottom) = line.min(0).tolist(), line.max(0).tolist()
    return (left, top), (right, top), (right, bottom), (left, bottom)


class AddHandCarrier(Editing):
    """A new carrier that is set by hand: four corners on a frame, which go where they are put on others."""

    type: Literal["add-hand-carrier"]
    frame: int
    corners: Corners
    name: Name | None = None
    id: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        check_quad(np.array(self.corners, np.float64))
        carrier = Carrier(
            id=unused(shot, self.id) if self.id else new_id(),
            name=free_name(shot, self.name or "Set by hand"),
            colour=CARRIER_COLOUR,
            at=self.frame,
            base=self.corners,
            bridge=[HandKey(frame=self.frame, corners=self.corners)],
        )
        return Applied(f"Began {carrier.name}, frame {self.frame}", {carrier.id: carrier}, carrier.id)


class CarryCover(Editing):
    """A new carrier that looks at what a cover's outline surrounds on a frame, and the cover riding on it."""

    type: Literal["carry-cover"]
    outline: ElementId
    frame: int

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        keying.check_frame(shot.plate, self.frame)
        seen = keying.as_points(shot.rider(outline).shape_at(self.frame))
        patch = [(*p[:6], 0.0, 0.0) for p in seen]
        add = AddCarrier(type="add-carrier", frame=self.frame, patch=patch, name=f"{cover.name}'s motion"[:80])
        made = add.apply(shot)
        carrier = made.after[str(made.made)]
        assert isinstance(carrier, Carrier)
        with_it = shot.with_elements({carrier.id: carrier})
        riders = {o.id: moved_to(o, carrier, with_it) for o in shot.outlines_of(cover)}
        return Applied(f"{cover.name} rides on {carrier.name}", {carrier.id: carrier, **riders}, carrier.id)


def check_quad(corners: Array) -> None:
    """Raise EditError for corners (4, 2) that no motion can be told from."""
    if not is_convex(corners):
        raise EditError("The corners must go round without crossing. Nothing was changed; move the corner back.")


WORDS = {
    "avoids": "what is left out",
    "begins": "where it begins",
    "runs_out": "how it ends",
    "when_lost": "what becomes of a lost point",
}
"""Names of what is changed of a carrier, where the field's own says little."""


class SetCarrier(Editing):
    """Change what a carrier is called, looks at or does; only what is sent changes."""

    type: Literal["set-carrier"]
    carrier: ElementId
    name: Name | None = None
    colour: Colour | None = None
    shown: bool | None = None
    locked: bool | None = None
    model: Model | None = None
    channel: Channel | None = None
    margin: int | None = Field(default=None, ge=0, le=100)
    avoids: bool | None = None
    smoothing: int | None = Field(default=None, ge=0, le=50)
    when_lost: Literal["simpler", "stop"] | None = None
    runs_out: bool | None = None
    begins: str | None = None
    """A carrier; empty for none."""
    matte: str | None = Field(default=None, pattern=r"^([0-9a-f]{24})?$")
    """A clip; empty for none."""

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = get(shot, self.carrier, Carrier)
        sent = {n: v for n in self.model_fields_set - {"type", "carrier"} if (v := getattr(self, n)) is not None}
        sent |= {name: sent[name] or None for name in ("matte", "begins") if name in sent}
        changeable(shot, carrier, sent)
        if sent.get("begins") and get(shot, sent["begins"], Carrier).id == carrier.id:
            raise EditError(
                f"{carrier.name} cannot begin where it goes itself. Nothing was changed; choose another carrier."
            )
        label = f"Changed {', '.join(WORDS.get(n, n) for n in sorted(sent)) or 'nothing'} of {carrier.name}"
        return Applied(label, {carrier.id: carrier.model_copy(update=sent)})


class KeepSolution(Editing):
    """What was solved: these frames are replaced, all others stay. `tracks` are those of its points.

    It was ordered while the carrier could be changed, so it is kept where that has been locked meanwhile.
    """

    type: Literal["keep-solution"]
    carrier: ElementId
    places: list[SolvedFrame] = Field(min_length=1, max_length=100_000)
    tracks: dict[ElementId, list[FollowedFrame]] = Field(default={})

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = get(shot, self.carrier, Carrier)
        held = {s.frame: s for s in carrier.solved} | {s.frame: s for s in self.places}
        for frame in held:
            keying.check_frame(shot.plate, frame)
        points = [_followed_on(p, self.tracks.get(p.id, [])) for p in carrier.points]
        changed = carrier.model_copy(update={"solved": [held[f] for f in sorted(held)], "points": points})
        frames = sorted(s.frame for s in self.places)
        return Applied(f"Solved {carrier.name}, frames {frames[0]} to {frames[-1]}", {carrier.id: changed})


class RenewReference(Editing):
    """From a frame on, away from the carrier's own, take what is seen on it as the reference; or not any more."""

    type: Literal["renew-reference"]
    carrier: ElementId
    frame: int
    renew: bool = True

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = unlocked_carrier(shot, self.carrier)
        keying.check_frame(shot.plate, self.frame)
        others = [f for f in carrier.references if f != self.frame]
        if not self.renew:
            changed = carrier.model_copy(update={"references": others})
            return Applied(f"{carrier.name} has no reference of its own at {self.frame}", {carrier.id: changed})
        sure = any(s.frame == self.frame and s.status == "solved" for s in carrier.solved)
        if carrier.points or not carrier.patches or self.frame == carrier.at or not sure:
            raise EditError(
                "A new reference can only be taken of patches, on a frame that is solved and sure. Nothing was changed."
            )
        changed = carrier.model_copy(update={"references": sorted([*others, self.frame])})
        return Applied(f"New reference of {carrier.name}, frame {self.frame}", {carrier.id: changed})


def _followed_on(point: FollowedPoint, fresh: list[FollowedFrame]) -> FollowedPoint:
    if not fresh or point.held:
        return point
    track = {f.frame: f for f in point.track} | {f.frame: f for f in fresh}
    return point.model_copy(update={"track": [track[f] for f in sorted(track)]})


class ClearSolution(Editing):
    """Forget what was solved on a range of frames."""

    type: Literal["clear-solution"]
    carrier: ElementId
    first: int
    last: int

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = unlocked_carrier(shot, self.carrier)
        kept = [s for s in carrier.solved if not self.first <= s.frame <= self.last]
        if len(kept) == len(carrier.solved):
            raise EditError("Nothing is solved on those frames. Nothing was changed.")
        label = f"Cleared {carrier.name}, frames {self.first} to {self.last}"
        points = [
            p
            if p.held
            else p.model_copy(update={"track": [f for f in p.track if not self.first <= f.frame <= self.last]})
            for p in carrier.points
        ]
        return Applied(label, {carrier.id: carrier.model_copy(update={"solved": kept, "points": points})})


class SetByHand(Editing):
    """Put a carrier's base corners by hand on a frame: a stitch of a bridge where nothing is solved, or a correction.

    A correction moves what is there; a stitch stands in for it. Without corners, the stitch or knot goes, or with
    `none` a knot is put that moves nothing, where corrections end. `ease` is how a stitch goes on.
    """

    type: Literal["set-by-hand"]
    carrier: ElementId
    frame: int
    how: Literal["bridge", "correction"] | None = None
    """None: a correction where the frame is solved, or is the carrier's own, else a stitch."""
    corners: Corners | None = None
    none: bool = False
    ease: Literal["smooth", "linear", "hold"] | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = unlocked_carrier(shot, self.carrier)
        keying.check_frame(shot.plate, self.frame)
        bridges = self.how == "bridge" or (self.how is None and not is_solved_on(carrier, self.frame))
        name = "bridge" if bridges else "corrections"
        others = [k for k in getattr(carrier, name) if k.frame != self.frame]
        what = "a stitch" if bridges else "a correction"
        if self.none:
            kept = [k for k in carrier.corrections if k.frame != self.frame]
            ended = _sorted(kept, HandKey(frame=self.frame, corners=STILL))
            label = f"Corrections of {carrier.name} end, frame {self.frame}"
            return Applied(label, {carrier.id: carrier.model_copy(update={"corrections": ended})})
        if self.corners is None:
            if len(others) == len(getattr(carrier, name)):
                raise EditError(f"There is not {what} on frame {self.frame}. Nothing was changed.")
            changed = carrier.model_copy(update={name: others})
            return Applied(f"Took away {what} of {carrier.name}, frame {self.frame}", {carrier.id: changed})
        wanted = np.array(self.corners, np.float64)
        check_quad(wanted)
        if not bridges:
            bare = carrier.model_copy(update={"corrections": []})
            wanted = wanted - motion_of(bare, shot.plate).quads[self.frame - shot.plate.first]
        before = next((k for k in reversed(getattr(carrier, name)) if k.frame <= self.frame), None)
        ease = self.ease or (before.ease if before else "smooth")
        corners: Any = tuple((float(x), float(y)) for x, y in wanted)
        key = HandKey(frame=self.frame, corners=corners, ease=ease)
        changed = carrier.model_copy(update={name: _sorted(others, key)})
        return Applied(f"Set {what} of {carrier.name}, frame {self.frame}", {carrier.id: changed})


def is_solved_on(carrier: Carrier, frame: int) -> bool:
    """Whether a carrier's motion on a frame comes from solving: there, what is set by hand corrects it."""
    own = frame == carrier.at and not carrier.is_set_by_hand
    return own or any(s.frame == frame and s.corners is not None for s in carrier.solved)


def _sorted(others: list[HandKey], key: HandKey) -> list[HandKey]:
    return sorted([*others, key], key=lambda k: k.frame)


class Ride(Editing):
    """Let covers, outlines and panes ride on a carrier, or on none; they stay where they are on all of their keys."""

    type: Literal["ride"]
    elements: list[ElementId] = Field(min_length=1, max_length=1000)
    carrier: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = get(shot, self.carrier, Carrier) if self.carrier else None
        after: dict[str, Element | None] = {}
        names = []
        for element_id in self.elements:
            found = shot.elements.get(element_id)
            if isinstance(found, Cover):
                unlocked(shot, found)
                riders: list[Animated] = list(shot.outlines_of(found))
                names.append(found.name)
            elif isinstance(found, Animated):
                owner = owner_of(shot, found)
                unlocked(shot, owner)
                riders = [found]
                names.append(owner.name)
            else:
                raise EditError("That cannot ride on anything. Nothing was changed.")
            for rider in riders:
                after[rider.id] = moved_to(rider, carrier, shot)
        who = names[0] if len(names) == 1 else f"{len(names)} things"
        verb = "rides" if len(names) == 1 else "ride"
        label = f"{who} {verb} on {carrier.name if carrier else 'nothing'}"
        return Applied(label, after)


def moved_to(rider: Animated, carrier: Carrier | None, shot: EvaluatedShot) -> Animated:
    """What rides on another carrier, or none; joints to others stay where there is one."""
    if isinstance(rider, Pane | Subject):
        return shot.riding(rider, rides=carrier.id if carrier else None, rest=rider.rest)
    joints = [j for j in rider.joints if carrier is not None and j.carrier != carrier.id]
    rest = rider.rest if joints else None
    return shot.riding(rider, rides=carrier.id if carrier else None, joints=joints, rest=rest)


def _carrier_without(held: Carrier, shot: EvaluatedShot, carrier: Carrier) -> dict[str, Element | None]:
    """A carrier whose regions ride on themselves, and which begins by itself, where it did so on one that goes; none else."""

    def own(regions: list[Region]) -> list[Region]:
        return [riding(r, shot, held, None) if r.rides == carrier.id else r for r in regions]

    changed = {
        "blind": own(held.blind),
        "patches": own(held.patches),
        "begins": None if held.begins == carrier.id else held.begins,
    }
    if all(getattr(held, name) == value for name, value in changed.items()):
        return {}
    return {held.id: held.model_copy(update=changed)}


def without_carrier(shot: EvaluatedShot, carrier: Carrier) -> dict[str, Element | None]:
    """What deleting a carrier changes: all that rode on it stays where it is on its keys."""
    after: dict[str, Element | None] = {carrier.id: None}
    for element in shot.elements.values():
        if isinstance(element, Carrier) and element.id != carrier.id:
            after |= _carrier_without(element, shot, carrier)
            continue
        if not isinstance(element, Animated):
            continue
        if isinstance(element, Pane | Subject) and carrier.id in element.pins:
            pins = [None if pin == carrier.id else pin for pin in element.pins]
            rides = None if element.rides == carrier.id else element.rides
            after[element.id] = shot.riding(element, rides=rides, pins=pins, rest=element.rest)
        elif element.rides == carrier.id:
            after[element.id] = moved_to(element, None, shot)
        elif isinstance(element, Outline) and any(j.carrier == carrier.id for j in element.joints):
            joints = [j for j in element.joints if j.carrier != carrier.id]
            after[element.id] = shot.riding(element, joints=joints, rest=element.rest if joints else None)
    return after
