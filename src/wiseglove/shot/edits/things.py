"""Edits of what is in the shot: covers, outlines, panes, their order, and the shot itself."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from wiseglove.shot import keys as keying
from wiseglove.shot.basics import (
    Colour,
    Corner,
    Corners,
    Crop,
    ElementId,
    Fade,
    Name,
    PaneKey,
    Point,
    PointKind,
    Strict,
    new_id,
)
from wiseglove.shot.edits.base import (
    MOST_POINTS,
    Applied,
    Editing,
    changeable,
    check_corners,
    free_name,
    get,
    unlocked,
    unlocked_carrier,
    unlocked_outline,
    unused,
    with_depth,
)
from wiseglove.shot.edits.carriers import without_carrier
from wiseglove.shot.edits.groups import regrouped
from wiseglove.shot.edits.labels import attribute_label
from wiseglove.shot.edits.subjects import without_things
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Carrier, Contents, Cover, Element, Group, Key, Outline, Pane, Thing
from wiseglove.shot.rider import Rider

COVER_COLOURS = ("#56b4e9", "#e69f00", "#cc79a7", "#009e73", "#f0e442", "#d55e00", "#0072b2")
"""Okabe & Ito's colour-blind-safe set, in the order in which covers get them."""
PANE_COLOUR = "#0f6a62"
MOST_STARTERS = 24
"""Covers that one proposal may bring."""


class OutlineDraft(Strict):
    """A freshly drawn outline."""

    kinds: list[PointKind] = Field(max_length=MOST_POINTS)
    points: list[Point] = Field(max_length=MOST_POINTS)

    def as_outline(self, cover: str, frame: int, mode: Literal["adds", "cuts", "limits"]) -> Outline:
        """The outline with one key."""
        check_shape(self.points, self.kinds)
        key = Key(frame=frame, points=self.points)
        return Outline(id=new_id(), cover=cover, mode=mode, kinds=self.kinds, keys=[key])


def check_shape(points: list[Point], kinds: list[PointKind]) -> None:
    if len(points) != len(kinds):
        raise EditError(f"The outline has {len(kinds)} points but {len(points)} came. Nothing was changed.")
    if len(points) < 3:
        raise EditError("An outline needs at least three points. Go on clicking; nothing was changed.")


class AddCover(Editing):
    """A new cover in front of everything, with one outline that has one key."""

    type: Literal["add-cover"]
    frame: int
    outline: OutlineDraft
    name: Name | None = None
    colour: Colour | None = None
    outline_id: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        cover_id = new_id()
        outline = self.outline.as_outline(cover_id, self.frame, "adds")
        if self.outline_id:
            outline = outline.model_copy(update={"id": unused(shot, self.outline_id)})
        cover = Cover(
            id=cover_id,
            name=free_name(shot, self.name or "Cover"),
            colour=self.colour or COVER_COLOURS[len(shot.covers) % len(COVER_COLOURS)],
            outlines=[outline.id],
        )
        settings = with_depth(shot, [cover_id, *shot.settings.depth])
        after: dict[str, Element | None] = {cover_id: cover, outline.id: outline, "settings": settings}
        return Applied(f"Drew {cover.name}, frame {self.frame}", after, cover_id)


class NewCover(Strict):
    """A cover that is proposed: its name and its outline."""

    name: Name
    outline: OutlineDraft


class AddCovers(Editing):
    """New covers in front of everything, the first nearest, each with one outline that has one key: all of a proposal at once."""

    type: Literal["add-covers"]
    frame: int
    covers: list[NewCover] = Field(min_length=1, max_length=MOST_STARTERS)

    def apply(self, shot: EvaluatedShot) -> Applied:
        after: dict[str, Element | None] = {}
        made: str | None = None
        for cover in reversed(self.covers):
            added = AddCover(type="add-cover", frame=self.frame, outline=cover.outline, name=cover.name).apply(shot)
            after.update(added.after)
            made = added.made
            shot = shot.advanced(shot.document.with_elements(added.after, shot.revision))
        count = len(self.covers)
        names = "one cover" if count == 1 else f"{count} covers"
        return Applied(f"Began with {names}, frame {self.frame}", after, made)


