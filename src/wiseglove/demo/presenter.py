"""The presenter's shot: before a creased, unevenly lit backing, with exact matte and own colours as truth.

She holds a seed catalogue, waves a shiny trowel that mirrors the backing, and the wind is in her hair; a microphone boom
and a lamp stand are in the picture. Lengths are pixels of a 1280x720 plate, times frames from the first one. Each frame
is the mean of sub-frames over the shutter, each with its own place within the pixel; all mixing is in linear light.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.demo import scene

Array = NDArray[Any]
Layer = NDArray[np.float32]
FRAMES, SUBFRAMES = 60, 8
BACKINGS = {"green": (0.045, 0.36, 0.085), "blue": (0.04, 0.085, 0.34)}
SKIN, APRON, SHIRT = (0.42, 0.25, 0.17), (0.38, 0.33, 0.24), (0.105, 0.060, 0.072)
HAIR, GLOVE, PAPER = (0.055, 0.032, 0.020), (0.52, 0.40, 0.20), (0.62, 0.58, 0.50)
WOOD, INK, BOOM = (0.16, 0.085, 0.04), (0.10, 0.09, 0.085), (0.028, 0.028, 0.030)
DIFFUSE, GLOSS = 0.32, 0.04
"""How much of the backing's light what is near the outline throws back: in its own colour, and as it comes."""


@dataclass(frozen=True)
class Filmed:
    """A frame: encoded 8-bit plate (h, w, 3), the presenter's exact alpha (h, w) and colours, premultiplied linear.

    where: the parts in which an edge is judged apart: hair, the waving arm, the mirroring blade; alpha as drawn.
    """

    plate: NDArray[np.uint8]
    alpha: Layer
    colours: Layer
    where: dict[str, Layer]


@dataclass(frozen=True)
class Part:
    """Something flat: its shape (a filled polygon or strands), colour, and how its light falls off and is woven."""

    name: str
    shape: list[Array]
    colour: tuple[float, float, float]
    strands: bool = False
    anchor: tuple[float, float] = (0.0, 0.0)
    lean: tuple[float, float] = (0.0, 0.0)
    weave: float = 0.0
    mirrors: bool = False


def _ring(at: Array | tuple[float, float], across: float, down: float, turn: float = 0.0) -> Array:
    a = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    p = np.stack([across * np.cos(a), down * np.sin(a)], axis=1)
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    return np.asarray(p @ np.array([[c, s], [-s, c]]) + np.asarray(at))


def limb(a: Array, b: Array, ra: float, rb: float) -> Array:
    """The hull (n, 2) of two discs: half widths ra at a and rb at b."""
    ends = np.concatenate([_ring(a, ra, ra), _ring(b, rb, rb)]).astype(np.float32)
    return np.asarray(cv2.convexHull(ends)[:, 0], np.float64)


def _mouth(head: Array, open_: float) -> Array:
    x = np.linspace(-1, 1, 17)
    upper, lower = np.stack([21 * x, 2 - 5 * (1 - x**2)], 1), np.stack([21 * x, 2 + (4 + open_) * (1 - x**2)], 1)
    return np.concatenate([upper, lower[::-1]]) + head + (0, 60)


def smooth(points: list[list[float]]) -> Array:
    """A closed Catmull-Rom curve through points as a polygon."""
    p = np.array(points, np.float64)
    a, b, c, d = np.roll(p, 1, 0), p, np.roll(p, -1, 0), np.roll(p, -2, 0)
    t = np.linspace(0, 1, 8, endpoint=False)[None, :, None]
    a, b, c, d = (v[:, None] for v in (a, b, c, d))
    out = 0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3)
    return np.asarray(out.reshape(-1, 2))


def hand_place(time: float) -> Array:
    """Where the waving hand is."""
    swing = np.sin(2 * np.pi * time / 24.0)
    return np.array([925 + 95 * swing, 300 - 70 * np.cos(2 * np.pi * time / 24.0 + 0.5) + 12 * np.sin(time / 9)])


