"""The shot as a document: elements with stable ids, and the plate they lie on.

Frames carry the plate's own numbers; positions and distances are in plate pixels.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, TypeVar

from pydantic import BaseModel, Field

from wiseglove.core.motion.channels import Channel
from wiseglove.core.motion.models import Model
from wiseglove.shot.basics import (
    Colour,
    Corner,
    Corners,
    Crop,
    Curve,
    Ease,
    ElementId,
    Line,
    MediaId,
    Name,
    Plate,
    Point,
    PointKind,
    Share,
    Spanned,
    Strict,
)
from wiseglove.shot.formats import FORMAT
from wiseglove.shot.pane import Insert as Insert
from wiseglove.shot.pane import Pane as Pane
from wiseglove.shot.subject import Subject


class Key(Strict):
    """An outline's shape at a frame, and how it goes on to the next key."""

    frame: int
    points: list[Point]
    ease: Ease = "smooth"
    curve: Curve | None = None
    turns: Annotated[int, Field(ge=-20, le=20)] = 0
    """Whole turns on the way to the next key, on top of the shorter way round."""


class Doubted(Strict):
    """Segments of an outline that were in doubt when it was carried to a frame, and a name for the shape that it had there."""

    segments: list[Annotated[int, Field(ge=0)]]
    shape: Annotated[str, Field(max_length=16)]


class Settings(Strict):
    """What belongs to the shot as a whole; `depth` lists covers and panes from the lens to the backdrop."""

    kind: Literal["settings"] = "settings"
    id: ElementId = "settings"
    name: Name
    mixing: Literal["linear", "encoded"] = "linear"
    crop: Crop | None = None
    """What of the plate will be seen in the end, where that is not all; the rest is shown dimmed."""
    depth: list[ElementId] = []


class Cover(Spanned):
    """Something that stays in front; its outlines add, cut and limit in their order."""

    kind: Literal["cover"] = "cover"
    id: ElementId
    name: Name
    colour: Colour
    shown: bool = True
    locked: bool = False
    group: ElementId | None = None
    grow: Annotated[float, Field(allow_inf_nan=False, ge=-100, le=100)] = 0.0
    """Pixels by which its matte grows, or shrinks where negative."""
    shutter: Annotated[float, Field(allow_inf_nan=False, ge=0, le=720)] = 0.0
    """Shutter angle of its motion blur in degrees; 0 for none."""
    phase: Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360)] = 0.0
    """Shift of the exposure from the frame, in degrees of the shutter."""
    outlines: list[ElementId] = []


class RegionKey(Strict):
    """A region's shape on a frame, at the reference of what it rides on."""

    frame: int
    points: list[Point]


class Region(Strict):
    """A part of the plate, drawn on the carrier's reference frame and riding on the carrier."""

    points: list[Point]
    keys: list[RegionKey] = []
    """Shapes between which it changes evenly; none where it keeps its shape."""
    rides: ElementId | None = None
    """Another carrier that it rides on instead; all patches of a carrier ride on the same."""


class Evidence(Strict):
    """What a frame's confidence is made of."""

    agreement: Share
    """Share of the patch's textured blocks that move as the whole does."""
    residual: Annotated[float, Field(allow_inf_nan=False, ge=0)]
    """What is left of the difference to the reference, in levels of 0..255."""
    texture: Share
    """Share of the patch over which there is texture to tell the motion by."""
    overlap: Share
    """Share of the reference that is seen."""


class SolvedFrame(Strict):
    """Where a carrier's base corners are on a frame, and how far to trust that; no corners where it is lost."""

    frame: int
    corners: Corners | None
    status: Literal["solved", "unsure", "lost"]
    confidence: Share
    reason: str = ""
    evidence: Evidence | None = None
    """What that comes from; None where it is put together from points, or was not measured."""


class HandKey(Strict):
    """Where a carrier's base corners were put by hand on a frame (a stitch), or by how much they are moved (a knot)."""

    frame: int
    corners: Corners
    ease: Literal["smooth", "linear", "hold"] = "smooth"
    """How a stitch goes on to what is known next."""


class FollowedFrame(Strict):
    """Where a point of a carrier is on a frame, and whether it is seen."""

    frame: int
    x: float
    y: float
    status: Literal["solved", "unsure", "lost"]
    confidence: Share


