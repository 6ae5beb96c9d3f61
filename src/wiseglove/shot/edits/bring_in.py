"""Things from elsewhere brought into a shot, as one edit that can be undone."""

from __future__ import annotations

from typing import Literal

from wiseglove.shot.basics import Corners, Name, PaneKey, Point, PointKind, Strict, new_id
from wiseglove.shot.edits.base import Applied, Editing, free_name, with_depth
from wiseglove.shot.edits.things import COVER_COLOURS, PANE_COLOUR
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Cover, Element, Key, Outline, Pane

MOST = 500
"""Covers and panes that come at once."""


class Shape(Strict):
    """An outline that comes in: its shape on each of its frames, and whether it changes evenly between them."""

    mode: Literal["adds", "cuts", "limits"] = "adds"
    kinds: list[PointKind]
    keys: dict[int, list[Point]]
    first: int | None = None
    last: int | None = None


class Came(Strict):
    """A cover that comes in."""

    name: Name
    outlines: list[Shape]


class CamePane(Strict):
    """A pane that comes in, with its corners on frames."""

    name: Name
    keys: dict[int, Corners]


class BringIn(Editing):
    """New covers in front of everything, and new panes behind everything."""

    type: Literal["bring-in"] = "bring-in"
    called: str
    covers: list[Came] = []
    panes: list[CamePane] = []
    renamed: Name | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        if len(self.covers) + len(self.panes) > MOST:
            raise EditError(f"That would be more than {MOST} new things at once. Nothing was changed; bring in fewer.")
        after: dict[str, Element | None] = {}
        names: set[str] = set()
        front: list[str] = []
        for came in self.covers:
            cover_id = new_id()
            outlines = [_outline(cover_id, shape) for shape in came.outlines]
            after.update({o.id: o for o in outlines})
            after[cover_id] = Cover(
                id=cover_id, name=_free(shot, came.name, names), outlines=[o.id for o in outlines],
                colour=COVER_COLOURS[(len(shot.covers) + len(front)) % len(COVER_COLOURS)],
            )  # fmt: skip
            front.append(cover_id)
        back: list[str] = []
        for which in self.panes:
            pane_id = new_id()
            keys = [PaneKey(frame=f, corners=c, ease="linear") for f, c in sorted(which.keys.items())]
            after[pane_id] = Pane(id=pane_id, name=_free(shot, which.name, names), colour=PANE_COLOUR, keys=keys)
            back.append(pane_id)
        settings = with_depth(shot, [*front, *shot.settings.depth, *back])
        after["settings"] = settings.model_copy(update={"name": self.renamed}) if self.renamed else settings
        made = [*front, *back]
        return Applied(f"Brought in {self.called}", after, made[0] if made else None)


def _free(shot: EvaluatedShot, wanted: str, taken: set[str]) -> str:
    name = free_name(shot, wanted)
    number = 2
    while name in taken:
        name, number = free_name(shot, f"{wanted[:70]} {number}"), number + 1
    taken.add(name)
    return name


def _outline(cover: str, shape: Shape) -> Outline:
    keys = [Key(frame=f, points=p, ease="linear") for f, p in sorted(shape.keys.items())]
    return Outline(
        id=new_id(), cover=cover, mode=shape.mode, kinds=shape.kinds, keys=keys, first=shape.first, last=shape.last
    )