def _strands(time: float, head: Array) -> list[Array]:
    rng = np.random.default_rng(7)
    out = []
    for _ in range(190):
        a = rng.uniform(np.pi * 0.86, np.pi * 2.14)
        start = head + (80 * np.cos(a), 98 * np.sin(a) - 14)
        length, curl = rng.uniform(16, 62), rng.normal(0, 0.5)
        along = np.linspace(0, 1, 7)[:, None]
        down = np.array([-np.sin(a), np.cos(a)]) * (1 if np.cos(a) > 0 else -1)
        way = 0.62 * np.array([np.cos(a + curl), np.sin(a + curl)]) + 0.6 * down
        wind = np.array([14.0, 4.0]) * np.sin(2 * np.pi * time / 17 + 3 * a + rng.uniform(0, 1)) + (10, 2)
        out.append(start + way * length * along + wind * along**2)
    return out


def parts_at(time: float) -> list[Part]:
    """What belongs to the presenter, from far to near."""
    sway = np.array([5 * np.sin(time / 11), 2 * np.sin(time / 7)])
    head = np.array([640.0, 232.0]) + 1.4 * sway
    hand, shoulder = hand_place(time), np.array([770.0, 470.0]) + sway
    elbow = (hand + shoulder) / 2 + np.array([58.0, 78.0])
    tip = hand - elbow
    tip = tip / np.linalg.norm(tip)
    side = np.array([-tip[1], tip[0]])
    grip = [hand - tip * 8, hand + tip * 62]
    blade = np.stack(
        [grip[1] + side * s + tip * t for s, t in ((-9, 0), (-27, 24), (-24, 70), (0, 108), (24, 70), (27, 24), (9, 0))]
    )
    book = np.array([470.0, 565.0]) + sway + (0, 6 * np.sin(time / 13))
    turn = np.radians(-9 + 3 * np.sin(time / 15))
    spin = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    cover = np.array([[-78, -104], [78, -104], [78, 104], [-78, 104]]) @ spin + book
    label = np.array([[-52, -70], [52, -70], [52, -8], [-52, -8]]) @ spin + book
    sprig = [
        _ring(np.array([0, 48]) @ spin + book, 34, 15, 20),
        _ring(np.array([14, 30]) @ spin + book, 26, 11, -40),
    ]
    torso = (
        np.array(
            [
                [505, 455],
                [560, 408],
                [612, 392],
                [668, 392],
                [722, 408],
                [800, 455],
                [826, 560],
                [838, 725],
                [470, 725],
                [486, 560],
            ]
        )
        + sway
    )
    bib = np.array([[572, 478], [712, 478], [742, 725], [540, 725]]) + sway
    neck = smooth([[606, 300], [674, 300], [682, 412], [598, 412]]) + sway
    left = np.array([520.0, 480.0]) + sway
    low = np.array([428.0, 640.0]) + sway
    at = (float(head[0]), float(head[1]))
    return [
        Part("hair", _strands(time, head), HAIR, strands=True),
        Part("hair", [_ring((head[0] + 4, head[1] - 26), 94, 102)], HAIR, anchor=at, weave=0.35),
        Part("body", [torso], SHIRT, anchor=(640, 560), lean=(0.0016, -0.0008), weave=0.10),
        Part("body", [neck], SKIN, anchor=(640, 360), lean=(0.003, -0.006)),
        Part("body", [_ring((head[0], head[1] + 14), 72, 94)], SKIN, anchor=at, lean=(0.0035, -0.0015)),
        Part("body", [_ring((head[0] - 2, head[1] - 62), 76, 38, -6)], HAIR, anchor=at, weave=0.35),
        Part("body", [_ring((head[0] + x, head[1] + 4), 8, 5) for x in (-28, 28)], (0.03, 0.025, 0.02)),
        Part("body", [_ring((head[0] + x, head[1] - 14), 15, 3, -x / 5) for x in (-29, 29)], HAIR),
        Part("body", [_mouth(head, 3 + 2.5 * np.sin(time / 3))], (0.24, 0.07, 0.06)),
        Part("body", [bib], APRON, anchor=(640, 600), lean=(0.0018, -0.0006), weave=0.16),
        Part("body", [limb(left, low, 52, 40)], SHIRT, anchor=(470, 560), lean=(0.003, 0.0), weave=0.10),
        Part("body", [limb(low, book + (-40, 70), 38, 30)], SHIRT, anchor=(450, 620), lean=(0.003, 0.0), weave=0.10),
        Part("body", [cover], PAPER, anchor=(470, 565), lean=(0.0012, -0.0010)),
        Part("body", [label], INK),
        Part("body", sprig, (0.10, 0.17, 0.06)),
        Part("body", [limb(book + (-70, 60), book + (-20, 78), 24, 19)], GLOVE, anchor=(420, 630), lean=(0.005, 0.0)),
        Part("arm", [limb(shoulder, elbow, 50, 37)], SHIRT, anchor=(800, 480), lean=(0.003, 0.0), weave=0.10),
        Part("arm", [limb(elbow, hand, 36, 25)], SHIRT, anchor=(880, 430), lean=(0.003, 0.0), weave=0.10),
        Part("arm", [limb(grip[0], grip[1], 7, 6)], WOOD),
        Part("blade", [blade], (0.55, 0.57, 0.60), anchor=(float(grip[1][0]), float(grip[1][1])), lean=(0.02, 0.012), mirrors=True),
        Part("arm", [limb(hand - tip * 14 + side * 6, hand + tip * 14, 27, 24)], GLOVE, anchor=(float(hand[0]), float(hand[1])), lean=(0.006, -0.003), weave=0.12),
    ]  # fmt: skip


