"""What a picture of one frame is made from: the shot, the frame, the scale, the pictures, and how it is looked at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import colour, pane
from wiseglove.core.compositing.face import Face
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.kept import kept
from wiseglove.core.matte.coverage import Box
from wiseglove.shot.basics import Plate
from wiseglove.shot.cutting import Clips
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Cover, Insert, Pane
from wiseglove.shot.subject import Subject

Style = Literal["plain", "tint", "edges", "state", "spill"]
Bytes = NDArray[np.uint8]
Picture = NDArray[np.float32]
Override = Mapping[str, Points]
"""Points of outlines (or corners of panes, as points) that are just being dragged."""


class Pictures(Clips, Protocol):
    """Where a scene gets its pictures from."""

    def plate(self, plate: Plate, frame: int, width: int, height: int) -> colour.Picture:
        """The plate's frame, RGB (height, width, 3), encoded."""
        ...

    def insert(self, insert: Insert, frame: int, linear: bool) -> colour.Linear | None:
        """What a pane shows on a plate frame: working values (H, W, 3), or (H, W, 4) premultiplied; None for nothing."""
        ...

    def pixel_aspect(self, media: str) -> float:
        """How many times as wide as high a clip's pixels are."""
        ...


@dataclass(frozen=True)
class Manner:
    """How a look is shown: which things count (None: all that are shown), the matte's style, the cut-out's ground.

    Where no pane is among these, all panes count.

    plate, insert: a colour that stands in for the plate, or for what panes show; None for the thing itself.
    """

    only: frozenset[str] | None = None
    style: Style = "plain"
    ground: str = "checks"
    plate: str | None = None
    insert: str | None = None


EVERYTHING = Manner()


@dataclass(frozen=True, eq=False)
class Ground:
    """A shot on one frame at one scale. `scale` is result pixels per plate pixel; `samples` per pixel and axis for inserts."""

    shot: EvaluatedShot
    frame: int
    pictures: Pictures
    scale: float = 1.0
    samples: int = pane.FINAL
    manner: Manner = EVERYTHING
    _near: dict[str, tuple[Box, colour.Linear]] = field(default_factory=dict)

    @kept
    def size(self) -> tuple[int, int]:
        """Width and height of the result."""
        return size_at(self.shot.plate, self.scale)

    @kept
    def whole(self) -> Box:
        """All of the result."""
        return Box(0, 0, *self.size)

    @property
    def linear(self) -> bool:
        """Whether light is mixed in linear values."""
        return self.shot.settings.mixing == "linear"

    @kept
    def plate(self) -> colour.Picture:
        """The plate at this scale."""
        if self.manner.plate is not None:
            flat = np.round(colour.of_hex(self.manner.plate) * 255).astype(np.uint8)
            return np.ascontiguousarray(np.broadcast_to(flat, (self.size[1], self.size[0], 3)))
        return self.pictures.plate(self.shot.plate, self.frame, *self.size)

    @kept
    def working(self) -> colour.Linear:
        """The same in working values."""
        return colour.to_working(self.plate, self.linear)

    def working_in(self, box: Box) -> colour.Linear:
        """The same over a box, to be written on."""
        made = self.__dict__.get("working")
        if made is not None:
            return np.array(made[box.slices])
        return colour.to_working(self.plate[box.slices], self.linear)

    def working_near(self, box: Box) -> colour.Linear:
        """The same over a box, only to be read; the last one is kept for all that lie within it."""
        last = self._near.get("box")
        if last is None or box.within(last[0]) != box:
            self._near["box"] = last = box, colour.to_working(self.plate[box.slices], self.linear)
        return last[1][relative(box, last[0]).slices]

    def counts(self, thing: Cover | Subject) -> bool:
        """Whether a look counts a cover or a subject; a cover that is a subject's matte counts only when it is asked for."""
        if self.manner.only is None:
            return thing.id not in self.shot.mattes_of_subjects
        return thing.id in self.manner.only

    @kept
    def _panes_only(self) -> frozenset[str]:
        return (self.manner.only or frozenset()) & {p.id for p in self.shot.panes}

    def lays(self, thing: Pane | Subject) -> bool:
        """Whether a composite lays a pane or a subject."""
        if isinstance(thing, Subject):
            return thing.shown and (self.manner.only is None or thing.id in self.manner.only)
        return thing.shown and (not self._panes_only or thing.id in self._panes_only)


def pixels_of(pictures: Pictures, insert: Insert) -> float:
    """How many times as wide as high the pixels of what a pane shows are."""
    return pictures.pixel_aspect(insert.media) if insert.source == "media" and insert.media is not None else 1.0


def face_of(which: Pane) -> Face:
    """How a pane's face is shaped."""
    return Face(which.radius, which.bow, which.edges, which.soft, which.aspect or 16 / 9)


def size_at(plate: Plate, scale: float) -> tuple[int, int]:
    """Width and height of the plate at a scale, at least one pixel."""
    return max(round(plate.width * scale), 1), max(round(plate.height * scale), 1)


def relative(part: Box, whole: Box) -> Box:
    """A part of a box, from that box's corner."""
    return Box(part.left - whole.left, part.top - whole.top, part.right - whole.left, part.bottom - whole.top)
