"""How a pane's picture sits in the plate: the rows of its "sit in", one after the other, on one frame."""

from __future__ import annotations

from contextlib import suppress
from functools import lru_cache

import cv2
import numpy as np
from cachetools import LRUCache

from wiseglove.core.compositing import blend, glass, grain, kernels, pane, screen_light, soft_focus
from wiseglove.core.compositing.grade import graded
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.core.matte.coverage import Box, Matte
from wiseglove.shot.cover_mattes import CoverMattes
from wiseglove.shot.pane import GlowRow, Insert, Pane
from wiseglove.shot.pane_layers import PaneLayers, gathered, on_unit, parted
from wiseglove.shot.scene import Ground, Override, Picture, relative

SHADOW = 0.012
"""Width over which shadows are told, as a share of the picture's height."""
_levels: LRUCache[tuple[str, str, bool, int], Picture] = LRUCache(8)
LEVELS = {"dark": glass.dark_level, "bright": glass.bright_level}
"""What of a clean pane the plate's light is told from: of one that is off, of one that shows a picture."""


class Sitting:
    """The pictures of panes, made to sit in the plate."""

    def __init__(self, ground: Ground, covers: CoverMattes, panes: PaneLayers) -> None:
        self._ground, self._covers, self._panes = ground, covers, panes
        self._made: dict[str, pane.Laid] = {}
        self._clean: dict[str, pane.Laid | None] = {}
        self._light: dict[str, Picture] = {}

    def laid(self, which: Pane, override: Override) -> pane.Laid | None:
        """What a pane shows, with the rows that do not need what lies behind; whole, and kept while nothing of it moves."""
        if which.id not in override and which.id in self._made:
            return self._made[which.id]
        found = self._panes.laid(which, override)
        if found is None or found.box.empty:
            return found
        now = self._panes.now(which)
        soft = self._softened(which, now, pane.Laid(found.box, self._levelled(now, found.colour), found.alpha))
        colour = soft.colour
        if now.sit.shadow.on:
            colour = self._shaded(which, now, colour, found.box)
        if now.sit.grain.on:
            colour = self._grained(now, colour, found.box)
        made = pane.Laid(found.box, colour, soft.alpha)
        if which.id not in override:
            self._made[which.id] = made
        return made

    def _levelled(self, now: Pane, colour: Picture) -> Picture:
        row = now.sit.level
        return graded(colour, row.grade) if row.on else colour

    def _softened(self, which: Pane, now: Pane, laid: pane.Laid) -> pane.Laid:
        sharp, depth, scale = now.sit.sharp, now.sit.depth, self._ground.scale
        if not sharp.on and not depth.on:
            return laid
        both = gathered([laid], laid.box)
        if depth.on:
            both = soft_focus.depth_blurred(both, self._radii(which, now, laid.box))
        if sharp.on:
            both = soft_focus.defocused(both, sharp.defocus * scale)
            # Sharpness is told in plate pixels; what a smaller picture's own sampling does is less of it.
            both = soft_focus.softened(both, soft_focus.to_add(sharp.soft * scale) if sharp.soft else 0.0)
        return parted(laid.box, both, 1.0)

    def _radii(self, which: Pane, now: Pane, box: Box) -> Picture:
        """How far out of focus each pixel of a box is, in result px, (h, w)."""
        row, corners, scale = now.sit.depth, self._ground.shot.corners_at(which, self._ground.frame), self._ground.scale
        share = np.full((box.height, box.width), 0.5)
        with suppress(DegenerateQuadError):
            here, there = np.array(row.here), np.array(row.there)
            way = there - here
            share = np.clip((on_unit(corners * scale, box) - here) @ way / max(float(way @ way), 1e-9), 0, 1)
        return np.asarray((row.near + (row.far - row.near) * share) * scale, np.float32)

    def _plate(self, box: Box) -> Picture:
        return self._ground.working[box.slices]

    def _clean_in(self, which: Pane, now: Pane, level: str | None = None) -> pane.Laid | None:
        """The clean pane (or a level of it) where it lies on the plate; None where there is none."""
        media, ground = now.sit.clean, self._ground
        name = f"{which.id} {level}"
        if media is None:
            return None
        if name not in self._clean:
            picture = ground.pictures.insert(
                Insert(source="media", media=media, start=ground.frame), ground.frame, ground.linear
            )
            assert picture is not None
            if level is not None:
                key = (level, media, ground.linear, picture.shape[1])
                if key not in _levels:
                    _levels[key] = LEVELS[level](np.ascontiguousarray(picture[..., :3]))
                picture = _levels[key]
            self._clean[name] = None
            with suppress(DegenerateQuadError):
                corners = ground.shot.corners_at(which, ground.frame)
                self._clean[name] = pane.lay(picture, corners, ground.whole, ground.scale, 1)
        return self._clean[name]

    def _shaded(self, which: Pane, now: Pane, colour: Picture, box: Box) -> Picture:
        clean = self._clean_in(which, now)
        if clean is None or clean.box.within(box).empty:
            return colour
        part = clean.box.within(box)
        here, own = relative(part, box).slices, relative(part, clean.box).slices
        hidden = self._covers.matte(part, {}, self._ground.shot.nearer_than(which))
        width = SHADOW * self._ground.size[1]
        light = glass.shadow(self._plate(part), clean.colour[own], np.maximum(hidden, 1 - clean.alpha[own]), width)
        out = colour.copy()
        out[here] = glass.shaded(colour[here], light, now.sit.shadow.amount)
        return out

    def _grained(self, now: Pane, colour: Picture, box: Box) -> Picture:
        row = now.sit.grain
        found = row.grain
        if found is None:
            return colour
        coarser = _at_scale(found, self._ground.scale)
        return grain.laid_on(colour, coarser, self._ground.frame, row.amount, (box.left, box.top))

    # -- what needs to know what lies behind ---------------------------------------------------------------

    def mixed(self, which: Pane, colour: Picture, back: Picture, nearer: Matte, box: Box) -> Picture:
        """A pane's colours over a box after its blend mode with what lies behind, and with the glass's own life on them."""
        now = self._panes.now(which)
        if now.sit.mix.on and now.sit.mix.mode != "normal":
            share = np.float32(now.sit.mix.amount)
            colour = blend.blended(back, colour, now.sit.mix.mode) * share + colour * (1 - share)
        if now.sit.glass.on and now.sit.glass.amount > 0:
            dark = self._clean_in(which, now, "dark" if now.sit.glass.off else "bright")
            part = Box(0, 0, 0, 0) if dark is None else dark.box.within(box)
            if dark is not None and not part.empty:
                here, own = relative(part, box).slices, relative(part, dark.box).slices
                lit = glass.with_reflections(
                    colour[here], self._plate(part), dark.colour[own], nearer[here], now.sit.glass.amount
                )
                colour = np.array(colour, np.float32)
                colour[here] = lit
        return np.asarray(colour, np.float32)

    def shines(self, which: Pane) -> bool:
        """Whether a pane throws light on what is around it."""
        sit = self._panes.now(which).sit
        return bool((sit.glow.on and sit.glow.amount) or (sit.light.on and sit.light.amount))

    def reach(self, which: Pane, box: Box) -> Box:
        """How far a pane that lies in a box changes the picture."""
        sit = self._panes.now(which).sit
        wide = (
            max(sit.glow.width if sit.glow.on else 0, sit.light.width if sit.light.on else 0) * 10 * self._ground.scale
        )
        around = int(np.ceil(wide))
        grown = Box(box.left - around, box.top - around, box.right + around, box.bottom + around)
        return grown.within(self._ground.whole) if around and not box.empty else box

    def lighten(self, which: Pane, working: Picture, box: Box) -> None:
        """Put the light of a pane on a box of the picture, in place, as it is thrown while nothing is dragged."""
        sit = self._panes.now(which).sit
        glow, light = (self._thrown(which, name, row, box) for name, row in (("glow", sit.glow), ("light", sit.light)))
        face = self._face(which, box) if light is not None else np.zeros(working.shape[:2], np.float32)
        nothing = np.broadcast_to(np.zeros((1, 1, 1), np.float32), working.shape)
        kernels.lightened(
            working, nothing if glow is None else glow, np.float32(sit.glow.amount),
            nothing if light is None else light, np.float32(sit.light.amount), face,
        )  # fmt: skip

    def _thrown(self, which: Pane, name: str, row: GlowRow, box: Box) -> Picture | None:
        """The light of a row over a box; None where it is off."""
        if not row.on or row.amount <= 0 or row.width <= 0:
            return None
        key = f"{which.id} {name}"
        if key not in self._light:
            width = row.width * self._ground.scale
            step = screen_light.step_for(width)
            small = screen_light.spread_light(self._shown(which, step), width, step)
            whole = self._ground.size
            grown = cv2.resize(small, (small.shape[1] * step, small.shape[0] * step), interpolation=cv2.INTER_LINEAR)
            self._light[key] = np.asarray(grown[: whole[1], : whole[0]], np.float32)
        return self._light[key][box.slices]

    def _shown(self, which: Pane, step: int) -> Picture:
        """What a pane shows of its own over the whole picture, premultiplied and held out, `step` times smaller."""
        whole = self._ground.whole
        out = np.zeros((-(-whole.height // step), -(-whole.width // step), 3), np.float32)
        laid = self.laid(which, {})
        if laid is None or laid.box.empty:
            return out
        box = laid.box
        nearer = self._covers.matte(box, {}, self._ground.shot.nearer_than(which))
        left, top = box.left // step, box.top // step
        right, bottom = -(-box.right // step), -(-box.bottom // step)
        padded = np.zeros(((bottom - top) * step, (right - left) * step, 4), np.float32)
        seen = laid.alpha * (1 - nearer) * np.float32(self._panes.now(which).opacity)
        inside = Box(left * step, top * step, right * step, bottom * step)
        kernels.gathered(laid.colour, seen, padded[relative(box, inside).slices])
        small = cv2.resize(padded, (right - left, bottom - top), interpolation=cv2.INTER_AREA)
        out[top:bottom, left:right] = np.clip(small[..., :3], 0, 4)
        return out

    def _face(self, which: Pane, box: Box) -> Matte:
        """Where the pane itself is seen in a box: the light of its picture does not light that picture."""
        laid = self.laid(which, {})
        out = np.zeros((box.height, box.width), np.float32)
        part = Box(0, 0, 0, 0) if laid is None else laid.box.within(box)
        if laid is not None and not part.empty:
            nearer = self._covers.matte(part, {}, self._ground.shot.nearer_than(which))
            out[relative(part, box).slices] = laid.alpha[relative(part, laid.box).slices] * (1 - nearer)
        return out


@lru_cache(maxsize=8)
def _at_scale(found: grain.Grain, scale: float) -> grain.Grain:
    """The same grain as a smaller picture shows it: each halving averages its finest octave away."""
    gone = grain.PER_OCTAVE * int(round(np.log2(1 / max(scale, 1e-3)))) if scale < 0.75 else 0
    if gone == 0:
        return found
    left = np.array(
        [row[gone:] + (0.0,) * gone if gone < len(row) else (1.0,) + (0.0,) * (len(row) - 1) for row in found.octaves]
    )
    share = np.sqrt(np.clip(left.sum(1), 1e-4, 1))
    octaves = left / np.maximum(left.sum(1, keepdims=True), 1e-9)
    strength = np.array(found.strength) * share
    return grain.Grain(found.levels, tuple(map(tuple, strength.tolist())), tuple(map(tuple, octaves.tolist())))