class AddOutline(Editing):
    """A further outline of a cover."""

    type: Literal["add-outline"]
    cover: ElementId
    frame: int
    outline: OutlineDraft
    mode: Literal["adds", "cuts", "limits"] = "adds"

    def apply(self, shot: EvaluatedShot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        cover = get(shot, self.cover, Cover)
        unlocked(shot, cover)
        outline = self.outline.as_outline(cover.id, self.frame, self.mode)
        grown = cover.model_copy(update={"outlines": [*cover.outlines, outline.id]})
        label = f"Drew an outline that {self.mode}, {cover.name}, frame {self.frame}"
        return Applied(label, {cover.id: grown, outline.id: outline}, cover.id)


CoverColour = Annotated[Colour, Field(examples=list(COVER_COLOURS))]
"""Any colour; those that covers get by themselves stand in the description, for the page to offer."""


class SetCover(Editing):
    """Change a cover's name, colour, show, lock, in, out, fades, growth or motion blur; only what is sent changes."""

    type: Literal["set-cover"]
    cover: ElementId
    name: Name | None = None
    colour: CoverColour | None = None
    shown: bool | None = None
    locked: bool | None = None
    first: int | None = None
    last: int | None = None
    fade_in: Fade | None = None
    fade_out: Fade | None = None
    grow: float | None = Field(default=None, ge=-100, le=100, allow_inf_nan=False)
    shutter: float | None = Field(default=None, ge=0, le=720, allow_inf_nan=False)
    phase: float | None = Field(default=None, ge=-360, le=360, allow_inf_nan=False)

    def apply(self, shot: EvaluatedShot) -> Applied:
        cover = get(shot, self.cover, Cover)
        sent = _sent(self, "cover", shot)
        changeable(shot, cover, sent)
        changed = cover.model_copy(update=sent)
        _check_span(changed)
        return Applied(attribute_label(cover.name, sent), {cover.id: changed})


class SetOutline(Editing):
    """Change how an outline acts, its in and out, its fades, or its pivot; only what is sent changes.

    The pivot comes as a place on a frame; null puts it back to the centre.
    """

    type: Literal["set-outline"]
    outline: ElementId
    mode: Literal["adds", "cuts", "limits"] | None = None
    first: int | None = None
    last: int | None = None
    fade_in: Fade | None = None
    fade_out: Fade | None = None
    pivot: Corner | None = None
    frame: int | None = None
    """The frame on which the pivot is put."""

    def apply(self, shot: EvaluatedShot) -> Applied:
        outline, cover = unlocked_outline(shot, self.outline)
        sent = _sent(self, "outline", shot)
        sent.pop("frame", None)
        if "pivot" in self.model_fields_set:
            sent["pivot"] = None if self.pivot is None else self._at_first_key(shot.rider(outline))
        changed = outline.model_copy(update=sent)
        _check_span(changed)
        return Applied(attribute_label(cover.name, sent), {outline.id: changed})

    def _at_first_key(self, rider: Rider[Outline]) -> Corner:
        """The pivot's place, taken back from its frame to the first key along with the outline's turn."""
        assert self.pivot is not None
        first = rider.element.keys[0].frame
        frame = first if self.frame is None else self.frame
        here, start = rider.stored_at([frame, first])
        seen = np.array([[*self.pivot, 0, 0, 0, 0, 0, 0]], np.float64)
        motion = rider.place_motion
        put = complex(*(seen if motion is None else motion.back(frame, seen))[0, :2])
        turn = keying.similarity(here, start)
        place = keying.centre(start) + turn * (put - keying.centre(here))
        return place.real, place.imag


def _sent(edit: SetCover | SetOutline, what: str, shot: Contents) -> dict[str, Any]:
    """The fields that were sent; in and out may be null, which means the plate's ends."""
    sent = {name: getattr(edit, name) for name in edit.model_fields_set - {"type", what}}
    for name in ("first", "last"):
        if sent.get(name) is not None:
            keying.check_frame(shot.plate, sent[name])
    return {k: v for k, v in sent.items() if v is not None or k in ("first", "last")}


def _check_span(thing: Cover | Outline) -> None:
    if thing.first is not None and thing.last is not None and thing.first > thing.last:
        raise EditError(f"In ({thing.first}) must not lie after out ({thing.last}). Nothing was changed.")


class AddPane(Editing):
    """A new pane behind all covers, with one key."""

    type: Literal["add-pane"]
    frame: int
    corners: Corners
    name: Name | None = None
    id: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        check_corners(np.array(self.corners))
        pane = Pane(
            id=unused(shot, self.id) if self.id else new_id(),
            name=free_name(shot, self.name or "Pane"),
            colour=PANE_COLOUR,
            keys=[PaneKey(frame=self.frame, corners=self.corners)],
        )
        settings = with_depth(shot, [*shot.settings.depth, pane.id])
        return Applied(f"Placed {pane.name}, frame {self.frame}", {pane.id: pane, "settings": settings}, pane.id)


class DeleteElement(Editing):
    """Delete a cover with its outlines, one outline of several, a pane, or a carrier, whose riders stay where they are."""

    type: Literal["delete"]
    element: ElementId

    def apply(self, shot: EvaluatedShot) -> Applied:
        found = shot.elements.get(self.element)
        if isinstance(found, Outline):
            cover = get(shot, found.cover, Cover)
            unlocked(shot, cover)
            if len(cover.outlines) > 1:
                left = [o for o in cover.outlines if o != found.id]
                thinner = cover.model_copy(update={"outlines": left})
                return Applied(f"Deleted an outline of {cover.name}", {found.id: None, cover.id: thinner})
            found = cover
        if isinstance(found, Carrier):
            return Applied(f"Deleted {found.name}", without_carrier(shot, unlocked_carrier(shot, found.id)))
        if isinstance(found, Group):
            going: list[Thing] = [c for c in shot.covers if c.group == found.id]
        elif isinstance(found, Thing):
            going = [found]
        else:
            raise EditError("That is not in the shot any more. Nothing was changed.")
        after: dict[str, Element | None] = {found.id: None}
        for thing in going:
            unlocked(shot, thing)
            after[thing.id] = None
            if isinstance(thing, Cover):
                after.update(dict.fromkeys(thing.outlines))
        depth = [d for d in shot.settings.depth if d not in after]
        after.update(regrouped(shot, depth))
        after.update(without_things(shot, after))
        after.update(_let_down(shot, after))
        after["settings"] = with_depth(shot, depth)
        return Applied(f"Deleted {found.name}", after)


def _let_down(shot: EvaluatedShot, after: dict[str, Element | None]) -> dict[str, Element | None]:
    """Panes that floated before one that goes: they stay where they are on their first key's frame, and float no more."""
    out: dict[str, Element | None] = {}
    for pane in shot.panes:
        if pane.floats is not None and pane.floats.pane in after and pane.id not in after:
            frame = pane.keys[0].frame
            corners = tuple(map(tuple, shot.corners_at(pane, frame).tolist()))
            key = PaneKey.model_validate({"frame": frame, "corners": corners}, strict=False)
            out[pane.id] = pane.model_copy(update={"floats": None, "keys": [key]})
    return out


class OrderDepth(Editing):
    """Put covers and panes into another order, near to far.

    A cover that lands between two of a group joins it; one that is parted from the rest of its group leaves it.
    """

    type: Literal["order-depth"]
    depth: list[ElementId]

    def apply(self, shot: EvaluatedShot) -> Applied:
        if sorted(self.depth) != sorted(shot.settings.depth):
            raise EditError("The depth order does not name what is in the shot now. Nothing was changed.")
        after: dict[str, Element | None] = {**regrouped(shot, self.depth), "settings": with_depth(shot, self.depth)}
        return Applied("Changed the depth order", after)


class SetShot(Editing):
    """Rename the shot, choose how pictures are mixed, or say what of the plate will be seen (null: all of it)."""

    type: Literal["set-shot"]
    name: Name | None = None
    mixing: Literal["linear", "encoded"] | None = None
    crop: Crop | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        sent = self.model_dump(include={"name", "mixing"}, exclude_none=True)
        label = f"Renamed the shot to {self.name}" if self.name else f"Mixing in {self.mixing} light"
        if "crop" in self.model_fields_set:
            sent["crop"], label = self.crop, "Took the crop away"
        if self.crop is not None:
            if why := shot.plate.refuses(self.crop):
                raise EditError(f"{why} Nothing was changed.")
            left, top, right, bottom = self.crop
            label = f"Cropped to {right - left} x {bottom - top}"
        return Applied(label, {"settings": shot.settings.model_copy(update=sent)})
