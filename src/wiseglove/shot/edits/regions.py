"""Edits of where a carrier looks: its patches and its blind spots."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from wiseglove.core.geometry.bezier import flatten
from wiseglove.shot import keys as keying
from wiseglove.shot.basics import ElementId, Point
from wiseglove.shot.edits.base import MOST_POINTS, Applied, Editing, get, unlocked_carrier
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.looking import region_motion, region_points
from wiseglove.shot.model import Carrier, Contents, Region, RegionKey

SMALLEST_AREA = 16.0
RegionPoints = Annotated[list[Point], Field(min_length=3, max_length=MOST_POINTS)]
What = Literal["patch", "blind"]
NAMES = {"patch": "patches", "blind": "blind"}
WORDS = {"patch": "a patch", "blind": "a blind spot"}


def check_region(points: list[Point], shot: Contents) -> None:
    """Raise EditError for a region that nothing could be seen in."""
    line = flatten(np.array(points, np.float64), 0.5)
    x, y = line[:, 0], line[:, 1]
    area = abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))) / 2
    if area < SMALLEST_AREA:
        raise EditError("That holds no area, so there is nothing to look at. Nothing was changed; draw it larger.")
    plate = shot.plate
    if x.max() <= 0 or y.max() <= 0 or x.min() >= plate.width or y.min() >= plate.height:
        raise EditError("That lies outside the plate, where there is nothing to look at. Nothing was changed.")


class AddRegion(Editing):
    """A further patch of a carrier, or a blind spot within it, as seen on a frame."""

    type: Literal["add-region"]
    carrier: ElementId
    what: What
    frame: int
    points: RegionPoints

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = unlocked_carrier(shot, self.carrier)
        keying.check_frame(shot.plate, self.frame)
        check_region(self.points, shot)
        rides = carrier.patches[0].rides if self.what == "patch" and carrier.patches else None
        there = region_motion(shot, carrier, Region(points=self.points, rides=rides))
        stored = there.back(self.frame, np.array(self.points, np.float64))
        region = Region(points=keying.as_points(stored), rides=rides)
        name = NAMES[self.what]
        changed = carrier.model_copy(update={name: [*getattr(carrier, name), region]})
        return Applied(f"Drew {WORDS[self.what]} of {carrier.name}, frame {self.frame}", {carrier.id: changed})


class RemoveRegion(Editing):
    """Take away a patch (not the last one) or a blind spot."""

    type: Literal["remove-region"]
    carrier: ElementId
    what: What
    index: int = Field(ge=0)

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = unlocked_carrier(shot, self.carrier)
        name = NAMES[self.what]
        held = list(getattr(carrier, name))
        if self.index >= len(held):
            raise EditError("That is not there any more. Nothing was changed.")
        if self.what == "patch" and len(held) == 1:
            raise EditError("A carrier needs a patch to look at, so its last one stays. Delete the carrier instead.")
        del held[self.index]
        changed = carrier.model_copy(update={name: held})
        return Applied(f"Took away {WORDS[self.what]} of {carrier.name}", {carrier.id: changed})


class ShapeRegion(Editing):
    """Change a region's shape as seen on a frame. On the carrier's own frame, one without keys changes as a whole.

    On any other frame it gets a key there, and one of the shape it had on the carrier's own frame.
    """

    type: Literal["shape-region"]
    carrier: ElementId
    what: What
    index: int = Field(ge=0)
    frame: int
    points: RegionPoints

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = unlocked_carrier(shot, self.carrier)
        keying.check_frame(shot.plate, self.frame)
        region = _region(carrier, self.what, self.index)
        if len(self.points) != len(region.points):
            raise EditError(
                f"That shape has {len(self.points)} points, this one has {len(region.points)}. Nothing was changed; draw a "
                "further one instead."
            )
        check_region(self.points, shot)
        there = region_motion(shot, carrier, region)
        stored = keying.as_points(there.back(self.frame, np.array(self.points, np.float64)))
        if not region.keys and self.frame == carrier.at:
            changed = region.model_copy(update={"points": stored})
        else:
            keys = region.keys or [RegionKey(frame=carrier.at, points=region.points)]
            kept = [k for k in keys if k.frame != self.frame]
            kept = sorted([*kept, RegionKey(frame=self.frame, points=stored)], key=lambda k: k.frame)
            changed = region.model_copy(update={"keys": kept})
        return _with(carrier, self.what, self.index, changed, f"Shaped {WORDS[self.what]}, frame {self.frame}")


class FreezeRegion(Editing):
    """Take a region's keys away: it keeps the shape that it has on a frame."""

    type: Literal["freeze-region"]
    carrier: ElementId
    what: What
    index: int = Field(ge=0)
    frame: int

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = unlocked_carrier(shot, self.carrier)
        region = _region(carrier, self.what, self.index)
        if not region.keys:
            raise EditError("It has no keys, so it keeps its shape already. Nothing was changed.")
        points = keying.as_points(region_points(region, self.frame))
        changed = region.model_copy(update={"points": points, "keys": []})
        return _with(carrier, self.what, self.index, changed, f"Took the keys of {WORDS[self.what]} away")


class RideRegion(Editing):
    """Let a blind spot, or all patches, ride on another carrier (None: on its own); they stay where they are on their keys."""

    type: Literal["ride-region"]
    carrier: ElementId
    what: What = "blind"
    index: int = Field(ge=0)
    rides: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        carrier = unlocked_carrier(shot, self.carrier)
        region = _region(carrier, self.what, self.index)
        other = get(shot, self.rides, Carrier) if self.rides and self.rides != carrier.id else None
        on = other.name if other else carrier.name
        if self.what == "blind":
            return _with(
                carrier, "blind", self.index, riding(region, shot, carrier, other), f"A blind spot rides on {on}"
            )
        patches = [riding(r, shot, carrier, other) for r in carrier.patches]
        changed = carrier.model_copy(update={"patches": patches})
        return Applied(f"What {carrier.name} looks at rides on {on}", {carrier.id: changed})


def riding(region: Region, shot: EvaluatedShot, carrier: Carrier, other: Carrier | None) -> Region:
    """A region of a carrier that rides on another one, or on its own, where it was on its keys."""
    was, now = region_motion(shot, carrier, region), shot.motion(other or carrier)

    def moved(frame: int, points: list[Point]) -> list[Point]:
        seen = was.carry(np.array([frame], np.float64), np.array(points, np.float64)[None])[0]
        return keying.as_points(now.back(frame, seen))

    keys = [k.model_copy(update={"points": moved(k.frame, k.points)}) for k in region.keys]
    points = moved(carrier.at, region.points)
    return region.model_copy(update={"points": points, "keys": keys, "rides": other.id if other else None})


def _region(carrier: Carrier, what: What, index: int) -> Region:
    held: list[Region] = getattr(carrier, NAMES[what])
    if index >= len(held):
        raise EditError("That is not there any more. Nothing was changed.")
    return held[index]


def _with(carrier: Carrier, what: What, index: int, region: Region, label: str) -> Applied:
    held = [region if i == index else r for i, r in enumerate(getattr(carrier, NAMES[what]))]
    return Applied(f"{label}, {carrier.name}", {carrier.id: carrier.model_copy(update={NAMES[what]: held})})
