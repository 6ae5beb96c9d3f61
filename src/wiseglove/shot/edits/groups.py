"""Edits of groups of covers, and of several covers at once."""

from __future__ import annotations

from itertools import groupby
from typing import Literal

from pydantic import Field

from wiseglove.shot import keys as keying
from wiseglove.shot.basics import Coordinate, ElementId, Name, new_id
from wiseglove.shot.edits.base import Applied, Editing, changeable, free_name, get, unlocked, with_depth
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Contents, Cover, Element, Group


class GroupCovers(Editing):
    """Put covers into a new group; they come together in depth where the nearest of them is."""

    type: Literal["group-covers"]
    covers: list[ElementId] = Field(min_length=1, max_length=10_000)
    name: Name | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        chosen = [c for c in shot.covers if c.id in set(self.covers)]
        if len(chosen) != len(set(self.covers)):
            raise EditError("One of these covers is not in the shot any more. Nothing was changed.")
        group = Group(id=new_id(), name=free_name(shot, self.name or "Group"))
        ids = [c.id for c in chosen]
        rest = [d for d in shot.settings.depth if d not in ids]
        nearest = shot.settings.depth.index(ids[0])
        before = [d for d in shot.settings.depth[:nearest] if d not in ids]
        depth = [*before, *ids, *rest[len(before) :]]
        joined = {c.id: c.model_copy(update={"group": group.id}) for c in chosen}
        # What the covers leave behind may be too little for the groups they were in.
        moved = shot.document.with_elements({**joined, group.id: group})
        after: dict[str, Element | None] = {group.id: group, **joined, **regrouped(moved, depth)}
        after["settings"] = with_depth(shot, depth)
        return Applied(f"Grouped {len(chosen)} covers as {group.name}", after, group.id)


class Ungroup(Editing):
    """Take a group apart; its covers stay as they are."""

    type: Literal["ungroup"]
    group: ElementId

    def apply(self, shot: EvaluatedShot) -> Applied:
        group = get(shot, self.group, Group)
        after: dict[str, Element | None] = {
            c.id: c.model_copy(update={"group": None}) for c in shot.covers if c.group == group.id
        }
        return Applied(f"Took {group.name} apart", {**after, group.id: None})


class SetGroup(Editing):
    """Change a group's name, show, lock or fold; only what is sent changes."""

    type: Literal["set-group"]
    group: ElementId
    name: Name | None = None
    shown: bool | None = None
    locked: bool | None = None
    folded: bool | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        group = get(shot, self.group, Group)
        sent = self.model_dump(include={"name", "shown", "locked", "folded"}, exclude_none=True)
        changeable(shot, group, sent)
        words = {
            "shown": ("Hid", "Showed"),
            "locked": ("Unlocked", "Locked"),
            "folded": ("Unfolded", "Folded"),
        }
        label = f"Renamed {group.name} to {self.name}"
        for field, (off, on) in words.items():
            if field in sent:
                label = f"{on if sent[field] else off} {group.name}"
        return Applied(label, {group.id: group.model_copy(update=sent)})


class ShiftCovers(Editing):
    """Move several covers whole, on a frame and as far as the reach goes."""

    type: Literal["shift-covers"]
    covers: list[ElementId] = Field(min_length=1, max_length=10_000)
    frame: int
    dx: Coordinate
    dy: Coordinate
    reach: keying.Reach = "frame"
    within: keying.Range | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        after: dict[str, Element | None] = {}
        for cover in (get(shot, c, Cover) for c in self.covers):
            unlocked(shot, cover)
            for outline in shot.outlines_of(cover):
                rider = shot.rider(outline)
                shape = rider.shape_at(self.frame).copy()
                shape[:, :2] += (self.dx, self.dy)
                after[outline.id] = keying.with_shape(rider, self.frame, shape, self.reach, self.within).element
        return Applied(f"Moved {len(self.covers)} covers, frame {self.frame}", after)


def regrouped(shot: Contents, depth: list[str]) -> dict[str, Element | None]:
    """What changes in the groups when the depth order becomes this one: each group stays one run of covers.

    The longest run of a group keeps it, covers between its members join it, members elsewhere leave it, and a group
    without members is gone.
    """
    after: dict[str, Element | None] = {}
    group_of = {d: e.group for d in depth if isinstance(e := shot.elements.get(d), Cover)}
    _join_between(depth, group_of)
    for group in [e for e in shot.elements.values() if isinstance(e, Group)]:
        members = {d for d, own in group_of.items() if own == group.id}
        runs = [list(run) for own, run in groupby(depth, members.__contains__) if own]
        if not runs:
            after[group.id] = None
            continue
        longest = max(runs, key=len)
        for left in (d for run in runs if run is not longest for d in run):
            group_of[left] = None
    for cover_id, own in group_of.items():
        cover = get(shot, cover_id, Cover)
        if cover.group != own:
            after[cover_id] = cover.model_copy(update={"group": own})
    return after


def _join_between(depth: list[str], group_of: dict[str, str | None]) -> None:
    """A single cover with the same group on both sides joins it."""
    for before, here, beyond in zip(depth, depth[1:], depth[2:], strict=False):
        around = group_of.get(before)
        if around and around == group_of.get(beyond) and here in group_of:
            group_of[here] = around
