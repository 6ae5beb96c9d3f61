"""The panes of a shot on one frame: what they show, laid where their corners are."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from contextlib import suppress

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import kernels, pane
from wiseglove.core.compositing.face import Face
from wiseglove.core.compositing.worn import worn
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.homography import DegenerateQuadError, apply, unit_square_to_quad
from wiseglove.core.matte.combine import outline_matte
from wiseglove.core.matte.coverage import Box, Matte, box_of
from wiseglove.shot.pane import Insert, Pane, Piece
from wiseglove.shot.scene import Ground, Override, Picture, face_of, pixels_of, relative
from wiseglove.shot.valued import pane_at

BLURRED = 0.4
"""Pixels of the result that corners must move while the shutter is open for it to be seen."""
MOST = {pane.PREVIEW: 5, pane.FINAL: 16}
"""Moments of the exposure that are laid at most, by the samples per pixel."""

LITTLE, FEWEST = 1.0, 3
"""Movement in px up to which two moments are enough, and how many there are at least beyond it (decision 31)."""

KEPT = pane.Kept(192 << 20)
"""Inserts as all scenes of this process reduced them, and laid them for the viewer."""


class PaneLayers:
    """Inserts as layers."""

    def __init__(self, ground: Ground) -> None:
        self._ground = ground
        self._laid: dict[str, pane.Laid | None] = {}
        self._panes: dict[str, Pane] = {}

    def now(self, which: Pane) -> Pane:
        """A pane with all that changes in time as it is on this frame."""
        if which.id not in self._panes:
            self._panes[which.id] = pane_at(which, self._ground.frame)
        return self._panes[which.id]

    def laid(self, which: Pane, override: Override) -> pane.Laid | None:
        """What a pane shows where it lies; None where its corners fold over, or where it shows nothing."""
        if which.id in override:
            return self._lay(which, override[which.id][:, :2])
        if which.id not in self._laid:
            self._laid[which.id] = self._lay(which, None)
        return self._laid[which.id]

    def _lay(self, which: Pane, dragged: Points | None) -> pane.Laid | None:
        """dragged: corners that are just being moved; None: as they are, with the exposure's motion."""
        with suppress(DegenerateQuadError):
            now = self.now(which)
            if dragged is None and now.sit.motion.on:
                return self._exposed(which, now)
            corners = self._ground.shot.corners_at(which, self._ground.frame) if dragged is None else dragged
            return self._shown(now, corners, self._ground.samples)
        return None

    def _exposed(self, which: Pane, now: Pane) -> pane.Laid | None:
        """A pane on the mean of several moments of the exposure."""
        ground = self._ground
        opened = ground.frame + (now.sit.motion.phase - now.sit.motion.shutter / 2) / 360
        ends = ground.shot.corners_over(which, [opened + at * now.sit.motion.shutter / 360 for at in (0.0, 0.5, 1.0)])
        travel = max(float(np.abs(b - a).max()) for a, b in itertools.pairwise(ends)) * 2 * ground.scale
        if travel < BLURRED:
            return self._shown(now, ends[1], ground.samples)
        count = int(np.clip(np.ceil(travel), FEWEST if travel > LITTLE else 2, MOST.get(ground.samples, 16)))
        times = [opened + (k + 0.5) / count * now.sit.motion.shutter / 360 for k in range(count)]
        return self._shown_moving(now, list(ground.shot.corners_over(which, times)))

    def _shown_moving(self, now: Pane, moments: list[Points]) -> pane.Laid | None:
        """The mean of several moments: of one picture on a flat face at once, otherwise one moment after the other."""
        shown = [(insert, strength) for insert, strength in self._pieces(now) if strength > 0]
        ground, wiped = self._ground, now.wipe.on and now.wipe.shown < 1
        samples = max(ground.samples // 2, 1)
        if len(shown) == 1 and shown[0][1] >= 1 and face_of(now).flat and not wiped:
            picture = ground.pictures.insert(shown[0][0], ground.frame, ground.linear)
            if picture is None:
                return None
            part, placed = self._placed(now, shown[0][0], picture)
            face, whole, scale = face_of(now), ground.whole, ground.scale
            return self._once(
                part, np.stack(moments), samples, face, placed,
                lambda: pane.lay_moving(part, moments, whole, scale, samples, face, placed, KEPT),
            )  # fmt: skip
        found = [self._shown(now, corners, samples) for corners in moments]
        laid = [each for each in found if each is not None and not each.box.empty]
        return _mean(laid, len(moments)) if laid else None

    def _shown(self, now: Pane, corners: Points, samples: int) -> pane.Laid | None:
        """The insert and the pieces that are there, one over the other, on a pane with corners (4, 2)."""
        found: pane.Laid | None = None
        for shown, strength in self._pieces(now):
            picture = self._ground.pictures.insert(shown, self._ground.frame, self._ground.linear)
            if picture is None or strength <= 0:
                continue
            laid = self._piece(now, shown, picture, corners, samples)
            if strength < 1:
                laid = pane.Laid(laid.box, laid.colour, laid.alpha * np.float32(strength))
            found = laid if found is None else _over(found, laid)
        if found is None or not now.wipe.on or now.wipe.shown >= 1:
            return found
        return pane.Laid(found.box, found.colour, found.alpha * self._uncovered(now, corners, found.box))

    def _pieces(self, now: Pane) -> list[tuple[Insert, float]]:
        if (colour := self._ground.manner.insert) is not None:
            return [(Insert(source="solid", colours=(colour, colour)), 1.0)]
        frame, plate = self._ground.frame, self._ground.shot.plate
        there = [(p, p.strength(frame, plate) * p.opacity) for p in now.pieces if p.present(frame)]
        return [(now.insert, 1.0), *there]

    def _piece(self, now: Pane, shown: Insert, picture: Picture, corners: Points, samples: int) -> pane.Laid:
        part, placed = self._placed(now, shown, picture)
        ground, face = self._ground, face_of(now)
        return self._once(
            part, corners, samples, face, placed,
            lambda: pane.lay(part, corners, ground.whole, ground.scale, samples, face, placed, KEPT),
        )  # fmt: skip

    def _once(
        self,
        part: Picture,
        corners: Points,
        samples: int,
        face: Face,
        placed: NDArray[np.float64] | None,
        lay: Callable[[], pane.Laid],
    ) -> pane.Laid:
        """A picture as it is laid on corners (4, 2), or moments of them; for the viewer the last ones are kept.

        While a row's slider is moved, all that changes comes after this.
        """
        ground = self._ground
        if ground.pictures.exact:
            return lay()
        how = (
            corners.tobytes(),
            ground.whole,
            ground.scale,
            samples,
            face,
            None if placed is None else placed.tobytes(),
        )
        return KEPT.laid(part, how, lay)

    def _placed(self, now: Pane, shown: Insert, picture: Picture) -> tuple[Picture, NDArray[np.float64] | None]:
        """What is left of a picture after its crop, as worn as it is shown, and where it lies on the pane."""
        row, how = now.sit.worn, now.placement
        if row.on:
            picture = worn(picture, row.worn)
        part = picture
        if any(how.crop):
            left, top, right, bottom = _cropped(picture, how.crop)
            part = picture[top:bottom, left:right]
        fit = shown.fit if isinstance(shown, Piece) and shown.fit is not None else how.fit
        if shown.source in ("solid", "gradient"):
            fit = "stretch"
        aspect = part.shape[1] / part.shape[0] * pixels_of(self._ground.pictures, shown)
        return part, pane.placement(aspect, face_of(now).aspect, fit, how.scale, how.across, how.down, how.turn)

    def _uncovered(self, now: Pane, corners: Points, box: Box) -> Matte:
        """How far a wipe shows each pixel of a box."""
        if now.wipe.shown <= 0:
            return np.zeros((box.height, box.width), np.float32)
        places = on_unit(corners * self._ground.scale, box) - 0.5
        angle = np.radians(now.wipe.angle)
        way = np.array([np.cos(angle), np.sin(angle)])
        share = places @ way / np.abs(way).sum() + 0.5
        soft = max(now.wipe.soft, 1e-4)
        edge = now.wipe.shown * (1 + soft)
        return np.asarray(np.clip((edge - share) / soft, 0, 1), np.float32)

    def reach_of(self, which: Pane, points: Points) -> Box:
        """The pixels that a pane with these corners, as points, can touch."""
        with suppress(DegenerateQuadError):
            return box_of(pane.face_outline(points[:, :2], face_of(self.now(which))), self._ground.scale)
        return box_of(points, self._ground.scale)

    def matte_of(self, which: Pane) -> Matte:
        """Where a pane is, whether shown or not, over the whole result."""
        whole = self._ground.whole
        with suppress(DegenerateQuadError):
            corners = self._ground.shot.corners_at(which, self._ground.frame)
            border = pane.face_outline(corners, face_of(self.now(which)))
            return outline_matte(border[None], whole, self._ground.scale)
        return np.zeros((whole.height, whole.width), np.float32)


def on_unit(quad: Points, box: Box) -> Points:
    """Where each pixel of a box lies in the unit square of a quad (4, 2), (h, w, 2). Raises DegenerateQuadError."""
    back = np.asarray(np.linalg.inv(unit_square_to_quad(quad)), np.float64)
    x, y = np.meshgrid(np.arange(box.left, box.right) + 0.5, np.arange(box.top, box.bottom) + 0.5)
    return apply(back, np.stack([x, y], axis=-1))


def _cropped(picture: Picture, crop: tuple[float, float, float, float]) -> tuple[int, int, int, int]:
    """Left, top, right and bottom of what a crop leaves, in pixels; one pixel at least."""
    height, width = picture.shape[:2]
    left, top = min(round(crop[0] * width), width - 1), min(round(crop[1] * height), height - 1)
    right, bottom = max(width - round(crop[2] * width), left + 1), max(height - round(crop[3] * height), top + 1)
    return left, top, right, bottom


def _over(back: pane.Laid, front: pane.Laid) -> pane.Laid:
    """One over the other, where both lie (Porter & Duff 1984)."""
    box = back.box.joined(front.box)
    b, f = (gathered([laid], box) for laid in (back, front))
    return parted(box, f + b * (1 - f[..., 3:]), 1.0)


def _mean(laid: list[pane.Laid], count: int) -> pane.Laid:
    """The mean of moments, of which some may show nothing."""
    box = laid[0].box
    for each in laid[1:]:
        box = box.joined(each.box)
    return parted(box, gathered(laid, box), 1 / count)


def gathered(laid: list[pane.Laid], box: Box) -> Picture:
    """The sum of layers over a box that holds them, premultiplied (h, w, 4)."""
    total = np.zeros((box.height, box.width, 4), np.float32)
    for each in laid:
        if not each.box.empty:
            here = relative(each.box, box).slices
            part = np.ascontiguousarray(total[here])
            kernels.gathered(each.colour, each.alpha, part)
            total[here] = part
    return total


def parted(box: Box, total: Picture, share: float) -> pane.Laid:
    """A sum (h, w, 4) times a share as a layer, unpremultiplied."""
    colour, alpha = np.empty((*total.shape[:2], 3), np.float32), np.empty(total.shape[:2], np.float32)
    kernels.parted(total, np.float32(share), colour, alpha)
    return pane.Laid(box, colour, alpha)
