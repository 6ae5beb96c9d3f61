"""One frame of a shot as pictures: mattes, cut-outs and composites, whole or only a box of it."""

from __future__ import annotations

from contextlib import suppress
from typing import Literal

import cv2
import numpy as np

from wiseglove.core.compositing import colour, over, pane
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.core.matte.combine import outline_matte
from wiseglove.core.matte.coverage import Box, Matte
from wiseglove.shot.evaluate import corners_at
from wiseglove.shot.model import Cover, Insert, Pane
from wiseglove.shot.scene import Bytes, Override, Picture, face_of, relative
from wiseglove.shot.subject import Subject
from wiseglove.shot.subject_scene import SubjectScene

Look = Literal["plate", "matte", "cutout", "composite"]
TINT = 0.55
STATE = ("#20303a", "#d99a2b", "#efeadb")
"""What shows the state of a matte: fully out, in between, fully in."""
CLEAR_END, SOLID_END = 1.5 / 255, 253.5 / 255


class FrameScene(SubjectScene):
    """A shot on one frame at one scale, as its looks show it."""

    def _laid_on(self, which: Pane, override: Override) -> pane.Laid | None:
        if which.id in override:
            return self._lay(which, override[which.id][:, :2])
        if which.id not in self._laid:
            self._laid[which.id] = self._lay(which, corners_at(which, self.frame))
        return self._laid[which.id]

    def _lay(self, which: Pane, corners: Points) -> pane.Laid | None:
        insert = self._pictures.insert(which.insert, self.frame, self.linear)
        try:
            return pane.lay(insert, corners, self.whole, self.scale, self.samples, face_of(which))
        except DegenerateQuadError:  # an in-between whose corners fold over shows nothing
            return None

    def composite(self, box: Box, override: Override | None = None) -> Bytes:
        """Plate with every pane's insert and every subject, each held out by the covers nearer to it; RGB of the box."""
        moved = override or {}
        out = colour.to_eight_bits(self.plate()[box.slices])
        reach = [self._reach_of(which, moved).within(box) for which in self._layers]
        touched = Box(0, 0, 0, 0)
        for part in reach:
            touched = touched.joined(part)
        if touched.empty:
            return out
        working = colour.to_working(self.plate()[touched.slices], self.linear)
        for which, part in zip(reversed(self._layers), reversed(reach), strict=True):
            if part.empty:
                continue
            here = relative(part, touched).slices
            nearer = self.matte(part, moved, self.shot.nearer_than(which))
            front, alpha = self._seen(which, part, moved, working[here])
            working[here] = over.over_with_holdout(working[here], front, alpha * np.float32(which.opacity), nearer)
        out = out.copy()
        out[relative(touched, box).slices] = colour.to_display(working, self.linear)
        return out

    def _reach_of(self, which: Pane | Subject, override: Override) -> Box:
        if isinstance(which, Subject):
            return self._subject_box(which)
        laid = self._laid_on(which, override)
        return Box(0, 0, 0, 0) if laid is None else laid.box

    def _seen(
        self, which: Pane | Subject, part: Box, override: Override, behind: Picture | None = None
    ) -> tuple[Picture, Matte]:
        """A pane's insert or a subject over a box, unpremultiplied working values, and its alpha there."""
        if isinstance(which, Subject):
            back = behind if which.spill.replace == "background" else None
            return self._subject_in(which, part, override, back)
        laid = self._laid_on(which, override)
        assert laid is not None
        own = relative(part, laid.box).slices
        return laid.colour[own], laid.alpha[own]

    def cutout(self, box: Box, override: Override | None = None) -> Bytes:
        """What covers and subjects keep of their pictures, on the chosen ground; RGB of the box."""
        moved = override or {}
        linear = self.linear and bool(self._subjects)
        out = self._ground(box, linear)
        picture = colour.to_working(self.plate()[box.slices], linear)
        for thing in reversed(list(map(self.shot.elements.get, self.shot.settings.depth))):
            if isinstance(thing, Cover) and thing in self._covers:
                part, matte = self._cover_in(thing, box, moved)
                if not part.empty:
                    here = relative(part, box).slices
                    out[here] = over.cut_out(picture[here], matte, out[here])
            elif isinstance(thing, Subject) and thing in self._subjects:
                part = self._subject_box(thing).within(box)
                if not part.empty:
                    here = relative(part, box).slices
                    front, alpha = self._seen(thing, part, moved, out[here])
                    out[here] = over.cut_out(front, alpha * np.float32(thing.opacity), out[here])
        return colour.to_display(out, linear)

    def _ground(self, box: Box, linear: bool) -> Picture:
        """What a cut-out lies on, (h, w, 3): checks, a colour, the plate out of focus, or the farthest pane's picture."""
        ground = self.manner.ground
        if ground == "blurred":
            soft = cv2.GaussianBlur(self.plate(), (0, 0), max(18 * self.scale, 1))
            return colour.to_working(soft[box.slices], linear)
        if ground == "picture":
            insert = self.shot.panes[-1].insert if self.shot.panes else Insert()
            seen = self._pictures.insert(insert, self.frame, linear)[..., :3]
            size = (self.width, self.height)
            return np.asarray(cv2.resize(seen, size, interpolation=cv2.INTER_AREA)[box.slices], np.float32).copy()
        if ground == "checks":
            plain = over.checks(box.bottom, box.right, max(8, round(16 * self.scale)))[box.slices]
        else:
            plain = np.broadcast_to(colour.of_hex(ground), (box.height, box.width, 3))
        return np.array(colour.decode(plain) if linear else plain, np.float32)

    def tinted(self, box: Box, override: Override | None = None) -> Bytes:
        """The plate with each matte laid over it in its cover's or subject's colour, half clear; RGB of the box."""
        out = colour.to_working(self.plate()[box.slices], False)
        things: list[Subject | Cover] = [*reversed(self._subjects), *reversed(self._covers)]
        for thing in things:
            if isinstance(thing, Subject):
                part = self._subject_box(thing).within(box)
                matte = np.zeros((0, 0), np.float32) if part.empty else self._alpha_in(thing, part, override or {})
            else:
                part, matte = self._cover_in(thing, box, override or {})
            if part.empty:
                continue
            share = matte[..., None] * np.float32(TINT)
            here = relative(part, box).slices
            out[here] = out[here] * (1 - share) + share * colour.of_hex(thing.colour)
        return colour.to_display(out, False)

    def silhouette(self, element: str) -> Bytes:
        """Where a cover, a subject or a pane is, whether shown or not, as grey pixels; black for anything else."""
        found = self.shot.find(element, Pane)
        if found is None:
            return colour.to_eight_bits(self.matte_of(element))
        matte = np.zeros(self._shape, np.float32)
        with suppress(DegenerateQuadError):
            border = pane.face_outline(corners_at(found, self.frame), face_of(found))
            matte = outline_matte(border[None], self.whole, self.scale)
        return colour.to_eight_bits(matte)

    def look(self, look: Look, box: Box, override: Override | None = None) -> Bytes:
        """A look's pixels over a box: (h, w) for a matte on black, (h, w, 3) for all others."""
        if look == "matte":
            return self._matte_look(box, override)
        if look == "cutout":
            return self.cutout(box, override)
        if look == "composite":
            return self.composite(box, override)
        return colour.to_eight_bits(self.plate()[box.slices])

    def _matte_look(self, box: Box, override: Override | None) -> Bytes:
        if self.manner.style == "tint":
            return self.tinted(box, override)
        if self.manner.style == "spill":
            return self._spill_only(box)
        matte = self.whole_matte(box, override)
        if self.manner.style == "edges":
            # What lies between the inner and the outer end of the edge, brightest where it is half covered.
            matte = 1 - np.abs(2 * matte - 1)
        if self.manner.style == "state":
            tones = np.array([colour.of_hex(t) for t in STATE])
            state = np.where(matte <= CLEAR_END, 0, np.where(matte >= SOLID_END, 2, 1))
            return colour.to_display(tones[state], False)
        return colour.to_eight_bits(matte)

    def whole_matte(self, box: Box, override: Override | None = None) -> Matte:
        """Union over a box of all covers and subjects that count."""
        clear = 1 - self.matte(box, override)
        for which in self._subjects:
            part = self._subject_box(which).within(box)
            if not part.empty:
                clear[relative(part, box).slices] *= 1 - self._alpha_in(which, part, override or {})
        return 1 - clear

    def matte_of(self, thing: str) -> Matte:
        """The whole matte of a cover or a subject by itself."""
        found = self.shot.elements.get(thing)
        if isinstance(found, Cover):
            return (
                self._combined(found, self.whole, {})
                if found.present(self.frame)
                else np.zeros(self._shape, np.float32)
            )
        out = np.zeros(self._shape, np.float32)
        if isinstance(found, Subject):
            part = self._subject_box(found)
            if not part.empty:
                out[part.slices] = self._alpha_in(found, part, {})
        return out

    def cut_of(self, subject: str) -> Picture:
        """A subject's own colours, encoded and unpremultiplied, with its matte, (height, width, 4)."""
        found = self.shot.find(subject, Subject)
        out = np.zeros((*self._shape, 4), np.float32)
        part = self._subject_box(found) if found is not None else Box(0, 0, 0, 0)
        if found is not None and not part.empty:
            own, alpha = self._subject_in(found, part, {})
            shown = np.asarray(colour.encode(own), np.float32) if self.linear else own
            out[part.slices] = np.concatenate([np.clip(shown, 0, 1), alpha[..., None]], axis=2)
        return out

    @property
    def _shape(self) -> tuple[int, int]:
        return self.height, self.width

    def _spill_only(self, box: Box) -> Bytes:
        """What is taken out of the subjects' colours as the backing's, where they are, on black; RGB of the box."""
        out = np.zeros((box.height, box.width, 3), np.float32)
        for which in reversed(self._subjects):
            part = self._subject_box(which).within(box)
            if part.empty or which.clip is not None:
                continue
            own, alpha = self._subject_in(which, part, {})
            plate = colour.to_working(self.plate()[part.slices], self.linear)
            here = relative(part, box).slices
            out[here] = out[here] * (1 - alpha[..., None]) + np.clip(plate - own, 0, 1) * alpha[..., None]
        return colour.to_display(out, self.linear)

    def values(self, x: float, y: float) -> tuple[list[float], float, list[float]]:
        """At a place of the plate: its encoded colour, the matte there, and the encoded colour of the cut-out subject."""
        column = min(max(int(x * self.scale), 0), self.width - 1)
        row = min(max(int(y * self.scale), 0), self.height - 1)
        box = Box(column, row, column + 1, row + 1)
        plate = colour.to_working(self.plate()[box.slices], False)[0, 0]
        own = plate
        for which in reversed(self._subjects):
            if not self._subject_box(which).within(box).empty:
                own = self._subject_in(which, box, {})[0][0, 0]
                own = np.asarray(colour.encode(own)) if self.linear else own
        return plate.tolist(), float(self.whole_matte(box)[0, 0]), np.clip(own, 0, 1).tolist()
