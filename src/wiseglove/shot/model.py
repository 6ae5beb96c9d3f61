"""The shot as a document: elements with stable ids, and the plate they lie on.

Frames carry the plate's own numbers; positions and distances are in plate pixels.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Literal, TypeVar
from uuid import uuid4

from pydantic import BaseModel, ConfigDict, Field

FAR = 100_000.0
"""Farthest coordinate that is taken, in pixels: well beyond any plate, well within float precision."""

Coordinate = Annotated[float, Field(allow_inf_nan=False, ge=-FAR, le=FAR)]
Corner = Annotated[tuple[Coordinate, Coordinate], Field(strict=False)]
"""x, y. Lax, as the tuples below, only in that a JSON list will do; the numbers stay strict."""
Corners = Annotated[tuple[Corner, Corner, Corner, Corner], Field(strict=False)]
"""Top left, top right, bottom right, bottom left of the insert."""
Point = Annotated[
    tuple[Coordinate, Coordinate, Coordinate, Coordinate, Coordinate, Coordinate],
    Field(strict=False),
]
"""x, y, incoming handle dx, dy, outgoing handle dx, dy."""
Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]
Name = Annotated[str, Field(min_length=1, max_length=80)]
PointKind = Literal["corner", "smooth", "free"]
Ease = Literal["smooth", "linear", "hold"]
ElementId = Annotated[str, Field(pattern=r"^[a-z0-9]{1,32}$")]


def new_id() -> str:
    """A fresh element id."""
    return uuid4().hex[:12]


class Strict(BaseModel):
    """Base of everything that is stored or sent: unknown fields and silent conversions are refused."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True)


class Plate(Strict):
    """What the shot is drawn on."""

    media: str
    width: int = Field(ge=1)
    height: int = Field(ge=1)
    first: int = 1001
    count: int = Field(ge=1)
    rate_num: int = Field(ge=1)
    rate_den: int = Field(ge=1)
    pixel_aspect: float = Field(default=1.0, gt=0, allow_inf_nan=False)

    @property
    def last(self) -> int:
        """Number of the last frame."""
        return self.first + self.count - 1

    @property
    def rate(self) -> Fraction:
        """Frames per second, exact."""
        return Fraction(self.rate_num, self.rate_den)


class Key(Strict):
    """An outline's shape at a frame, and how it goes on to the next key."""

    frame: int
    points: list[Point]
    ease: Ease = "smooth"


class PaneKey(Strict):
    """A pane's corners at a frame."""

    frame: int
    corners: Corners
    ease: Ease = "smooth"


class Insert(Strict):
    """What a pane shows. A clip's first picture is seen at plate frame `start`; its ends are held."""

    source: Literal["chart", "media"] = "chart"
    media: str | None = None
    start: int | None = None


class Settings(Strict):
    """What belongs to the shot as a whole; `depth` lists covers and panes from the lens to the backdrop."""

    kind: Literal["settings"] = "settings"
    id: ElementId = "settings"
    name: Name
    mixing: Literal["linear", "encoded"] = "linear"
    depth: list[ElementId] = []


class Cover(Strict):
    """Something that stays in front. Not there before `first` nor after `last`; None means the plate's ends."""

    kind: Literal["cover"] = "cover"
    id: ElementId
    name: Name
    colour: Colour
    shown: bool = True
    locked: bool = False
    first: int | None = None
    last: int | None = None
    outlines: list[ElementId] = []

    def present(self, frame: int) -> bool:
        """Whether the cover is there on a frame."""
        return (self.first is None or frame >= self.first) and (self.last is None or frame <= self.last)


class Outline(Strict):
    """One animated closed curve of a cover; all keys have as many points as `kinds`."""

    kind: Literal["outline"] = "outline"
    id: ElementId
    cover: ElementId
    mode: Literal["adds", "cuts", "limits"] = "adds"
    kinds: list[PointKind]
    keys: list[Key]


class Pane(Strict):
    """Four corners in which an insert is shown."""

    kind: Literal["pane"] = "pane"
    id: ElementId
    name: Name
    colour: Colour
    shown: bool = True
    locked: bool = False
    opacity: float = Field(default=1.0, ge=0, le=1, allow_inf_nan=False)
    insert: Insert = Insert()
    keys: list[PaneKey]


Element = Annotated[Settings | Cover | Outline | Pane, Field(discriminator="kind")]
E = TypeVar("E", Cover, Outline, Pane)


class Shot(BaseModel):
    """A shot's whole state. `revision` rises by one with each edit, undo and redo."""

    id: str
    revision: int = 0
    plate: Plate
    elements: dict[str, Element]

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
    def panes(self) -> list[Pane]:
        """Panes from near to far."""
        return [e for e in map(self.elements.get, self.settings.depth) if isinstance(e, Pane)]

    def outlines_of(self, cover: Cover) -> list[Outline]:
        """A cover's outlines in the order in which they add, cut and limit."""
        return [e for e in map(self.elements.get, cover.outlines) if isinstance(e, Outline)]

    def nearer_than(self, pane: Pane) -> list[Cover]:
        """The covers that stay in front of a pane."""
        depth = self.settings.depth
        return [c for c in self.covers if depth.index(c.id) < depth.index(pane.id)]


def new_shot(shot_id: str, name: str, plate: Plate) -> Shot:
    """A shot with nothing drawn yet."""
    return Shot(id=shot_id, plate=plate, elements={"settings": Settings(name=name)})