def _stage(time: float) -> list[Part]:
    """What stands in the picture besides: a lamp stand at the left, the boom from above; far to near."""
    drift = 5 * np.sin(time / 14)
    boom = [np.array([310.0 + drift, -30.0]), np.array([484.0 + drift, 44.0])]
    return [
        Part("stand", [limb(np.array([96.0, 250.0]), np.array([96.0, 730.0]), 7, 9)], BOOM),
        Part("stand", [np.array([[58, 196], [136, 180], [142, 262], [64, 268]], np.float64)], (0.07, 0.07, 0.075)),
        Part("boom", [limb(boom[0], boom[1], 6, 6)], BOOM),
        Part("boom", [limb(boom[1], boom[1] + (64, 34), 23, 21)], (0.05, 0.05, 0.052), anchor=(516, 60), weave=0.5),
    ]


@lru_cache(maxsize=4)
def backing(name: str, scale: float) -> Layer:
    """The backing by itself (h, w, 3), linear: twice as bright on one side as on the other, creased."""
    w, h = round(scene.WIDTH * scale), round(scene.HEIGHT * scale)
    y, x = (a.astype(np.float32) / np.float32(scale) for a in np.mgrid[:h, :w])
    light = 0.70 + 0.62 * np.exp(-(((x - 880) / 560) ** 2) - ((y - 260) / 520) ** 2)
    creases = np.zeros_like(light)
    for c, lean, width, depth in (
        (180, 0.22, 9, 0.10),
        (420, -0.10, 14, 0.07),
        (560, 0.05, 7, 0.09),
        (1010, -0.28, 11, 0.12),
        (1180, 0.12, 16, 0.08),
    ):
        d = (x - c) + lean * (y - 360)
        creases += depth * np.exp(-((d / width) ** 2)) - 0.6 * depth * np.exp(-(((d - 1.6 * width) / width) ** 2))
    folds = 0.025 * np.sin(y / 31 + 2.2 * np.sin(x / 170))
    return np.asarray(np.array(BACKINGS[name], np.float32) * (light * (1 - creases + folds))[..., None], np.float32)


def _lay(
    picture: Layer, part: Part, shift: Array, scale: float, back: Layer
) -> tuple[tuple[slice, slice], Layer] | None:
    """Lay a part over a picture (h, w, 3); where, and its mask there."""
    h, w = picture.shape[:2]
    points = [(p + shift) * scale for p in part.shape]
    every = np.concatenate(points)
    left, top = (int(max(np.floor(v) - 3, 0)) for v in every.min(axis=0))
    right, bottom = (int(min(np.ceil(v) + 4, end)) for v, end in zip(every.max(axis=0), (w, h), strict=True))
    if right <= left or bottom <= top:
        return None
    drawn = np.zeros((bottom - top, right - left), np.uint8)
    fixed = [np.round((p - (left, top) - 0.5) * 16).astype(np.int32) for p in points]
    if part.strands:
        for line in fixed:
            cv2.polylines(drawn, [line], False, 255, max(round(1.3 * scale), 1), cv2.LINE_AA, 4)
    else:
        cv2.fillPoly(drawn, fixed, 255, cv2.LINE_AA, 4)
    mask = drawn.astype(np.float32) / np.float32(255)
    y, x = (a.astype(np.float32) / np.float32(scale) for a in np.mgrid[top:bottom, left:right])
    light = 1 + part.lean[0] * (x - part.anchor[0]) + part.lean[1] * (y - part.anchor[1])
    if part.weave:
        light = light * (1 + part.weave * np.sin(x * 1.1 + 0.4 * y) * np.sin(y * 0.9 - 0.2 * x))
    colour = np.array(part.colour, np.float32) * np.clip(light, 0.25, 1.8)[..., None]
    where = slice(top, bottom), slice(left, right)
    if part.mirrors:
        glint = np.exp(-((((x - part.anchor[0]) + 0.6 * (y - part.anchor[1])) / 16 - 0.5) ** 2))[..., None]
        colour = 0.72 * back[where] + 0.05 + 0.75 * glint * np.ones(3, np.float32)
    m = mask[..., None]
    picture[where] = picture[where] * (1 - m) + colour * m
    return where, mask


