"""What all elements of a shot are made of: checked numbers, names and colours, and the plate."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal
from uuid import uuid4

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

FAR = 100_000.0
"""Farthest coordinate that is taken, in pixels: well beyond any plate, well within float precision."""

Coordinate = Annotated[float, Field(allow_inf_nan=False, ge=-FAR, le=FAR)]
Corner = Annotated[tuple[Coordinate, Coordinate], Field(strict=False)]
"""x, y. Lax, as the tuples below, only in that a JSON list will do; the numbers stay strict."""
Corners = Annotated[tuple[Corner, Corner, Corner, Corner], Field(strict=False)]
"""Top left, top right, bottom right, bottom left of the insert."""
Line = Annotated[tuple[Corner, Corner], Field(strict=False)]
Width = Annotated[float, Field(allow_inf_nan=False, ge=0, le=500)]


def _with_hard_edge(point: Any) -> Any:
    return [*point, 0.0, 0.0] if isinstance(point, list | tuple) and len(point) == 6 else point


Point = Annotated[
    tuple[Coordinate, Coordinate, Coordinate, Coordinate, Coordinate, Coordinate, Width, Width],
    Field(strict=False),
    BeforeValidator(_with_hard_edge),
]
"""x, y, incoming handle dx, dy, outgoing handle dx, dy, soft edge inwards and outwards (0 where they are left out)."""
Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]
LONGEST_NAME = 80
Name = Annotated[str, Field(min_length=1, max_length=LONGEST_NAME)]
PointKind = Literal["corner", "smooth", "free"]
Ease = Literal["smooth", "linear", "hold", "curve"]
Share = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1)]
Progress = Annotated[float, Field(allow_inf_nan=False, ge=-4, le=4)]
Curve = Annotated[tuple[Share, Progress, Share, Progress], Field(strict=False)]
"""Control points x1, y1, x2, y2 of an easing curve, as in CSS: x is time, y is progress."""
Fade = Annotated[int, Field(ge=0, le=1000)]
ElementId = Annotated[str, Field(pattern=r"^[a-z0-9]{1,32}$")]
MediaId = Annotated[str, Field(pattern=r"^[0-9a-f]{24}$")]
"""A clip that was taken in."""


def new_id() -> str:
    """A fresh element id."""
    return uuid4().hex[:12]


def numbered(name: str, number: int) -> str:
    """A name with a number behind it, cut shorter where it would get too long."""
    behind = f" {number}"
    return name[: LONGEST_NAME - len(behind)].rstrip() + behind


class Strict(BaseModel):
    """Base of everything that is stored or sent: unknown fields and silent conversions are refused."""

    model_config = ConfigDict(
        extra="forbid", strict=True, frozen=True, json_schema_serialization_defaults_required=True
    )


Crop = Annotated[tuple[int, int, int, int], Field(strict=False)]
"""Left, top, right and bottom of a part of the plate, in its pixels."""


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

    def refuses(self, crop: Crop) -> str | None:
        """Why a crop is none of this plate, as a sentence; None where it lies in it."""
        left, top, right, bottom = crop
        if 0 <= left < right <= self.width and 0 <= top < bottom <= self.height:
            return None
        return (
            f"The crop {left}, {top} to {right}, {bottom} does not lie in the plate of {self.width} x {self.height}. "
            "Give left, top, right and bottom within it."
        )

    @property
    def rate(self) -> Fraction:
        """Frames per second, exact."""
        return Fraction(self.rate_num, self.rate_den)


class Spanned(Strict):
    """What is there from `first` to `last` only (None means the plate's ends), fading at both ends if wanted."""

    first: int | None = None
    last: int | None = None
    fade_in: Fade = 0
    fade_out: Fade = 0

    def present(self, frame: int) -> bool:
        """Whether it is there on a frame."""
        return (self.first is None or frame >= self.first) and (self.last is None or frame <= self.last)

    def strength(self, frame: int, plate: Plate) -> float:
        """How much of it is there, 0..1: a fade over n frames begins at 1 / (n + 1) on the first one."""
        if not self.present(frame):
            return 0.0
        first = plate.first if self.first is None else self.first
        last = plate.last if self.last is None else self.last
        coming = (frame - first + 1) / (self.fade_in + 1)
        going = (last - frame + 1) / (self.fade_out + 1)
        return min(coming, going, 1.0)


class PaneKey(Strict):
    """Four corners at a frame."""

    frame: int
    corners: Corners
    ease: Ease = "smooth"
    curve: Curve | None = None


class Placed(Strict):
    """What lies in the picture by its four corners, which have keys and may ride."""

    id: ElementId
    name: Name
    colour: Colour
    shown: bool = True
    locked: bool = False
    opacity: float = Field(default=1.0, ge=0, le=1, allow_inf_nan=False)
    keys: list[PaneKey]
    rides: ElementId | None = None
    pins: Annotated[list[ElementId | None], Field(max_length=4)] = []
    """Carriers of single corners, as between fingertips, in the order of the corners; None for those that go with the rest."""
    rest: int | None = None
    """With pins: the frame at which its keys are stored, instead of the carrier's reference."""
