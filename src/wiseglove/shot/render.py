"""One frame of a shot as pictures: mattes, cut-outs and composites, whole or only a box of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import colour, over, pane
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.core.matte.combine import cover_matte
from wiseglove.core.matte.coverage import Box, Matte, box_of, coverage, unite
from wiseglove.shot.evaluate import corners_at, points_at
from wiseglove.shot.model import Cover, Insert, Pane, Plate, Shot

Look = Literal["plate", "matte", "cutout", "composite"]
Bytes = NDArray[np.uint8]
Override = Mapping[str, Points]
"""Points of outlines (or corners of panes, as points) that are just being dragged."""


class Pictures(Protocol):
    """Where a scene gets its pictures from."""

    def plate(self, plate: Plate, frame: int, width: int, height: int) -> colour.Picture:
        """The plate's frame, RGB (height, width, 3), encoded."""
        ...

    def insert(self, insert: Insert, frame: int, linear: bool) -> colour.Linear:
        """What a pane shows on a plate frame: working values (H, W, 3), or (H, W, 4) premultiplied."""
        ...


class FrameScene:
    """A shot on one frame at one scale; keeps what does not change while something is dragged.

    `scale` is result pixels per plate pixel; `samples` per pixel and axis for inserts.
    """

    def __init__(
        self, shot: Shot, frame: int, pictures: Pictures, scale: float = 1.0, samples: int = pane.FINAL
    ) -> None:
        self.shot, self.frame, self.scale, self.samples = shot, frame, scale, samples
        self.width, self.height = size_at(shot.plate, scale)
        self.whole = Box(0, 0, self.width, self.height)
        self.linear = shot.settings.mixing == "linear"
        self._pictures = pictures
        self._plate: colour.Picture | None = None
        self._covers = [c for c in shot.covers if c.shown and c.present(frame)]
        self._panes = [p for p in shot.panes if p.shown]
        self._points = {
            outline.id: points_at(outline, [frame])[0] for cover in self._covers for outline in shot.outlines_of(cover)
        }
        self._mattes: dict[str, tuple[Box, Matte]] = {}
        self._laid: dict[str, pane.Laid | None] = {}

    def plate(self) -> colour.Picture:
        """The plate at this scale."""
        if self._plate is None:
            self._plate = self._pictures.plate(self.shot.plate, self.frame, self.width, self.height)
        return self._plate

    def matte(self, box: Box, override: Override | None = None, covers: Sequence[Cover] | None = None) -> Matte:
        """Union of the shown covers' mattes (or of some of them) over a box."""
        wanted = self._covers if covers is None else [c for c in covers if c in self._covers]
        return unite([self._cover_over(cover, box, override or {}) for cover in wanted], (box.height, box.width))

    def _cover_over(self, cover: Cover, box: Box, override: Override) -> Matte:
        if any(outline in override for outline in cover.outlines):
            return self._combined(cover, box, override)
        if cover.id not in self._mattes:
            touched = Box(0, 0, 0, 0)
            for outline in self.shot.outlines_of(cover):
                if outline.mode == "adds":
                    touched = touched.joined(box_of(self._points[outline.id], self.scale).within(self.whole))
            self._mattes[cover.id] = touched, self._combined(cover, touched, {})
        held, matte = self._mattes[cover.id]
        out = np.zeros((box.height, box.width), np.float32)
        part = held.within(box)
        if not part.empty:
            out[_relative(part, box).slices] = matte[_relative(part, held).slices]
        return out

    def _combined(self, cover: Cover, box: Box, override: Override) -> Matte:
        outlines = self.shot.outlines_of(cover)
        return cover_matte([(o.mode, override.get(o.id, self._points[o.id])) for o in outlines], box, self.scale)

    def _laid_on(self, which: Pane, override: Override) -> pane.Laid | None:
        if which.id in override:
            return self._lay(which, override[which.id][:, :2])
        if which.id not in self._laid:
            self._laid[which.id] = self._lay(which, corners_at(which, self.frame))
        return self._laid[which.id]

    def _lay(self, which: Pane, corners: Points) -> pane.Laid | None:
        insert = self._pictures.insert(which.insert, self.frame, self.linear)
        try:
            return pane.lay(insert, corners, self.whole, self.scale, self.samples)
        except DegenerateQuadError:  # an in-between whose corners fold over shows nothing
            return None

    def composite(self, box: Box, override: Override | None = None) -> Bytes:
        """Plate with every pane's insert, each held out by the covers nearer to the camera; RGB of the box."""
        moved = override or {}
        out = colour.to_eight_bits(self.plate()[box.slices])
        laid = [(which, self._laid_on(which, moved)) for which in reversed(self._panes)]
        touched = Box(0, 0, 0, 0)
        for _, seen in laid:
            if seen is not None:
                touched = touched.joined(seen.box.within(box))
        if touched.empty:
            return out
        working = colour.to_working(self.plate()[touched.slices], self.linear)
        for which, seen in laid:
            part = seen.box.within(touched) if seen is not None else touched
            if seen is None or part.empty:
                continue
            own = _relative(part, seen.box).slices
            here = _relative(part, touched).slices
            nearer = self.matte(part, moved, self.shot.nearer_than(which))
            alpha = seen.alpha[own] * np.float32(which.opacity)
            working[here] = over.over_with_holdout(working[here], seen.colour[own], alpha, nearer)
        out = out.copy()
        out[_relative(touched, box).slices] = colour.to_display(working, self.linear)
        return out

    def cutout(self, box: Box, override: Override | None = None) -> Bytes:
        """What the covers keep of the plate, on checks; RGB of the box."""
        matte = self.matte(box, override)
        picture = colour.to_working(self.plate()[box.slices], False)
        size = max(8, round(16 * self.scale))
        ground = over.checks(box.bottom, box.right, size)[box.slices]
        return colour.to_display(over.cut_out(picture, matte, ground), False)

    def silhouette(self, element: str) -> Bytes:
        """Where a cover or a pane is, whether shown or not, as grey pixels; black for anything else."""
        found = self.shot.elements.get(element)
        matte = np.zeros((self.height, self.width), np.float32)
        if isinstance(found, Cover) and found.present(self.frame):
            shapes = [(o.mode, points_at(o, [self.frame])[0]) for o in self.shot.outlines_of(found)]
            matte = cover_matte(shapes, self.whole, self.scale)
        elif isinstance(found, Pane):
            corners = corners_at(found, self.frame)
            matte = coverage(pane.pane_outline(corners), self.whole, self.scale)
        return colour.to_eight_bits(matte)

    def look(self, look: Look, box: Box, override: Override | None = None) -> Bytes:
        """A look's pixels over a box: (h, w) for the matte, (h, w, 3) for the others."""
        if look == "matte":
            return colour.to_eight_bits(self.matte(box, override))
        if look == "cutout":
            return self.cutout(box, override)
        if look == "composite":
            return self.composite(box, override)
        return colour.to_eight_bits(self.plate()[box.slices])


def size_at(plate: Plate, scale: float) -> tuple[int, int]:
    """Width and height of the plate at a scale, at least one pixel."""
    return max(round(plate.width * scale), 1), max(round(plate.height * scale), 1)


def _relative(part: Box, whole: Box) -> Box:
    return Box(part.left - whole.left, part.top - whole.top, part.right - whole.left, part.bottom - whole.top)
