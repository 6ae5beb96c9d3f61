"""The subjects of a shot on one frame: where they are, what they look like, and their mattes."""

from __future__ import annotations

from contextlib import suppress

import cv2
import numpy as np

from wiseglove.core.compositing import colour, pane
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.core.matte.combine import outline_matte, reach_box
from wiseglove.core.matte.coverage import Box, Matte
from wiseglove.shot.cover_mattes import CoverMattes
from wiseglove.shot.cutting import Cut, cut, whole_matte
from wiseglove.shot.model import Cover, Pane
from wiseglove.shot.scene import Ground, Override, Picture, face_of, relative
from wiseglove.shot.subject import Subject


class SubjectLayers:
    """Subjects as layers: their colours and their final mattes over boxes of the result."""

    def __init__(self, ground: Ground, covers: CoverMattes) -> None:
        self._ground, self._shot, self._covers = ground, ground.shot, covers
        self.counted = [s for s in self._shot.subjects if s.shown and ground.counts(s)]
        """The subjects that the look counts, from near to far."""
        self._cuts: dict[str, Cut] = {}
        self._own: dict[str, tuple[Box, Picture, Matte]] = {}
        self._alphas: dict[str, Matte] = {}
        self._clips: dict[str, Picture] = {}

    @property
    def seconds_in_band(self) -> float:
        """How long the soft edges took that are solved from the picture's colours, when they were made."""
        return sum(found.seconds_in_band for found in self._cuts.values())

    def box_of(self, which: Subject) -> Box:
        """The part of the picture that a subject is limited to."""
        limit = self._shot.find(which.pane, Pane) if which.pane else None
        if limit is None:
            return self._ground.whole
        with suppress(DegenerateQuadError):
            reach = reach_box(self._border(limit)[None], self._ground.scale, which.beyond + 1)
            return reach.within(self._ground.whole)
        return Box(0, 0, 0, 0)

    def _border(self, limit: Pane) -> Points:
        corners = self._shot.corners_at(limit, self._ground.frame)
        return pane.face_outline(corners, face_of(limit))

    def _limit_of(self, which: Subject, box: Box) -> Matte | None:
        limit = self._shot.find(which.pane, Pane) if which.pane else None
        if limit is None or box.empty:
            return None
        return outline_matte(self._border(limit)[None], box, self._ground.scale, which.beyond)

    def _is_still(self, which: Subject, override: Override) -> bool:
        """Whether nothing is dragged that a subject depends on."""
        covers = (self._shot.find(c, Cover) for c in (*which.core, *which.garbage))
        return which.id not in override and not any(o in override for c in covers if c for o in c.outlines)

    def alpha_in(self, which: Subject, box: Box, override: Override) -> Matte:
        """A subject's final matte (h, w) over a box."""
        if which.clip is not None:
            return self.colours_in(which, box, override)[1]
        still = self._is_still(which, override)
        area = self.box_of(which) if still else box
        made = self._alphas.get(which.id) if still else None
        if made is None:
            found = self._cut_of(which)
            core = self._covers.mattes_in(which.core, area, override)
            garbage = self._covers.mattes_in(which.garbage, area, override)
            rows = relative(area, found.box).slices
            made = whole_matte(found.alpha[rows], core, garbage, self._limit_of(which, area))
            if still:
                self._alphas[which.id] = made
        return made[relative(box, area).slices]

    def colours_in(
        self, which: Subject, box: Box, override: Override, behind: Picture | None = None
    ) -> tuple[Picture, Matte]:
        """A subject's colours (h, w, 3; working, unpremultiplied) and its final matte (h, w) over a box.

        behind: (h, w, 3), what lies behind the box, where the subject takes its light from there.
        """
        kept = self._is_still(which, override) and behind is None
        if kept and which.id in self._own:
            whole, colours, alpha = self._own[which.id]
            here = relative(box, whole).slices
            return colours[here], alpha[here]
        area = self.box_of(which) if kept or which.clip is None else box
        if which.clip is None:
            found = self._cut_of(which)
            alpha = self.alpha_in(which, area, override)
            rows = relative(area, found.box).slices
            back = None if behind is None else self._blurred(behind, box, found.box)
            full = found.alpha.copy()
            full[rows] = alpha
            colours = found.colours(full, which.spill, back)[rows]
        else:
            colours, alpha = self._placed(which, area, override)
            core = self._covers.mattes_in(which.core, area, override)
            garbage = self._covers.mattes_in(which.garbage, area, override)
            alpha = whole_matte(alpha, core, garbage, self._limit_of(which, area))
        if not self._ground.linear:
            colours = colour.encoded(np.clip(colours, 0, None))
        if kept:
            self._own[which.id] = area, colours, alpha
        here = relative(box, area).slices
        return colours[here], alpha[here]

    def _blurred(self, behind: Picture, box: Box, area: Box) -> Picture:
        """What lies behind a box in linear light, softly, as light that it throws on what is before it; even light around."""
        light = behind if self._ground.linear else np.asarray(colour.decode(behind), np.float32)
        soft = cv2.GaussianBlur(light, (0, 0), max(24 * self._ground.scale, 1))
        out = np.ones((area.height, area.width, 3), np.float32)
        out[relative(box, area).slices] = soft
        return out

    def _cut_of(self, which: Subject) -> Cut:
        if which.id not in self._cuts:
            ground = self._ground
            plate, scale = ground.shot.plate, ground.scale
            if which.clip is None:
                box = self.box_of(which)
                around = round(64 * scale)
                wider = Box(box.left - around, box.top - around, box.right + around, box.bottom + around)
                box = wider.within(ground.whole)
                core = self._covers.mattes_in(which.core, box, {})
                self._cuts[which.id] = cut(which, plate, ground.frame, ground.pictures, ground.size[0], box, core)
            else:
                wide = ground.pictures.wide(which.clip)
                width = min(wide, max(round(wide * scale), 1))
                self._cuts[which.id] = cut(which, plate, ground.frame, ground.pictures, width)
        return self._cuts[which.id]

    def _placed(self, which: Subject, area: Box, override: Override) -> tuple[Picture, Matte]:
        """A subject from another clip where its corners put it: its colours (linear) and its matte over a box."""
        ground = self._ground
        corners = override[which.id][:, :2] if which.id in override else ground.shot.corners_at(which, ground.frame)
        if which.id not in self._clips:
            found = self._cut_of(which)
            own = found.colours(found.alpha, which.spill)
            self._clips[which.id] = np.concatenate([own * found.alpha[..., None], found.alpha[..., None]], axis=2)
        colours = np.zeros((area.height, area.width, 3), np.float32)
        alpha = np.zeros((area.height, area.width), np.float32)
        with suppress(DegenerateQuadError):
            laid = pane.lay(self._clips[which.id], corners, ground.whole, ground.scale, ground.samples)
            part = laid.box.within(area)
            if not part.empty:
                own_part, here = relative(part, laid.box).slices, relative(part, area).slices
                colours[here], alpha[here] = laid.colour[own_part], laid.alpha[own_part]
        return colours, alpha

    def key_of(self, which: Subject) -> Matte:
        """A subject over the whole picture as its key and clean-up leave it, without core and garbage."""
        whole = self._ground.whole
        if which.clip is not None:
            return self._placed(which, whole, {})[1]
        out = np.zeros((whole.height, whole.width), np.float32)
        if not self.box_of(which).empty:
            found = self._cut_of(which)
            out[found.box.slices] = found.alpha
        return out
