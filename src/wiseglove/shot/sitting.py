"""How a pane's picture sits in the plate: the rows of its "sit in", one after the other, on one frame."""

from __future__ import annotations

from contextlib import suppress
from functools import lru_cache
from threading import Lock

import cv2
import numpy as np
from cachetools import LRUCache, cached

from wiseglove.core.compositing import blend, glass, grain, kernels, pane, screen_light, soft_focus
from wiseglove.core.compositing.grade import graded
from wiseglove.core.compositing.sampled import with_alpha
from wiseglove.core.geometry.homography import DegenerateQuadError
from wiseglove.core.matte.coverage import Box, Matte
from wiseglove.shot.cover_mattes import CoverMattes
from wiseglove.shot.pane import GlowRow, Insert, Pane
from wiseglove.shot.pane_layers import PaneLayers, gathered, on_unit, parted
from wiseglove.shot.scene import Ground, Override, Picture, relative

SHADOW = 0.008
"""Width over which shadows are told, as a share of the picture's height."""
NOTHING = np.zeros((0, 0), np.float32)
LEVELS = {"grey": glass.grey_level, "dark": glass.dark_level, "bright": glass.bright_level}
"""What of a clean pane the plate's light is told from: its shadow, and what is mirrored in one that is off or shows a picture."""


def _known_by(level: str, media: str, linear: bool, picture: Picture, halved: int) -> tuple[object, ...]:
    return level, media, linear, picture.shape[1], halved


@cached(LRUCache(8), key=_known_by, lock=Lock())
def _level_of(level: str, media: str, linear: bool, picture: Picture, halved: int) -> Picture:
    """A level of a clean pane, halved in size so many times by area, with as many channels as are quick to look up."""
    made = LEVELS[level](picture)
    if halved:
        size = (max(made.shape[1] >> halved, 1), max(made.shape[0] >> halved, 1))
        made = np.asarray(cv2.resize(made, size, interpolation=cv2.INTER_AREA), np.float32)
    return made if made.ndim == 2 else with_alpha(made)


class Sitting:
    """The pictures of panes, made to sit in the plate."""

    def __init__(self, ground: Ground, covers: CoverMattes, panes: PaneLayers) -> None:
        self._ground, self._covers, self._panes = ground, covers, panes
        self._made: dict[str, pane.Laid] = {}
        self._levels: dict[tuple[str, str, Box], Picture | None] = {}
        self._light: dict[str, tuple[Picture, int]] = {}
        self._small: dict[str, Picture] = {}
        self._nearer: dict[str, tuple[Box, Matte]] = {}

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

    def nearer(self, which: Pane, box: Box, override: Override) -> Matte:
        """The union over a box of the covers that are nearer than a pane; the last one is kept while nothing moves."""
        if override:
            return self._covers.matte(box, override, self._ground.shot.nearer_than(which))
        if self._nearer.get(which.id, (None,))[0] != box:
            self._nearer[which.id] = box, self._covers.matte(box, {}, self._ground.shot.nearer_than(which))
        return self._nearer[which.id][1]

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
        return self._ground.working_near(box)

    def _level_in(self, which: Pane, now: Pane, level: str, box: Box) -> Picture | None:
        """A level of the clean pane where it lies on the plate, over a box; None where there is none."""
        media, ground = now.sit.clean, self._ground
        name = which.id, level, box
        if media is None:
            return None
        if name not in self._levels:
            picture = ground.pictures.insert(
                Insert(source="media", media=media, start=ground.frame), ground.frame, ground.linear
            )
            assert picture is not None
            corners = ground.shot.corners_at(which, ground.frame)
            wide = max(float(np.linalg.norm(corners[1] - corners[0])) * ground.scale, 1.0)
            halved = max(int(np.log2(picture.shape[1] / wide)), 0)
            made = _level_of(level, media, ground.linear, picture, halved)
            self._levels[name] = None
            with suppress(DegenerateQuadError):
                beyond = glass.UNKNOWN if level == "grey" else None
                self._levels[name] = pane.spread_over(made, corners, box, ground.scale, beyond)
        return self._levels[name]

    def _shaded(self, which: Pane, now: Pane, colour: Picture, box: Box) -> Picture:
        clean = self._level_in(which, now, "grey", box)
        if clean is None:
            return colour
        hidden, width = self.nearer(which, box, {}), SHADOW * self._ground.size[1]
        return glass.shade(colour, self._plate(box), clean, hidden, width, now.sit.shadow.amount)

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
            colour = blend.blended(back, colour, now.sit.mix.mode, now.sit.mix.amount)
        if now.sit.glass.on and now.sit.glass.amount > 0:
            dark = self._level_in(which, now, "dark" if now.sit.glass.off else "bright", box)
            if dark is not None:
                colour = glass.with_reflections(colour, self._plate(box), dark, nearer, now.sit.glass.amount)
        return colour

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
        thrown = [self._thrown(which, name, row) for name, row in (("glow", sit.glow), ("light", sit.light))]
        dark = np.zeros((1, self._ground.size[0], 3), np.float32), 1
        (glow, glow_step), (light, light_step) = (dark if each is None else each for each in thrown)
        part, alpha, nearer = Box(0, 0, 0, 0), NOTHING, NOTHING
        laid = self.laid(which, {}) if thrown[1] is not None else None
        if laid is not None and not laid.box.within(box).empty:
            part = laid.box.within(box)
            alpha = np.ascontiguousarray(laid.alpha[relative(part, laid.box).slices])
            nearer = np.ascontiguousarray(self.nearer(which, laid.box, {})[relative(part, laid.box).slices])
        at, amounts = relative(part, box), (np.float32(sit.glow.amount), np.float32(sit.light.amount))
        lit = np.ascontiguousarray(working)  # compiled loops have one form
        kernels.lightened(
            lit, box.left, box.top, glow, glow_step, amounts[0], light, light_step, amounts[1], alpha, nearer, at.left, at.top
        )  # fmt: skip
        if lit is not working:
            working[...] = lit

    def _thrown(self, which: Pane, name: str, row: GlowRow) -> tuple[Picture, int] | None:
        """The light of a row over the whole picture, as wide as it, and how many times fewer rows it has; None where it is off."""
        if not row.on or row.amount <= 0 or row.width <= 0:
            return None
        key = f"{which.id} {name}"
        if key not in self._light:
            width = row.width * self._ground.scale
            step = screen_light.step_for(width)
            small = screen_light.spread_light(self._shown(which, step), width, step)
            wide = cv2.resize(small, (small.shape[1] * step, small.shape[0]), interpolation=cv2.INTER_LINEAR)
            self._light[key] = np.ascontiguousarray(wide, np.float32), step
        return self._light[key]

    def _shown(self, which: Pane, step: int) -> Picture:
        """What a pane shows of its own over the whole picture, premultiplied and held out, `step` times smaller."""
        key = f"{which.id} {step}"
        if key in self._small:
            return self._small[key]
        whole = self._ground.whole
        out = np.zeros((-(-whole.height // step), -(-whole.width // step), 3), np.float32)
        laid = self.laid(which, {})
        if laid is not None and not laid.box.empty:
            nearer = self.nearer(which, laid.box, {})
            opacity = np.float32(self._panes.now(which).opacity)
            kernels.made_small(laid.colour, laid.alpha, nearer, opacity, laid.box.left, laid.box.top, step, out)
        self._small[key] = np.clip(out, 0, 4)
        return self._small[key]


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
