"""A gardener who walks past a camera that stands: arms swing, legs cross, hair moves; once before the panel, once before leaves.

Drawn flat from far to near as tapering limbs whose cloth moves with them, the mean of sub-frames over the shutter, in linear
light. Truth: the exact alpha of the whole figure and of six parts, each as if nothing were before it. Lengths are pixels of a
1280x720 plate, times frames from the first one.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.demo import scene
from wiseglove.demo.presenter import limb, smooth

Array = NDArray[Any]
Layer = NDArray[np.float32]
FRAMES, SUBFRAMES = 72, 10
PARTS = ("far arm", "far leg", "near leg", "torso", "head", "near arm")
"""From far to near."""
GROUND = 640.0
"""Where the soles are."""
THIGH, SHIN, UPPER, LOWER = 112.0, 110.0, 86.0, 74.0
Colour = tuple[float, float, float]
FACE = ((-26, 20), (-34, -8), (-14, -38), (16, -38), (31, -16), (35, 2), (30, 12), (29, 27), (12, 38), (-8, 34))
CAP = ((-32, 18), (-40, -10), (-18, -46), (14, -46), (32, -24), (12, -18), (-6, -4), (-12, 16))
BACKS = ("panel", "leaves")


@dataclass(frozen=True)
class Person:
    """Who walks: linear colours, frames of two steps, pixels a frame, and the colour of a robe down to the ankles, if there is one."""

    skin: Colour = (0.40, 0.24, 0.16)
    hair: Colour = (0.09, 0.045, 0.024)
    jacket: Colour = (0.16, 0.055, 0.075)
    apron: Colour = (0.42, 0.35, 0.22)
    trousers: Colour = (0.045, 0.075, 0.10)
    boot: Colour = (0.05, 0.035, 0.028)
    glove: Colour = (0.46, 0.33, 0.13)
    cycle: float = 30.0
    speed: float = 12.0
    robe: Colour | None = None


GARDENER = Person()


@dataclass(frozen=True)
class Piece:
    """Something flat of a part: its outline (n, 2), colour, the frame its cloth lies in, half its width, and how it is woven."""

    part: str
    shape: Array
    colour: Colour
    origin: Array
    along: Array
    half: float
    folds: float = 0.35
    checks: float = 0.0


@dataclass(frozen=True)
class Walked:
    """A frame: encoded 8-bit plate (h, w, 3), alpha of the whole, and of each part as if nothing were before it, 8-bit."""

    plate: NDArray[np.uint8]
    whole: NDArray[np.uint8]
    parts: dict[str, NDArray[np.uint8]]

    def hidden(self, part: str) -> NDArray[np.uint8]:
        """What of the figure is before a part, 8-bit alpha (h, w)."""
        nearer = [self.parts[name] for name in PARTS[PARTS.index(part) + 1 :]]
        return np.maximum.reduce(nearer) if nearer else np.zeros_like(self.whole)


def _turned(angle: float) -> Array:
    """Direction of a limb that hangs down at 0 and swings towards where she walks."""
    return np.array([np.sin(angle), np.cos(angle)])


def _limb(part: str, a: Array, b: Array, ra: float, rb: float, colour: Colour, **how: float) -> Piece:
    way = b - a
    return Piece(part, limb(a, b, ra, rb), colour, a, way / max(float(np.linalg.norm(way)), 1e-6), max(ra, rb), **how)


def _leg(part: str, who: Person, hip: Array, phase: float) -> list[Piece]:
    swing = 0.44 * np.sin(phase)
    bend = 0.10 + 0.85 * max(np.cos(phase), 0.0) ** 1.5
    knee = hip + THIGH * _turned(swing)
    ankle = knee + SHIN * _turned(swing - bend)
    sole = swing - bend + np.pi / 2 - 0.10
    toe = ankle + np.array([0.0, 8.0]) + 40 * _turned(sole)
    return [
        _limb(part, hip, knee, 34, 24, who.trousers, checks=0.35),
        _limb(part, knee, ankle, 24, 16, who.trousers, checks=0.35),
        _limb(part, ankle + (knee - ankle) * 0.28, ankle + np.array([0.0, 4.0]), 19, 17, who.boot, folds=0.5),
        _limb(part, ankle + np.array([-4.0, 8.0]), toe, 15, 10, who.boot, folds=0.5),
    ]


def _arm(part: str, who: Person, shoulder: Array, phase: float) -> list[Piece]:
    swing = 0.55 * np.sin(phase)
    elbow = shoulder + UPPER * _turned(swing)
    bend = swing + 0.35 + 0.25 * np.sin(phase - 0.5)
    wrist = elbow + LOWER * _turned(bend)
    hand = wrist + 26 * _turned(bend + 0.1)
    return [
        _limb(part, shoulder, elbow, 25, 19, who.jacket),
        _limb(part, elbow, wrist, 19, 13, who.jacket),
        _limb(part, wrist - 6 * _turned(bend), hand, 13, 12, who.glove, folds=0.5),
    ]


def pieces_at(time: float, who: Person = GARDENER) -> list[Piece]:
    """The figure from far to near."""
    phase = 2 * np.pi * time / who.cycle
    hip = np.array([205.0 + who.speed * time, GROUND - 232.0 + 5 * np.cos(2 * phase)])
    lean = np.array([np.sin(0.06), -np.cos(0.06)])
    shoulder = hip + 150 * lean + (1.5 * np.sin(phase), 0)
    neck = shoulder + 22 * lean
    head = neck + 46 * lean + (2.0 * np.sin(2 * phase + 0.4), 0)
    hem = 9 * np.sin(phase - 0.7)
    body = smooth(
        [(shoulder + o).tolist() for o in ((-34, -6), (0, -16), (30, -4), (38, 40))]
        + [(hip + o).tolist() for o in ((40, -30), (50 + hem, 44), (4 + hem, 54), (-44 + hem, 46), (-40, -30))]
        + [(shoulder + (-42, 44)).tolist()]
    )
    front = smooth([(shoulder + o).tolist() for o in ((6, 16), (33, 22))] + [(hip + o).tolist() for o in ((38, -20), (46 + hem, 40), (8 + hem, 46), (2, -10))])  # fmt: skip
    tail = [head + (-28, -14)]
    for k in range(1, 5):
        sway = 0.75 + 0.42 * np.sin(2 * phase - 0.8 * k) + 0.1 * k
        tail.append(tail[-1] + 19 * np.array([-np.sin(sway), np.cos(sway) * 0.9]))
    hair = [
        _limb("head", a, b, 14 - 2 * k, 12 - 2 * k, who.hair, folds=0.7) for k, (a, b) in enumerate(itertools.pairwise(tail))
    ]  # fmt: skip
    up = -lean
    return [
        *_arm("far arm", who, shoulder + (8, 10), phase),
        *_leg("far leg", who, hip + (5, 0), phase + np.pi),
        *_leg("near leg", who, hip, phase),
        *_robe(who, hip, phase),
        Piece("torso", body, who.jacket, shoulder, up, 46),
        Piece("torso", front, who.apron, shoulder, up, 60, folds=0.25, checks=0.12),
        _limb("head", neck + (0, 10), head, 19, 18, who.skin, folds=0.12),
        Piece("head", smooth([(head + o).tolist() for o in FACE]), who.skin, head, up, 34, folds=0.12),
        *hair,
        Piece("head", smooth([(head + o).tolist() for o in CAP]), who.hair, head, up, 34, folds=0.6),
        *_arm("near arm", who, shoulder + (-6, 12), phase + np.pi),
    ]


def _robe(who: Person, hip: Array, phase: float) -> list[Piece]:
    if who.robe is None:
        return []
    hem = 14 * np.sin(phase - 0.9)
    round_it = ((-40, -20), (38, -24), (62 + hem, 90), (78 + hem, 176), (0, 186), (-70 + hem * 0.6, 172), (-52, 80))
    shape = smooth([(hip + o).tolist() for o in round_it])
    return [Piece("torso", shape, who.robe, hip, np.array([0.0, -1.0]), 70, folds=0.5)]


@cache
def _cloth() -> Layer:
    """Folds and weave, (256, 256), about -1..1, the same at opposite borders."""
    rng = np.random.default_rng(12)
    total = np.zeros((256, 256), np.float32)
    for width, strength in ((14, 1.0), (6, 0.7), (1.6, 0.6)):
        wide = np.tile(rng.standard_normal((256, 256)).astype(np.float32), (3, 3))
        soft = cv2.GaussianBlur(wide, (0, 0), width)[256:512, 256:512]
        total += strength * soft / soft.std()
    return np.asarray(np.clip(total / 2.2, -1.6, 1.6), np.float32)


@cache
def back(name: str) -> Layer:
    """What is behind, linear (h, w, 3): the wall with the climate panel, or leaves near enough to be sharp."""
    if name == "panel":
        from wiseglove.demo import panel_shots, panels

        return panels.still(panel_shots.textured(), 0.0)
    rng = np.random.default_rng(23)
    picture = np.empty((scene.HEIGHT, scene.WIDTH, 3), np.float32)
    picture[:] = (0.012, 0.022, 0.016)
    for count, blur, bright in ((260, 3.0, 0.5), (420, 1.2, 0.9), (160, 0.7, 1.3)):
        for _ in range(count):
            at = (int(rng.uniform(0, scene.WIDTH)), int(rng.uniform(0, scene.HEIGHT)))
            tint = np.array([0.05, 0.15, 0.04]) * bright * rng.uniform(0.4, 1.5) * (1 + rng.uniform(-0.3, 0.3, 3))
            long = rng.uniform(14, 46)
            axes, turn = (int(long), int(long * rng.uniform(0.25, 0.5))), rng.uniform(0, 180)
            cv2.ellipse(picture, at, axes, turn, 0, 360, tuple(map(float, tint)), -1, cv2.LINE_AA)
            vein = np.array([np.cos(np.radians(turn)), np.sin(np.radians(turn))]) * long * 0.9
            ends = [tuple(int(v) for v in np.array(at) + s * vein) for s in (-1, 1)]
            cv2.line(picture, ends[0], ends[1], tuple(map(float, tint * 1.6)), 1, cv2.LINE_AA)
        picture = np.asarray(cv2.GaussianBlur(picture, (0, 0), blur), np.float32)
    return np.asarray(picture, np.float32)


def walk(
    index: int,
    behind: str = "panel",
    shade: float = 0.25,
    who: Person = GARDENER,
    base: Layer | None = None,
) -> Walked:
    """Frame `index` (0-based) before one of BACKS; the same each time. shade: light that her shadow takes on what is behind.

    base: something else behind instead, linear (h, w, 3).
    """
    base = back(behind) if base is None else base
    within = _around([p.shape for t in (index - 0.5, index, index + 0.5) for p in pieces_at(t, who)], base.shape)
    there = base[within]
    size, corner = there.shape[:2], np.array([within[1].start, within[0].start], np.float64)
    total = np.zeros_like(there)
    sums = {name: np.zeros(size, np.float32) for name in ("whole", *PARTS)}
    for number in range(SUBFRAMES):
        time = index + ((number + 0.5) / SUBFRAMES - 0.5) * scene.SHUTTER
        shift = np.array([(0.5 + number * 0.7548776662) % 1 - 0.5, (0.5 + number * 0.5698402910) % 1 - 0.5])
        cover, colours = np.zeros(size, np.float32), np.zeros_like(there)
        single = {name: np.zeros(size, np.float32) for name in PARTS}
        for piece in pieces_at(time, who):
            here, mask, colour = _drawn(piece, shift - corner, size)
            colours[here] += (colour - colours[here]) * mask[..., None]
            cover[here] += mask * (1 - cover[here])
            single[piece.part][here] += mask * (1 - single[piece.part][here])
        for name, own in single.items():
            sums[name] += own
        sums["whole"] += cover
        shadow = cv2.GaussianBlur(np.roll(cover, (6, 26), (0, 1)), (0, 0), 11) * np.float32(shade)
        total += there * ((1 - shadow) * (1 - cover))[..., None] + colours
    seen = base.copy()
    seen[within] = total / SUBFRAMES
    eight = {name: np.zeros(base.shape[:2], np.uint8) for name in sums}
    for name, mask in sums.items():
        eight[name][within] = np.round(np.clip(_focused(mask / np.float32(SUBFRAMES)), 0, 1) * 255).astype(np.uint8)
    return Walked(_developed(_focused(seen), index, behind), eight.pop("whole"), eight)


def _around(shapes: list[Array], size: tuple[int, ...]) -> tuple[slice, slice]:
    """Rows and columns that hold shapes and their shadow, in a picture of a size."""
    every = np.concatenate(shapes)
    low, high = np.floor(every.min(0)) - 12, np.ceil(every.max(0)) + (72, 48)
    left, right = (int(np.clip(v, 0, size[1])) for v in (low[0], high[0]))
    top, bottom = (int(np.clip(v, 0, size[0])) for v in (low[1], high[1]))
    return slice(top, max(bottom, top + 8)), slice(left, max(right, left + 8))


def _drawn(piece: Piece, shift: Array, size: tuple[int, int]) -> tuple[tuple[slice, slice], Layer, Layer]:
    """Where a piece lies, its mask there and its colour, lit and woven."""
    points = piece.shape + shift
    left, top = (int(np.clip(np.floor(v) - 2, 0, end - 2)) for v, end in zip(points.min(0), size[::-1], strict=True))
    right, bottom = (int(np.clip(np.ceil(v) + 3, 2, end)) for v, end in zip(points.max(0), size[::-1], strict=True))
    right, bottom = max(right, left + 1), max(bottom, top + 1)
    drawn = np.zeros((bottom - top, right - left), np.uint8)
    cv2.fillPoly(drawn, [np.round((points - (left, top) - 0.5) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    y, x = np.mgrid[top:bottom, left:right].astype(np.float32) + np.float32(0.5)
    dx, dy = x - np.float32(piece.origin[0] + shift[0]), y - np.float32(piece.origin[1] + shift[1])
    ax, ay = np.float32(piece.along[0]), np.float32(piece.along[1])
    u, v = dx * ax + dy * ay, dx * ay - dy * ax
    seed = sum(map(ord, piece.part)) + 31 * len(piece.shape)
    cloth = cv2.remap(_cloth(), (u + seed * 7) % 255, (v + seed * 3) % 255, cv2.INTER_LINEAR)
    light = 0.72 + 0.34 * np.sqrt(np.clip(1 - (v / piece.half + 0.25) ** 2, 0, 1)) + piece.folds * 0.6 * cloth
    if piece.checks:
        light = light * (1 + piece.checks * np.sign(np.sin(u * 0.32)) * np.sign(np.sin(v * 0.32)))
    colour = np.array(piece.colour, np.float32) * np.clip(light, 0.2, 2.0)[..., None]
    return (
        (slice(top, bottom), slice(left, right)),
        drawn.astype(np.float32) / np.float32(255),
        colour.astype(np.float32),
    )


def _focused(linear: Layer) -> Layer:
    return np.asarray(cv2.GaussianBlur(linear, (0, 0), 0.7), np.float32)


def _developed(linear: Layer, index: int, behind: str) -> NDArray[np.uint8]:
    """Grain that follows brightness, display encoding."""
    rng = np.random.default_rng([index, len(behind)])
    return scene.developed(1.25 * linear, rng.standard_normal(linear.shape, np.float32))
