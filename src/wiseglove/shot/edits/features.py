"""Edits of the points that a carrier follows."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field

from wiseglove.shot import keys as keying
from wiseglove.shot.basics import Corner, Corners, ElementId, Name, new_id
from wiseglove.shot.edits.base import Applied, Editing, free_name, unlocked_carrier, unused
from wiseglove.shot.edits.carriers import CARRIER_COLOUR
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Carrier, Contents, FollowedPoint

MOST = 200
HALF = 60.0
"""Half the sides that the box round a carrier's points has at least, in pixels."""


class AddPoint(Editing):
    """A point to follow, put on a frame: of a carrier of points, or the first one of a new carrier."""

    type: Literal["add-point"]
    frame: int
    place: Corner
    carrier: ElementId | None = None
    name: Name | None = None
    id: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        _check_inside(shot, self.place)
        if self.carrier is None:
            return self._first(shot)
        carrier = unlocked_carrier(shot, self.carrier)
        if not carrier.points:
            raise EditError(f"{carrier.name} does not follow points. Put the point on a carrier of its own.")
        if len(carrier.points) >= MOST:
            raise EditError(f"A carrier follows {MOST} points at most. Nothing was changed.")
        stored = shot.motion(carrier).back(self.frame, np.array([[*self.place, 0, 0, 0, 0, 0, 0]]))[0, :2]
        point = FollowedPoint(id=new_id(), place=(float(stored[0]), float(stored[1])), at=self.frame, seen=self.place)
        points = [*carrier.points, point]
        base = carrier.base if carrier.solved or carrier.bridge or carrier.corrections else _around(points)
        changed = carrier.model_copy(update={"points": points, "base": base})
        return Applied(f"Put point {len(changed.points)} of {carrier.name}, frame {self.frame}", {carrier.id: changed})

    def _first(self, shot: EvaluatedShot) -> Applied:
        point = FollowedPoint(id=new_id(), place=self.place, at=self.frame, seen=self.place)
        carrier = Carrier(
            id=unused(shot, self.id) if self.id else new_id(),
            name=free_name(shot, self.name or "Points"),
            colour=CARRIER_COLOUR,
            at=self.frame,
            base=_around([point]),
            points=[point],
        )
        return Applied(f"Put point 1 of {carrier.name}, frame {self.frame}", {carrier.id: carrier}, carrier.id)


class SetPoint(Editing):
    """Change a point: its place on the frame of its pattern, its pattern, its search, or whether it is held."""

    type: Literal["set-point"]
    carrier: ElementId
    point: ElementId
    place: Corner | None = None
    pattern: int | None = Field(default=None, ge=9, le=301)
    search: int | None = Field(default=None, ge=11, le=1001)
    held: bool | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier, index = _found(shot, self.carrier, self.point)
        point = carrier.points[index]
        update: dict[str, Any] = {
            name: value for name in ("pattern", "search", "held") if (value := getattr(self, name)) is not None
        }
        if self.place is not None:
            _check_inside(shot, self.place)
            stored = shot.motion(carrier).back(point.at, np.array([[*self.place, 0, 0, 0, 0, 0, 0]]))[0, :2]
            update |= {"seen": self.place, "place": (float(stored[0]), float(stored[1])), "track": []}
        changed = point.model_copy(update=update)
        if changed.search <= changed.pattern:
            changed = changed.model_copy(update={"search": changed.pattern + 2})
        if changed.held and not changed.track:
            raise EditError("This point has not been followed yet, so there is nothing to hold. Nothing was changed.")
        points = [changed if p is point else p for p in carrier.points]
        label = f"Changed point {index + 1} of {carrier.name}"
        return Applied(label, {carrier.id: carrier.model_copy(update={"points": points})})


class RemovePoint(Editing):
    """Take a point away, but not the last one."""

    type: Literal["remove-point"]
    carrier: ElementId
    point: ElementId

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier, index = _found(shot, self.carrier, self.point)
        if len(carrier.points) == 1:
            raise EditError("A carrier of points needs one, so its last one stays. Delete the carrier instead.")
        points = [p for i, p in enumerate(carrier.points) if i != index]
        changed = carrier.model_copy(update={"points": points})
        return Applied(f"Took point {index + 1} of {carrier.name} away", {carrier.id: changed})


def _around(points: list[FollowedPoint]) -> Corners:
    """The four places that stand for the carrier: a box round its points."""
    places = np.array([p.place for p in points])
    least, most = places.min(0), places.max(0)
    left, top = np.minimum(least, (least + most) / 2 - HALF).tolist()
    right, bottom = np.maximum(most, (least + most) / 2 + HALF).tolist()
    return ((left, top), (right, top), (right, bottom), (left, bottom))


def _found(shot: Contents, carrier: str, point: str) -> tuple[Carrier, int]:
    found = unlocked_carrier(shot, carrier)
    for index, candidate in enumerate(found.points):
        if candidate.id == point:
            return found, index
    raise EditError("That point is not there any more. Nothing was changed.")


def _check_inside(shot: Contents, place: Corner) -> None:
    x, y = place
    if not (0 <= x <= shot.plate.width and 0 <= y <= shot.plate.height):
        raise EditError("That lies outside the plate, where there is nothing to follow. Nothing was changed.")
