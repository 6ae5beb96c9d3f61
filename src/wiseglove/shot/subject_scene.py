"""The subjects of a shot on one frame: where they are, what they look like, and their mattes."""

from __future__ import annotations

from contextlib import suppress

import cv2
import numpy as np

from wiseglove.core.compositing import colour, pane
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.core.matte.combine import outline_matte, reach_box
from wiseglove.core.matte.coverage import Box, Matte
from wiseglove.shot.cutting import Cut, cut, whole_matte
from wiseglove.shot.evaluate import corners_at
from wiseglove.shot.model import Cover, Pane
from wiseglove.shot.scene import CoverScene, Override, Picture, face_of, relative
from wiseglove.shot.subject import Subject


class SubjectScene(CoverScene):
    """A scene with its subjects."""

    @property
    def _subjects(self) -> list[Subject]:
        """The subjects that a look counts, from near to far."""
        return [t for t in self._layers if isinstance(t, Subject) and self._counts(t)]

    def _subject_box(self, which: Subject) -> Box:
        """The part of the picture that a subject is limited to."""
        limit = self.shot.find(which.pane, Pane) if which.pane else None
        if limit is None:
            return self.whole
        with suppress(DegenerateQuadError):
            border = pane.face_outline(corners_at(limit, self.frame), face_of(limit))
            return reach_box(border[None], self.scale, which.beyond + 1).within(self.whole)
        return Box(0, 0, 0, 0)

    def _limit_of(self, which: Subject, box: Box) -> Matte | None:
        limit = self.shot.find(which.pane, Pane) if which.pane else None
        if limit is None or box.empty:
            return None
        border = pane.face_outline(corners_at(limit, self.frame), face_of(limit))
        return outline_matte(border[None], box, self.scale, which.beyond)

    def _is_still(self, which: Subject, override: Override) -> bool:
        """Whether nothing is dragged that a subject depends on."""
        covers = (self.shot.find(c, Cover) for c in (*which.core, *which.garbage))
        return which.id not in override and not any(o in override for c in covers if c for o in c.outlines)

    def _alpha_in(self, which: Subject, box: Box, override: Override) -> Matte:
        """A subject's final matte (h, w) over a box."""
        if which.clip is not None:
            return self._subject_in(which, box, override)[1]
        still = self._is_still(which, override)
        area = self._subject_box(which) if still else box
        held = self._alphas.get(which.id) if still else None
        if held is None:
            found = self._cut_of(which)
            core = self.mattes_in(which.core, area, override)
            garbage = self.mattes_in(which.garbage, area, override)
            rows = relative(area, found.box).slices
            held = whole_matte(found.alpha[rows], core, garbage, self._limit_of(which, area))
            if still:
                self._alphas[which.id] = held
        return held[relative(box, area).slices]

    def _subject_in(
        self, which: Subject, box: Box, override: Override, behind: Picture | None = None
    ) -> tuple[Picture, Matte]:
        """A subject's colours (h, w, 3; working, unpremultiplied) and its final matte (h, w) over a box."""
        kept = self._is_still(which, override) and behind is None
        if kept and which.id in self._own:
            whole, colours, alpha = self._own[which.id]
            here = relative(box, whole).slices
            return colours[here], alpha[here]
        area = self._subject_box(which) if kept or which.clip is None else box
        if which.clip is None:
            found = self._cut_of(which)
            alpha = self._alpha_in(which, area, override)
            rows = relative(area, found.box).slices
            back = None if behind is None else self._blurred(behind, box, found.box)
            full = found.alpha.copy()
            full[rows] = alpha
            colours = found.colours(full, which.spill, back)[rows]
        else:
            colours, alpha = self._placed(which, area, override)
            core = self.mattes_in(which.core, area, override)
            alpha = whole_matte(alpha, core, self.mattes_in(which.garbage, area, override), self._limit_of(which, area))
        if not self.linear:
            colours = np.asarray(colour.encode(np.clip(colours, 0, None)), np.float32)
        if kept:
            self._own[which.id] = area, colours, alpha
        here = relative(box, area).slices
        return colours[here], alpha[here]

    def _blurred(self, behind: Picture, box: Box, area: Box) -> Picture:
        """What lies behind a box in linear light, softly, as light that it throws on what is before it; even light around."""
        light = behind if self.linear else np.asarray(colour.decode(behind), np.float32)
        soft = cv2.GaussianBlur(light, (0, 0), max(24 * self.scale, 1))
        out = np.ones((area.height, area.width, 3), np.float32)
        out[relative(box, area).slices] = soft
        return out

    def _cut_of(self, which: Subject) -> Cut:
        if which.id not in self._cuts:
            plate = self.shot.plate
            if which.clip is None:
                box = self._subject_box(which)
                around = round(64 * self.scale)
                wider = Box(box.left - around, box.top - around, box.right + around, box.bottom + around)
                box = wider.within(self.whole)
                core = self.mattes_in(which.core, box, {})
                self._cuts[which.id] = cut(which, plate, self.frame, self._pictures, self.width, box, core)
            else:
                wide = self._pictures.wide(which.clip)
                self._cuts[which.id] = cut(
                    which, plate, self.frame, self._pictures, min(wide, max(round(wide * self.scale), 1))
                )
        return self._cuts[which.id]

    def _placed(self, which: Subject, area: Box, override: Override) -> tuple[Picture, Matte]:
        """A subject from another clip where its corners put it: its colours (linear) and its matte over a box."""
        corners = override[which.id][:, :2] if which.id in override else corners_at(which, self.frame)
        if which.id not in self._clips:
            found = self._cut_of(which)
            own = found.colours(found.alpha, which.spill)
            self._clips[which.id] = np.concatenate([own * found.alpha[..., None], found.alpha[..., None]], axis=2)
        colours = np.zeros((area.height, area.width, 3), np.float32)
        alpha = np.zeros((area.height, area.width), np.float32)
        with suppress(DegenerateQuadError):
            laid = pane.lay(self._clips[which.id], corners, self.whole, self.scale, self.samples)
            part = laid.box.within(area)
            if not part.empty:
                own_part, here = relative(part, laid.box).slices, relative(part, area).slices
                colours[here], alpha[here] = laid.colour[own_part], laid.alpha[own_part]
        return colours, alpha

    def key_of(self, which: Subject) -> Matte:
        """A subject over the whole picture as its key and clean-up leave it, without core and garbage."""
        if which.clip is not None:
            return self._placed(which, self.whole, {})[1]
        out = np.zeros((self.height, self.width), np.float32)
        if not self._subject_box(which).empty:
            found = self._cut_of(which)
            out[found.box.slices] = found.alpha
        return out
