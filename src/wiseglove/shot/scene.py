"""One frame of a shot at one scale: its plate and what its covers make of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import colour, pane
from wiseglove.core.compositing.face import Face
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.core.matte import shutter
from wiseglove.core.matte.combine import Part, cover_matte, reach_box
from wiseglove.core.matte.coverage import Box, Matte, box_of
from wiseglove.shot.basics import Plate
from wiseglove.shot.cutting import Clips, Cut
from wiseglove.shot.evaluate import points_at
from wiseglove.shot.model import Cover, Insert, Outline, Pane, Shot
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

    def insert(self, insert: Insert, frame: int, linear: bool) -> colour.Linear:
        """What a pane shows on a plate frame: working values (H, W, 3), or (H, W, 4) premultiplied."""
        ...


@dataclass(frozen=True)
class Manner:
    """How a look is shown: which covers count (None: all that are shown), the matte's style, the cut-out's ground."""

    only: frozenset[str] | None = None
    style: Style = "plain"
    ground: str = "checks"


EVERYTHING = Manner()


class CoverScene:
    """A shot on one frame at one scale, with the mattes of its covers; keeps what does not change while something is dragged.

    `scale` is result pixels per plate pixel; `samples` per pixel and axis for inserts.
    """

    def __init__(
        self,
        shot: Shot,
        frame: int,
        pictures: Pictures,
        scale: float = 1.0,
        samples: int = pane.FINAL,
        manner: Manner = EVERYTHING,
    ) -> None:
        self.shot, self.frame, self.scale, self.samples, self.manner = shot, frame, scale, samples, manner
        self.width, self.height = size_at(shot.plate, scale)
        self.whole = Box(0, 0, self.width, self.height)
        self.linear = shot.settings.mixing == "linear"
        self._pictures = pictures
        self._plate: colour.Picture | None = None
        self._covers = [c for c in shot.covers if shot.is_shown(c) and c.present(frame) and self._counts(c)]
        things = map(shot.elements.get, shot.settings.depth)
        self._layers = [t for t in things if isinstance(t, Pane | Subject) and t.shown]
        self._cuts: dict[str, Cut] = {}
        self._own: dict[str, tuple[Box, Picture, Matte]] = {}
        self._alphas: dict[str, Matte] = {}
        self._clips: dict[str, Picture] = {}
        self._shapes: dict[str, Points] = {}
        self._mattes: dict[str, tuple[Box, Matte]] = {}
        self._laid: dict[str, pane.Laid | None] = {}

    def plate(self) -> colour.Picture:
        """The plate at this scale."""
        if self._plate is None:
            self._plate = self._pictures.plate(self.shot.plate, self.frame, self.width, self.height)
        return self._plate

    def _counts(self, thing: Cover | Subject) -> bool:
        """Whether a look counts a cover or a subject; a cover that is a subject's matte counts only when it is asked for."""
        if self.manner.only is None:
            return thing.id not in self.shot.mattes_of_subjects
        return thing.id in self.manner.only

    def matte(self, box: Box, override: Override | None = None, covers: Sequence[Cover] | None = None) -> Matte:
        """Union of the shown covers' mattes (or of some of them) over a box."""
        wanted = self._covers if covers is None else [c for c in covers if c in self._covers]
        clear = np.ones((box.height, box.width), np.float32)
        for cover in wanted:
            part, matte = self._cover_in(cover, box, override or {})
            if not part.empty:
                clear[relative(part, box).slices] *= 1 - matte
        return 1 - clear

    def reach_of(self, element: str, points: Points) -> Box:
        """The pixels that an outline or a pane with these points on this frame can touch."""
        outline = self.shot.find(element, Outline)
        cover = self.shot.find(outline.cover, Cover) if outline else None
        if outline is None or cover is None:
            found = self.shot.find(element, Pane)
            with suppress(DegenerateQuadError):
                if found is not None:
                    return box_of(pane.face_outline(points[:, :2], face_of(found)), self.scale)
            return box_of(points, self.scale)
        shapes = self._moved(outline, cover, {element: points})
        return reach_box(shapes, self.scale, abs(cover.grow))

    def _cover_in(self, cover: Cover, box: Box, override: Override) -> tuple[Box, Matte]:
        """The part of a box that a cover touches, and its matte there."""
        if any(outline in override for outline in cover.outlines):
            part = self._touched(cover, override).within(box)
            return part, self._combined(cover, part, override)
        if cover.id not in self._mattes:
            touched = self._touched(cover, {})
            self._mattes[cover.id] = touched, self._combined(cover, touched, {})
        held, matte = self._mattes[cover.id]
        part = held.within(box)
        return part, matte[relative(part, held).slices]

    def _touched(self, cover: Cover, override: Override) -> Box:
        """The pixels of the picture that a cover can touch."""
        touched = Box(0, 0, 0, 0)
        for part in self._parts(cover, override):
            if part.mode == "adds":
                touched = touched.joined(reach_box(part.shapes, self.scale, abs(cover.grow)).within(self.whole))
        return touched

    def _combined(self, cover: Cover, box: Box, override: Override) -> Matte:
        matte = cover_matte(self._parts(cover, override), box, self.scale, cover.grow)
        strength = cover.strength(self.frame, self.shot.plate)
        return matte if strength == 1.0 else matte * np.float32(strength)

    def _parts(self, cover: Cover, override: Override) -> list[Part]:
        """The cover's outlines that are there on this frame, at the moments of its exposure."""
        plate = self.shot.plate
        return [
            Part(o.mode, self._moved(o, cover, override), o.strength(self.frame, plate))
            for o in self.shot.outlines_of(cover)
            if o.present(self.frame)
        ]

    def _moved(self, outline: Outline, cover: Cover, override: Override) -> Points:
        if outline.id not in self._shapes:
            self._shapes[outline.id] = exposed(outline, cover, self.frame, self.scale)
        shapes = self._shapes[outline.id]
        if outline.id not in override:
            return shapes
        if len(shapes) == 1:
            return override[outline.id][None]
        moved: Points = shapes + (override[outline.id] - points_at(outline, [self.frame])[0])
        moved[..., 6:] = np.maximum(moved[..., 6:], 0.0)
        return moved

    def mattes_in(self, names: Sequence[str], box: Box, override: Override) -> Matte | None:
        """The union of a subject's core or garbage mattes over a box; None where it has none."""
        covers = [c for c in (self.shot.find(n, Cover) for n in names) if c is not None]
        covers = [c for c in covers if self.shot.is_shown(c) and c.present(self.frame)]
        if not covers:
            return None
        clear = np.ones((box.height, box.width), np.float32)
        for cover in covers:
            part, matte = self._cover_in(cover, box, override)
            if not part.empty:
                clear[relative(part, box).slices] *= 1 - matte
        return 1 - clear


def face_of(which: Pane) -> Face:
    """How a pane's face is shaped."""
    return Face(which.radius, which.bow, which.edges, which.soft, which.aspect or 16 / 9)


def exposed(outline: Outline, cover: Cover, frame: float, scale: float) -> Points:
    """An outline at the moments of its cover's exposure of a frame, (S, N, 8); one where nothing is blurred."""
    if cover.shutter <= 0:
        return points_at(outline, [frame])
    rough = points_at(outline, shutter.moments(frame, cover.shutter, cover.phase, 5))
    softness = float(rough[..., 6:].sum(axis=-1).min()) * scale
    needed = shutter.moments_needed(shutter.travel(rough) * 1.25 * scale, softness)
    if needed == 1:
        return points_at(outline, [frame])
    return points_at(outline, shutter.moments(frame, cover.shutter, cover.phase, needed))


def size_at(plate: Plate, scale: float) -> tuple[int, int]:
    """Width and height of the plate at a scale, at least one pixel."""
    return max(round(plate.width * scale), 1), max(round(plate.height * scale), 1)


def relative(part: Box, whole: Box) -> Box:
    return Box(part.left - whole.left, part.top - whole.top, part.right - whole.left, part.bottom - whole.top)
