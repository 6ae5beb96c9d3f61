"""One frame of a shot as pictures: mattes, cut-outs and composites, whole or only a box of it."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np

from wiseglove.core.compositing import colour, kernels, over, pane
from wiseglove.core.compositing.cover_edges import own_share
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.matte.coverage import Box, Matte, box_of
from wiseglove.shot.cover_mattes import CoverMattes
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Cover, Insert, Outline, Pane
from wiseglove.shot.pane_layers import PaneLayers
from wiseglove.shot.scene import EVERYTHING, Bytes, Ground, Manner, Override, Picture, Pictures, relative
from wiseglove.shot.sitting import Sitting
from wiseglove.shot.subject import Subject
from wiseglove.shot.subject_layers import SubjectLayers

Look = Literal["plate", "matte", "cutout", "composite"]
TINT = 0.55
STATE = ("#20303a", "#d99a2b", "#efeadb")
"""What shows the state of a matte: fully out, in between, fully in."""
CLEAR_END, SOLID_END = 1.5 / 255, 253.5 / 255


class FrameScene:
    """A shot on one frame at one scale, as its looks show it: the plate, covers, subjects and panes put together."""

    def __init__(
        self,
        shot: EvaluatedShot,
        frame: int,
        pictures: Pictures,
        scale: float = 1.0,
        samples: int = pane.FINAL,
        manner: Manner = EVERYTHING,
    ) -> None:
        """scale: result pixels per plate pixel. samples: per pixel and axis for inserts."""
        self.ground = Ground(shot, frame, pictures, scale, samples, manner)
        self.covers = CoverMattes(self.ground)
        self.subjects = SubjectLayers(self.ground, self.covers)
        self.panes = PaneLayers(self.ground)
        self.sitting = Sitting(self.ground, self.covers, self.panes)
        self._things = list(map(shot.elements.get, shot.settings.depth))
        self._layers = [t for t in self._things if isinstance(t, Pane | Subject) and self.ground.lays(t)]

    @property
    def whole(self) -> Box:
        """All of the result."""
        return self.ground.whole

    def reach_of(self, element: str, points: Points) -> Box:
        """The pixels that an outline or a pane with these points on this frame can touch."""
        shot = self.ground.shot
        outline, which = shot.find(element, Outline), shot.find(element, Pane)
        cover = shot.find(outline.cover, Cover) if outline else None
        if outline is not None and cover is not None:
            return self.covers.reach_of(outline, cover, points)
        return box_of(points, self.ground.scale) if which is None else self.panes.reach_of(which, points)

    def composite(self, box: Box, override: Override | None = None) -> Bytes:
        """Plate with every pane's insert and every subject, each held out by the covers nearer to it; RGB of the box."""
        out = colour.to_eight_bits(self.ground.plate[box.slices])
        touched, working = self._mixed(box, override or {})
        if touched.empty:
            return out
        out = out.copy()
        out[relative(touched, box).slices] = colour.to_display(working, self.ground.linear)
        return out

    def composite_encoded(self) -> Picture:
        """The whole composite, encoded, in all of its precision, (height, width, 3); where nothing is laid, the plate's own."""
        touched, working = self._mixed(self.whole, {})
        out = colour.to_working(self.ground.plate, False)
        if not touched.empty:
            shown = colour.encoded(working) if self.ground.linear else working
            out[touched.slices] = np.asarray(shown, np.float32)
        return out

    def _mixed(self, box: Box, moved: Override) -> tuple[Box, Picture]:
        """The part of a box on which anything is laid, and working values (h, w, 3) there."""
        reach = [self._reach_of(which, moved).within(box) for which in self._layers]
        touched = Box(0, 0, 0, 0)
        for part in reach:
            touched = touched.joined(part)
        if touched.empty:
            return touched, np.zeros((0, 0, 3), np.float32)
        working = self.ground.working_in(touched)
        for which, part in zip(reversed(self._layers), reversed(reach), strict=True):
            if part.empty:
                continue
            if isinstance(which, Pane):
                self._put(which, part, moved, working[relative(part, touched).slices])
                continue
            here = relative(part, touched).slices
            nearer = self.covers.matte(part, moved, self.ground.shot.nearer_than(which))
            front, alpha = self._seen(which, part, moved, working[here])
            working[here] = over.over_with_holdout(working[here], front, alpha * np.float32(which.opacity), nearer)
        return touched, working

    def holdout_of(self, which: Pane) -> Matte:
        """What stays in front of a pane: the union of all nearer covers and subjects, over the whole result."""
        shot = self.ground.shot
        nearer = shot.settings.depth[: shot.settings.depth.index(which.id)]
        clear = 1 - self.covers.matte(self.whole, None, shot.nearer_than(which))
        for subject in self.subjects.counted:
            part = self.subjects.box_of(subject)
            if subject.id in nearer and not part.empty:
                clear[part.slices] *= 1 - self.subjects.alpha_in(subject, part, {})
        return 1 - clear

    def cover_cut_of(self, which: Cover) -> Picture:
        """A cover with its own colours, encoded and unpremultiplied, and its matte, (height, width, 4).

        In the soft band its colour is told apart from what lies behind (`own_share`), so that no rim of that is carried along.
        """
        matte = self.covers.whole_matte(which)
        own = own_share(self.ground.working, matte)
        colours = np.where(matte[..., None] > 1e-4, own / np.maximum(matte[..., None], 1e-4), 0)
        shown = colour.encoded(colours) if self.ground.linear else colours
        return np.concatenate([np.clip(np.asarray(shown, np.float32), 0, 1), matte[..., None]], axis=2)

    def _put(self, which: Pane, part: Box, moved: Override, working: Picture) -> None:
        """Lay a pane's picture over a part (h, w, 3) of what lies behind it, in place, with the light that it throws."""
        laid = self.sitting.laid(which, moved)
        now = self.panes.now(which)
        seen = Box(0, 0, 0, 0) if laid is None else laid.box.within(part)
        if laid is not None and not seen.empty:
            here, own = relative(seen, part).slices, relative(seen, laid.box).slices
            nearer = self.sitting.nearer(which, seen, moved)
            back, colours = np.ascontiguousarray(working[here]), np.ascontiguousarray(laid.colour[own])
            front = self.sitting.mixed(which, colours, back, nearer, seen)
            alpha = laid.alpha[own] * np.float32(now.opacity)
            if now.sit.edges.on:
                cover = own_share(self.ground.working_near(seen), nearer)
                kernels.laid_clean(back, front, alpha, nearer, cover, np.float32(min(now.sit.edges.amount, 1)))
            else:
                back = over.over_with_holdout(back, front, alpha, nearer)
            working[here] = back
        if self.sitting.shines(which):
            self.sitting.lighten(which, working, part)

    def _reach_of(self, which: Pane | Subject, override: Override) -> Box:
        if isinstance(which, Subject):
            return self.subjects.box_of(which)
        laid = self.panes.laid(which, override)
        return Box(0, 0, 0, 0) if laid is None else self.sitting.reach(which, laid.box)

    def _seen(
        self, which: Subject, part: Box, override: Override, behind: Picture | None = None
    ) -> tuple[Picture, Matte]:
        """A subject over a box, unpremultiplied working values, and its alpha there."""
        back = behind if which.spill.replace == "background" else None
        return self.subjects.colours_in(which, part, override, back)

    def cutout(self, box: Box, override: Override | None = None) -> Bytes:
        """What covers and subjects keep of their pictures, on the chosen ground; RGB of the box."""
        moved = override or {}
        linear = self.ground.linear and bool(self.subjects.counted)
        out = self._backdrop(box, linear)
        picture = colour.to_working(self.ground.plate[box.slices], linear)
        for thing in reversed(self._things):
            if isinstance(thing, Cover) and thing in self.covers.counted:
                part, matte = self.covers.part_of(thing, box, moved)
                if not part.empty:
                    here = relative(part, box).slices
                    out[here] = over.cut_out(picture[here], matte, out[here])
            elif isinstance(thing, Subject) and thing in self.subjects.counted:
                part = self.subjects.box_of(thing).within(box)
                if not part.empty:
                    here = relative(part, box).slices
                    front, alpha = self._seen(thing, part, moved, out[here])
                    out[here] = over.cut_out(front, alpha * np.float32(thing.opacity), out[here])
        return colour.to_display(out, linear)

    def _backdrop(self, box: Box, linear: bool) -> Picture:
        """What a cut-out lies on, (h, w, 3): checks, a colour, the plate out of focus, or the farthest pane's picture."""
        chosen, scale = self.ground.manner.ground, self.ground.scale
        if chosen == "blurred":
            soft = cv2.GaussianBlur(self.ground.plate, (0, 0), max(18 * scale, 1))
            return colour.to_working(soft[box.slices], linear)
        if chosen == "picture":
            panes = self.ground.shot.panes
            seen = self.ground.pictures.insert(panes[-1].insert if panes else Insert(), self.ground.frame, linear)
            if seen is None:
                return np.zeros((box.height, box.width, 3), np.float32)
            sized = cv2.resize(seen[..., :3], self.ground.size, interpolation=cv2.INTER_AREA)
            return np.asarray(sized[box.slices], np.float32).copy()
        if chosen == "checks":
            plain = over.checks(box.bottom, box.right, max(8, round(16 * scale)))[box.slices]
        else:
            plain = np.broadcast_to(colour.of_hex(chosen), (box.height, box.width, 3))
        return np.array(colour.decode(plain) if linear else plain, np.float32)

    def tinted(self, box: Box, override: Override | None = None) -> Bytes:
        """The plate with each matte laid over it in its cover's or subject's colour, half clear; RGB of the box."""
        out = colour.to_working(self.ground.plate[box.slices], False)
        things: list[Subject | Cover] = [*reversed(self.subjects.counted), *reversed(self.covers.counted)]
        for thing in things:
            if isinstance(thing, Subject):
                part = self.subjects.box_of(thing).within(box)
                matte = (
                    np.zeros((0, 0), np.float32) if part.empty else self.subjects.alpha_in(thing, part, override or {})
                )
            else:
                part, matte = self.covers.part_of(thing, box, override or {})
            if part.empty:
                continue
            share = matte[..., None] * np.float32(TINT)
            here = relative(part, box).slices
            out[here] = out[here] * (1 - share) + share * colour.of_hex(thing.colour)
        return colour.to_display(out, False)

    def look(self, look: Look, box: Box, override: Override | None = None) -> Bytes:
        """A look's pixels over a box: (h, w) for a matte on black, (h, w, 3) for all others."""
        if look == "matte":
            return self._matte_look(box, override)
        if look == "cutout":
            return self.cutout(box, override)
        if look == "composite":
            return self.composite(box, override)
        return colour.to_eight_bits(self.ground.plate[box.slices])

    def precise(self, look: Look) -> Picture:
        """All of a look, encoded, in all of its precision, (height, width, 3); of a matte's styles the plain one."""
        if look == "composite":
            return self.composite_encoded()
        if look == "plate":
            return colour.to_working(self.ground.plate, False)
        if look == "matte":
            return np.repeat(self.whole_matte(self.whole)[..., None], 3, axis=2)
        return colour.to_working(self.cutout(self.whole), False)

    def _matte_look(self, box: Box, override: Override | None) -> Bytes:
        style = self.ground.manner.style
        if style == "tint":
            return self.tinted(box, override)
        if style == "spill":
            return self._spill_only(box)
        matte = self.whole_matte(box, override)
        if style == "edges":
            # What lies between the inner and the outer end of the edge, brightest where it is half covered.
            matte = 1 - np.abs(2 * matte - 1)
        if style == "state":
            tones = np.array([colour.of_hex(t) for t in STATE])
            state = np.where(matte <= CLEAR_END, 0, np.where(matte >= SOLID_END, 2, 1))
            return colour.to_display(tones[state], False)
        return colour.to_eight_bits(matte)

    def whole_matte(self, box: Box, override: Override | None = None) -> Matte:
        """Union over a box of all covers and subjects that count."""
        clear = 1 - self.covers.matte(box, override)
        for which in self.subjects.counted:
            part = self.subjects.box_of(which).within(box)
            if not part.empty:
                clear[relative(part, box).slices] *= 1 - self.subjects.alpha_in(which, part, override or {})
        return 1 - clear

    def matte_of(self, thing: str) -> Matte:
        """The whole matte of a cover, a subject or a pane by itself, whether shown or not; 0 for anything else."""
        found = self.ground.shot.elements.get(thing)
        if isinstance(found, Cover):
            return self.covers.whole_matte(found)
        if isinstance(found, Pane):
            return self.panes.matte_of(found)
        out = np.zeros((self.whole.height, self.whole.width), np.float32)
        if isinstance(found, Subject):
            part = self.subjects.box_of(found)
            if not part.empty:
                out[part.slices] = self.subjects.alpha_in(found, part, {})
        return out

    def cut_of(self, subject: str) -> Picture:
        """A subject's own colours, encoded and unpremultiplied, with its matte, (height, width, 4)."""
        found = self.ground.shot.find(subject, Subject)
        out = np.zeros((self.whole.height, self.whole.width, 4), np.float32)
        part = self.subjects.box_of(found) if found is not None else Box(0, 0, 0, 0)
        if found is not None and not part.empty:
            own, alpha = self.subjects.colours_in(found, part, {})
            shown = colour.encoded(own) if self.ground.linear else own
            out[part.slices] = np.concatenate([np.clip(shown, 0, 1), alpha[..., None]], axis=2)
        return out

    def _spill_only(self, box: Box) -> Bytes:
        """What is taken out of the subjects' colours as the backing's, where they are, on black; RGB of the box."""
        out = np.zeros((box.height, box.width, 3), np.float32)
        for which in reversed(self.subjects.counted):
            part = self.subjects.box_of(which).within(box)
            if part.empty or which.clip is not None:
                continue
            own, alpha = self.subjects.colours_in(which, part, {})
            plate = colour.to_working(self.ground.plate[part.slices], self.ground.linear)
            here = relative(part, box).slices
            out[here] = out[here] * (1 - alpha[..., None]) + np.clip(plate - own, 0, 1) * alpha[..., None]
        return colour.to_display(out, self.ground.linear)

    def values(self, x: float, y: float) -> tuple[list[float], float, list[float]]:
        """At a place of the plate: its encoded colour, the matte there, and the encoded colour of the cut-out subject."""
        width, height = self.ground.size
        column = min(max(int(x * self.ground.scale), 0), width - 1)
        row = min(max(int(y * self.ground.scale), 0), height - 1)
        box = Box(column, row, column + 1, row + 1)
        plate = colour.to_working(self.ground.plate[box.slices], False)[0, 0]
        own = plate
        for which in reversed(self.subjects.counted):
            if not self.subjects.box_of(which).within(box).empty:
                own = self.subjects.colours_in(which, box, {})[0][0, 0]
                own = colour.encoded(own[None, None])[0, 0] if self.ground.linear else own
        return plate.tolist(), float(self.whole_matte(box)[0, 0]), np.clip(own, 0, 1).tolist()