class FollowedPoint(Strict):
    """A point that a carrier follows: its `place` at the reference, and the pattern by which it is known.

    The pattern is taken from frame `at`, where the point is `seen`.
    """

    id: ElementId
    place: Corner
    at: int
    seen: Corner
    pattern: Annotated[int, Field(ge=9, le=301)] = 31
    """Side of the square that is compared, in pixels."""
    search: Annotated[int, Field(ge=11, le=1001)] = 81  # likewise, of the square in which it is looked for
    held: bool = False
    """Whether it stays as it was followed when the carrier is solved again."""
    track: list[FollowedFrame] = []


class Carrier(Strict):
    """A named motion that other things ride on: solved from its patches or points, or set by hand where it is not.

    `base` are four places on the reference frame `at`; what is solved, set by hand or corrected says where they are.
    """

    kind: Literal["carrier"] = "carrier"
    id: ElementId
    name: Name
    colour: Colour
    shown: bool = True
    locked: bool = False
    at: int
    base: Corners
    model: Model = "perspective"
    channel: Channel = "auto"
    margin: Annotated[int, Field(ge=0, le=100)] = 6
    """Pixels round covers that are left out too."""
    avoids: bool = True
    """Whether covers are left out by themselves; those that ride on the carrier never are."""
    begins: ElementId | None = None
    """Another carrier: on each frame the motion is looked for from where that one goes."""
    runs_out: bool = False
    """Whether the motion goes on with only its shift solved where it cannot be told any more."""
    references: list[int] = []
    """Frames from which, away from `at`, what is seen on them is the reference."""
    matte: MediaId | None = None
    """A clip that was taken in whose bright pixels are left out too, frame by frame."""
    patches: list[Region] = []
    blind: list[Region] = []
    points: list[FollowedPoint] = []
    when_lost: Literal["simpler", "stop"] = "simpler"  # what becomes of the motion where a point is lost
    smoothing: Annotated[int, Field(ge=0, le=50)] = 0  # frames to either side over which what is solved is smoothed
    solved: list[SolvedFrame] = []
    bridge: list[HandKey] = []
    corrections: list[HandKey] = []

    @property
    def is_set_by_hand(self) -> bool:
        """Whether there is nothing to solve: it looks at no patch and follows no point."""
        return not self.patches and not self.points


class Group(Strict):
    """Covers that belong together, as the fingers of a hand; they follow each other in depth."""

    kind: Literal["group"] = "group"
    id: ElementId
    name: Name
    shown: bool = True
    locked: bool = False
    folded: bool = False


class Joint(Strict):
    """Where an outline bends: beyond a line across it, it rides on a further carrier."""

    carrier: ElementId
    at: int
    line: Line  # as seen on frame `at`; beyond is to its right
    width: Annotated[float, Field(allow_inf_nan=False, ge=0, le=5000)]
    """Pixels about the line over which the one goes over into the other."""
    beyond: list[Share]
    """How far each point of the outline lies beyond the line."""


class Outline(Spanned):
    """One animated closed curve of a cover; all keys have as many points as `kinds`."""

    kind: Literal["outline"] = "outline"
    id: ElementId
    cover: ElementId
    mode: Literal["adds", "cuts", "limits"] = "adds"
    kinds: list[PointKind]
    keys: list[Key]
    pivot: Corner | None = None
    """Where it turns about between keys, as a place at the first key; None for its centre."""
    rides: ElementId | None = None
    """The carrier whose reference its keys are stored at; None where they are stored as seen."""
    joints: list[Joint] = []
    rest: int | None = None
    """With joints: the frame at which its keys are stored, instead of the carrier's reference."""
    right: dict[int, Annotated[str, Field(max_length=16)]] = {}
    """Frames on which its shape was said to look right, and a name for that shape."""
    doubted: dict[int, Doubted] = {}
    """Frames to which it was carried with parts in doubt; they stay in doubt until its shape there changes."""


Thing = Cover | Pane | Subject
"""What has a place in the order of depth."""
Animated = Outline | Pane | Subject
"""What has keys of a shape, and may ride on carriers."""
Element = Annotated[Settings | Cover | Group | Outline | Pane | Subject | Carrier, Field(discriminator="kind")]
E = TypeVar("E", Cover, Group, Outline, Pane, Subject, Carrier)