def film(
    index: int,
    name: str = "green",
    scale: float = 1.0,
    parts: Callable[[float], list[Part]] = parts_at,
    subframes: int = SUBFRAMES,
) -> Filmed:
    """Frame `index` (0-based) before a green or blue backing; the same each time.

    parts: who stands there, at a time. subframes: the more, the faster something moves.
    """
    back = backing(name, scale)
    total, own = np.zeros_like(back), np.zeros_like(back)
    alpha = np.zeros(back.shape[:2], np.float32)
    where = {k: np.zeros_like(alpha) for k in ("hair", "arm", "blade")}
    for number in range(subframes):
        time = index + ((number + 0.5) / subframes - 0.5) * scene.SHUTTER
        shift = np.array([(0.5 + number * 0.7548776662) % 1 - 0.5, (0.5 + number * 0.5698402910) % 1 - 0.5]) / scale
        stand, boom = _stage(time)[:2], _stage(time)[2:]
        picture, colours, cover = back.copy(), np.zeros_like(back), np.zeros_like(alpha)
        for part in stand:
            _lay(picture, part, shift, scale, back)
        for part in parts(time):
            laid = _lay(colours, part, shift, scale, back)
            if laid is None:
                continue
            here, mask = laid
            cover[here] += mask - cover[here] * mask
            if part.name in where:
                where[part.name][here] += mask / subframes
        rows = np.flatnonzero(cover.any(axis=1))
        columns = np.flatnonzero(cover.any(axis=0))
        if rows.size:
            here = slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)
            picture[here] *= (1 - cover[here])[..., None]
            picture[here] += colours[here]
        for part in boom:
            laid = _lay(picture, part, shift, scale, back)
            if laid is not None:
                here, mask = laid
                colours[here] *= (1 - mask)[..., None]
                cover[here] *= 1 - mask
        cv2.accumulate(picture, total)
        cv2.accumulate(colours, own)
        cv2.accumulate(cover, alpha)
    alpha /= subframes
    own = own * np.float32(1 / subframes)
    spilled = _spill(own, alpha, back)
    own += spilled
    total = total * np.float32(1 / subframes) + spilled
    blur = 0.7 * scale
    plate = np.asarray(cv2.GaussianBlur(total, (0, 0), blur), np.float32)
    own = np.asarray(cv2.GaussianBlur(own, (0, 0), blur), np.float32)
    alpha = np.asarray(cv2.GaussianBlur(alpha, (0, 0), blur), np.float32)
    return Filmed(_developed(plate, index, name), np.clip(alpha, 0, 1), own, where)


def _spill(own: Layer, alpha: Layer, back: Layer) -> Layer:
    """The backing's light (h, w, 3; premultiplied) on what of the presenter is near her outline."""
    small = cv2.resize(alpha, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    away = cv2.GaussianBlur(1 - small, (0, 0), 3.5 * alpha.shape[1] / scene.WIDTH)
    near = cv2.resize(away, alpha.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return np.asarray(near[..., None] * back * (DIFFUSE * own + GLOSS * alpha[..., None]), np.float32)


def _developed(linear: Layer, index: int, name: str) -> NDArray[np.uint8]:
    """Grain that follows brightness, display encoding."""
    rng = np.random.default_rng([index, len(name)])
    return scene.developed(linear, rng.standard_normal(linear.shape, np.float32))
