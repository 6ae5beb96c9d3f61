"""The mattes of a shot's covers on one frame; keeps what does not change while something is dragged."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.matte import shutter
from wiseglove.core.matte.combine import Part, cover_matte, reach_box
from wiseglove.core.matte.coverage import Box, Matte
from wiseglove.shot.model import Cover, Outline
from wiseglove.shot.rider import Rider
from wiseglove.shot.scene import Ground, Override, relative


class CoverMattes:
    """Mattes of covers over boxes of the result."""

    def __init__(self, ground: Ground) -> None:
        self._ground, self._shot, self._frame = ground, ground.shot, ground.frame
        self.counted = [
            c for c in self._shot.covers if self._shot.is_shown(c) and c.present(self._frame) and ground.counts(c)
        ]
        """The covers that the look counts, from near to far."""
        self._shapes: dict[str, Points] = {}
        self._mattes: dict[str, tuple[Box, Matte]] = {}

    def matte(self, box: Box, override: Override | None = None, only: Sequence[Cover] | None = None) -> Matte:
        """Union of the counted covers' mattes (or of some of them) over a box."""
        wanted = self.counted if only is None else [c for c in only if c in self.counted]
        return self._union(wanted, box, override or {})

    def mattes_in(self, names: Sequence[str], box: Box, override: Override) -> Matte | None:
        """The union of a subject's core or garbage mattes over a box; None where it has none."""
        covers = [c for c in (self._shot.find(n, Cover) for n in names) if c is not None]
        covers = [c for c in covers if self._shot.is_shown(c) and c.present(self._frame)]
        return self._union(covers, box, override) if covers else None

    def _union(self, covers: Sequence[Cover], box: Box, override: Override) -> Matte:
        clear = np.ones((box.height, box.width), np.float32)
        for cover in covers:
            part, matte = self.part_of(cover, box, override)
            if not part.empty:
                clear[relative(part, box).slices] *= 1 - matte
        return 1 - clear

    def part_of(self, cover: Cover, box: Box, override: Override) -> tuple[Box, Matte]:
        """The part of a box that a cover touches, and its matte there."""
        if any(outline in override for outline in cover.outlines):
            part = self._touched(cover, override).within(box)
            return part, self._combined(cover, part, override)
        if cover.id not in self._mattes:
            touched = self._touched(cover, {})
            self._mattes[cover.id] = touched, self._combined(cover, touched, {})
        whole, matte = self._mattes[cover.id]
        part = whole.within(box)
        return part, matte[relative(part, whole).slices]

    def whole_matte(self, cover: Cover) -> Matte:
        """A cover's matte over the whole result, whether it is shown or not."""
        if not cover.present(self._frame):
            return np.zeros((self._ground.whole.height, self._ground.whole.width), np.float32)
        return self._combined(cover, self._ground.whole, {})

    def whole_union(self, covers: Sequence[Cover]) -> Matte:
        """The union of covers' whole mattes, whether they are shown or not."""
        clear = np.ones((self._ground.whole.height, self._ground.whole.width), np.float32)
        for cover in covers:
            clear *= 1 - self.whole_matte(cover)
        return 1 - clear

    def reach_of(self, outline: Outline, cover: Cover, points: Points) -> Box:
        """The pixels that an outline with these points on this frame can touch."""
        return reach_box(self._moved(outline, cover, {outline.id: points}), self._ground.scale, abs(cover.grow))

    def _touched(self, cover: Cover, override: Override) -> Box:
        """The pixels of the picture that a cover can touch."""
        touched = Box(0, 0, 0, 0)
        for part in self._parts(cover, override):
            if part.mode == "adds":
                reach = reach_box(part.shapes, self._ground.scale, abs(cover.grow))
                touched = touched.joined(reach.within(self._ground.whole))
        return touched

    def _combined(self, cover: Cover, box: Box, override: Override) -> Matte:
        matte = cover_matte(self._parts(cover, override), box, self._ground.scale, cover.grow)
        strength = cover.strength(self._frame, self._shot.plate)
        return matte if strength == 1.0 else matte * np.float32(strength)

    def _parts(self, cover: Cover, override: Override) -> list[Part]:
        """The cover's outlines that are there on this frame, at the moments of its exposure."""
        plate = self._shot.plate
        return [
            Part(o.mode, self._moved(o, cover, override), o.strength(self._frame, plate))
            for o in self._shot.outlines_of(cover)
            if o.present(self._frame)
        ]

    def _moved(self, outline: Outline, cover: Cover, override: Override) -> Points:
        rider = self._shot.rider(outline)
        if outline.id not in self._shapes:
            self._shapes[outline.id] = exposed(rider, cover, self._frame, self._ground.scale)
        shapes = self._shapes[outline.id]
        if outline.id not in override:
            return shapes
        if len(shapes) == 1:
            return override[outline.id][None]
        moved: Points = shapes + (override[outline.id] - rider.shape_at(self._frame))
        moved[..., 6:] = np.maximum(moved[..., 6:], 0.0)
        return moved


def exposed(rider: Rider[Outline], cover: Cover, frame: float, scale: float) -> Points:
    """An outline at the moments of its cover's exposure of a frame, (S, N, 8); one where nothing is blurred."""
    if cover.shutter <= 0:
        return rider.points_at([frame])
    rough = rider.points_at(shutter.moments(frame, cover.shutter, cover.phase, 5))
    softness = float(rough[..., 6:].sum(axis=-1).min()) * scale
    needed = shutter.moments_needed(shutter.travel(rough) * 1.25 * scale, softness)
    if needed == 1:
        return rider.points_at([frame])
    return rider.points_at(shutter.moments(frame, cover.shutter, cover.phase, needed))