class Contents:
    """What is in a shot, as its document and its evaluated form are asked for it alike."""

    plate: Plate
    elements: Mapping[str, Element]

    @property
    def settings(self) -> Settings:
        """Name, mixing and depth order."""
        found = self.elements["settings"]
        assert isinstance(found, Settings)
        return found

    def find(self, element: str, wanted: type[E]) -> E | None:
        """The element of that id and kind, or None."""
        found = self.elements.get(element)
        return found if isinstance(found, wanted) else None

    @property
    def covers(self) -> list[Cover]:
        """Covers from near to far."""
        return [e for e in map(self.elements.get, self.settings.depth) if isinstance(e, Cover)]

    @property
    def carriers(self) -> list[Carrier]:
        """Carriers in the order of their names."""
        return sorted((e for e in self.elements.values() if isinstance(e, Carrier)), key=lambda c: (c.name, c.id))

    @property
    def panes(self) -> list[Pane]:
        """Panes from near to far."""
        return [e for e in map(self.elements.get, self.settings.depth) if isinstance(e, Pane)]

    @property
    def subjects(self) -> list[Subject]:
        """Subjects from near to far."""
        return [e for e in map(self.elements.get, self.settings.depth) if isinstance(e, Subject)]

    @property
    def mattes_of_subjects(self) -> frozenset[str]:
        """The covers that are a subject's garbage or core, and hide nothing by themselves."""
        return frozenset(c for s in self.subjects for c in (*s.core, *s.garbage))

    def group_of(self, cover: Cover) -> Group | None:
        """The group that a cover belongs to."""
        return self.find(cover.group, Group) if cover.group else None

    def is_shown(self, thing: Thing) -> bool:
        """Whether a cover or pane, and the group that it is in, is shown."""
        group = self.group_of(thing) if isinstance(thing, Cover) else None
        return thing.shown and (group is None or group.shown)

    def is_locked(self, thing: Thing) -> bool:
        """Whether a cover or pane, or the group that it is in, is locked."""
        group = self.group_of(thing) if isinstance(thing, Cover) else None
        return thing.locked or (group is not None and group.locked)

    def outlines_of(self, cover: Cover) -> list[Outline]:
        """A cover's outlines in the order in which they add, cut and limit."""
        return [e for e in map(self.elements.get, cover.outlines) if isinstance(e, Outline)]

    def nearer_than(self, thing: Pane | Subject) -> list[Cover]:
        """The covers that stay in front of a pane or a subject."""
        depth, others = self.settings.depth, self.mattes_of_subjects
        return [c for c in self.covers if c.id not in others and depth.index(c.id) < depth.index(thing.id)]


class Shot(BaseModel, Contents):
    """A shot's document, and nothing else. `revision` rises by one with each edit, undo and redo.

    `format` says how it is written down; see `formats` for how older ones are read.
    """

    format: Literal[2] = FORMAT
    id: str
    revision: int = 0
    plate: Plate
    elements: dict[str, Element]

    def with_elements(self, after: Mapping[str, Element | None], revision: int | None = None) -> Shot:
        """The shot with some elements changed, made, or (None) gone."""
        elements: dict[str, Element] = {**self.elements}
        for element_id, element in after.items():
            if element is None:
                elements.pop(element_id, None)
            else:
                elements[element_id] = element
        return self.model_copy(
            update={"elements": elements, "revision": self.revision if revision is None else revision}
        )


def media_of(element: Element) -> set[str]:
    """The clips that an element shows or looks at."""
    if isinstance(element, Pane):
        named = [element.insert.media, element.sit.clean, *(p.media for p in element.pieces)]
    elif isinstance(element, Carrier):
        named = [element.matte]
    elif isinstance(element, Subject):
        named = [element.clip, element.key.matte, element.key.clean]
    else:
        named = []
    return {media for media in named if media is not None}


def new_shot(shot_id: str, name: str, plate: Plate) -> Shot:
    """A shot with nothing drawn yet."""
    return Shot(id=shot_id, plate=plate, elements={"settings": Settings(name=name)})
