"""Lantern Lane shots of a panel, each with one thing that makes its motion hard to solve."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.demo import scene
from wiseglove.demo.panels import Front, Panel
from wiseglove.demo.surroundings import PANEL_TOP, PER_METRE, climate_panel, greenhouse

Array = NDArray[Any]
KAPPA = 0.5522847
"""Handle length over radius for a quarter circle (common practice)."""
SHEET = (0.420, 0.302)
"""Metres of the panel's texture: housing with a thin rim of nothing round it."""


@lru_cache(maxsize=4)
def _housing(per_metre: int, dark_glass: bool = False, plain: bool = False) -> Array:
    """The panel without its post, premultiplied linear RGBA; the glass dark, or everything but its rim without texture."""
    whole = climate_panel()
    x, y = whole.shape[1] // 2, round(PANEL_TOP * PER_METRE)
    w, h = (round(v * PER_METRE / 2) for v in SHEET)
    sheet = whole[y - h : y + h, x - w : x + w].copy()
    # The post shows beside the housing's lower end; the sheet keeps only the housing.
    v, u = np.mgrid[-h:h, -w:w] + 0.5
    inside = (np.abs(u) < scene.BEZEL[0] * PER_METRE / 2) & (np.abs(v) < scene.BEZEL[1] * PER_METRE / 2)
    sheet *= inside[..., None]
    glass = (np.abs(u) < scene.SCREEN[0] * PER_METRE / 2) & (np.abs(v) < scene.SCREEN[1] * PER_METRE / 2)
    if dark_glass:
        sheet[glass, :3] = (0.004, 0.005, 0.006)
    if not plain:
        _lay_leaf(sheet)
    if plain:
        sheet[..., :3] = np.where(glass[..., None], 0.010, 0.085) * sheet[..., 3:]
    share = per_metre / PER_METRE
    return np.asarray(cv2.resize(sheet, None, fx=share, fy=share, interpolation=cv2.INTER_AREA), np.float32)


LEAF = (0.142, 0.082, 0.040, 0.013, -32.0)
"""A leaf that sticks to the lower right of the glass: middle, half length and width in metres, and its turn in degrees."""


def _lay_leaf(sheet: Array) -> None:
    x, y, long, wide, turn = LEAF
    height, width = sheet.shape[:2]
    at = (round(width / 2 + x * PER_METRE), round(height / 2 + y * PER_METRE))
    mask = np.zeros((height, width), np.uint8)
    cv2.ellipse(mask, at, (round(long * PER_METRE), round(wide * PER_METRE)), turn, 0, 360, 255, -1, cv2.LINE_AA)
    share = (mask.astype(np.float32) / 255)[..., None]
    rng = np.random.default_rng(23)
    veins = cv2.GaussianBlur(rng.standard_normal((height, width)).astype(np.float32), (0, 0), 4)[..., None] * 3
    colour = np.array([0.10, 0.21, 0.045], np.float32) * (1 + 0.35 * veins)
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    reach = long * PER_METRE * 0.95
    ends = [(round(at[0] + way * c * reach), round(at[1] + way * s * reach)) for way in (-1, 1)]
    rib = np.zeros((height, width), np.uint8)
    cv2.line(rib, ends[0], ends[1], 255, 5, cv2.LINE_AA)
    colour = colour * (1 - 0.5 * (rib.astype(np.float32) / 255)[..., None])
    sheet[..., :3] = sheet[..., :3] * (1 - share) + colour * share
    sheet[..., 3:] = sheet[..., 3:] * (1 - share) + share


def leaf_outline(shot: Panel, time: float = 0.0) -> Array:
    """Where the leaf is, as points with handles (4, 8) in plate pixels."""
    x, y, long, wide, turn = LEAF
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    axes = np.array([[c, s], [-s, c]]) * np.array([[long], [wide]])
    places = np.array([axes[0], axes[1], -axes[0], -axes[1]]) + (x, y)
    along = np.array([axes[1], -axes[0], -axes[1], axes[0]]) * KAPPA
    ends = [shot.seen(time, p[:, 0], p[:, 1]) for p in (places, places - along, places + along)]
    return np.concatenate([ends[0], ends[1] - ends[0], ends[2] - ends[0], np.zeros((4, 2))], axis=1)


def _glass_of(texture: Array) -> Array:
    v, u = np.mgrid[: texture.shape[0], : texture.shape[1]] + 0.5
    u, v = (u / texture.shape[1] - 0.5) * SHEET[0], (v / texture.shape[0] - 0.5) * SHEET[1]
    return np.asarray((np.abs(u) < scene.SCREEN[0] / 2) & (np.abs(v) < scene.SCREEN[1] / 2), np.float32)


@lru_cache(maxsize=1)
def _greenhouse() -> Array:
    return greenhouse()


def handheld(time: float, strength: float = 1.0, speed: float = 1.0) -> scene.Camera:
    """A camera in the hand that sways `strength` times as far and `speed` times as fast as in the tapping shot."""
    calm = scene.camera_at(time * speed)
    turn, _ = cv2.Rodrigues(cv2.Rodrigues(calm.turn)[0] * strength)
    return scene.Camera(np.asarray(turn), calm.place * strength)


def standing(pitch: float = 5.0, yaw: float = -13.0, roll: float = -2.5, away: float = 0.92) -> scene.Plane:
    """A plane that stands still in the middle of the picture."""
    turn = scene.rotation(pitch, yaw, roll)
    return scene.Plane(np.array([-0.02, 0.0, away]), turn[:, 0], turn[:, 1])


def textured(scale: float = 1.0) -> Panel:
    """The lit panel before a lively camera."""
    return Panel(
        "textured", 60, _housing(1300 if scale < 1.2 else 2600), SHEET, _greenhouse(),
        pose=lambda time: standing(), camera=lambda time: handheld(time, 2.0, 1.3), scale=scale,
    )  # fmt: skip


def restless(shutter: float, grain: float, begins: float) -> Panel:
    """The lit panel before a camera in a hurried hand: it moves 3 to 14 pixels a frame, and hardly two frames alike."""
    return replace(
        textured(), name=f"restless_{round(shutter * 360)}_{round(grain)}", frames=36, shutter=shutter, grain=grain,
        camera=lambda time: handheld(time + begins, 2.6, 1.9),
    )  # fmt: skip


def smaller(scale: float = 1.0) -> Panel:
    """The lit panel from farther away."""
    return replace(textured(scale), name="smaller", frames=40, pose=lambda time: standing(away=1.27))


def sliding(scale: float = 1.0) -> Panel:
    """The lit panel seen straight on, before a camera that only slides."""

    def camera(time: float) -> scene.Camera:
        return scene.Camera(np.eye(3), np.array([0.09 * np.sin(time / 9), 0.05 * np.sin(time / 6 + 1), 0.0]))

    return replace(smaller(scale), name="sliding", pose=lambda time: standing(0, 0, 0, 1.27), camera=camera)


def _cloth(height: int, width: int, tint: tuple[float, float, float], seed: int) -> Array:
    rng = np.random.default_rng(seed)
    weave = rng.standard_normal((height, width)).astype(np.float32)
    folds = cv2.GaussianBlur(rng.standard_normal((height, width)).astype(np.float32), (0, 0), 24) * 18
    shade = 1 + 0.35 * np.clip(folds, -1.5, 1.5) + 0.35 * cv2.GaussianBlur(weave, (0, 0), 1.2)
    return np.asarray(np.maximum(shade, 0.1)[..., None] * np.array(tint, np.float32), np.float32)


@lru_cache(maxsize=1)
def _glove() -> Array:
    """A gloved hand seen flat, fingers up, premultiplied linear RGBA (640, 480, 4)."""
    mask = np.zeros((640, 480), np.uint8)
    for (x0, y0), (x1, y1), wide in (
        ((150, 330), (96, 110), 52), ((215, 310), (198, 40), 54), ((280, 310), (296, 60), 52),
        ((335, 340), (384, 150), 46), ((150, 460), (60, 360), 56), ((240, 420), (240, 640), 210),
    ):  # fmt: skip
        cv2.line(mask, (x0, y0), (x1, y1), 255, wide, cv2.LINE_AA)
    alpha = cv2.GaussianBlur(mask, (0, 0), 1.0).astype(np.float32)[..., None] / 255
    return np.concatenate([_cloth(640, 480, (0.16, 0.13, 0.10), 5) * alpha, alpha], axis=2)


@lru_cache(maxsize=1)
def _colleague() -> Array:
    """Body and arms with a tray of seedlings, premultiplied linear RGBA (720, 560, 4)."""
    rng = np.random.default_rng(12)
    alpha = np.zeros((720, 560), np.uint8)
    cv2.ellipse(alpha, (280, 380), (235, 400), 0, 0, 360, 255, -1, cv2.LINE_AA)
    colour = _cloth(720, 560, (0.055, 0.075, 0.11), 9)
    cv2.rectangle(alpha, (0, 430), (560, 520), 255, -1, cv2.LINE_AA)
    colour[430:520] = _cloth(90, 560, (0.13, 0.075, 0.04), 10)
    for _ in range(170):
        at = (int(rng.uniform(6, 554)), int(rng.uniform(352, 432)))
        axes = (int(rng.uniform(6, 18)), int(rng.uniform(4, 8)))
        angle, green = (
            rng.uniform(0, 180),
            tuple(float(v) for v in np.array([0.05, 0.14, 0.04]) * rng.uniform(0.4, 1.6)),
        )
        cv2.ellipse(colour, at, axes, angle, 0, 360, green, -1, cv2.LINE_AA)
        cv2.ellipse(alpha, at, axes, angle, 0, 360, 255, -1, cv2.LINE_AA)
    share = cv2.GaussianBlur(alpha, (0, 0), 1.0).astype(np.float32)[..., None] / 255
    return np.concatenate([colour * share, share], axis=2)


def _box(x: float, y: float, w: float, h: float, degrees: float = 0.0) -> Array:
    """Corners of a box with its centre at x, y, turned."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    ring = np.array([[-w, -h], [w, -h], [w, h], [-w, h]]) / 2
    return np.asarray(ring @ np.array([[c, s], [-s, c]]) + (x, y))


def _eased(share: float) -> float:
    """0 to 1, with speed and its change starting and ending at rest (Perlin 2002's quintic)."""
    t = float(np.clip(share, 0, 1))
    return t * t * t * (t * (6 * t - 15) + 10)


def hand_over(scale: float = 1.0) -> Panel:
    """A gloved hand reaches in and waves over half of the panel."""

    def corners(time: float) -> Array:
        reach = 300 * float(np.clip((time - 6) / 14, 0, 1) * np.clip((58 - time) / 12, 0, 1)) ** 0.8
        x = 700 + 70 * np.sin(time / 7.0) + 12 * np.sin(time / 1.9)
        return _box(x, 1020 - reach * 1.75 + 25 * np.sin(time / 5.0), 430, 580, 9 * np.sin(time / 6.0))

    return replace(textured(scale), name="hand_over", front=Front(_glove(), corners))


def glossy(scale: float = 1.0) -> Panel:
    """Dark glass in which the lamps slide; only the housing can be trusted."""
    texture = _housing(1300 if scale < 1.2 else 2600, dark_glass=True)
    rng = np.random.default_rng(77)
    lamps = np.zeros((texture.shape[0] + 400, texture.shape[1] + 600), np.float32)
    for _ in range(22):
        x, y, r = rng.uniform(0, lamps.shape[1]), rng.uniform(0, lamps.shape[0]), rng.uniform(5, 26)
        cv2.circle(lamps, (int(x), int(y)), int(r), float(rng.uniform(0.05, 0.5)), -1, cv2.LINE_AA)
    lamps = cv2.GaussianBlur(lamps, (0, 0), 2.0)
    return replace(
        textured(scale), name="glossy", texture=texture, mirrored=lamps, glass=_glass_of(texture),
        sliding=lambda time: (300 + 240 * np.sin(time / 17.0), 200 + 120 * np.sin(time / 11.0 + 1)),
    )  # fmt: skip


def tray(scale: float = 1.0) -> Panel:
    """A colleague with a seedling tray passes and hides the panel completely for about fifteen frames."""

    def corners(time: float) -> Array:
        x = np.interp(time, [0, 14, 30, 45, 58], [-420, -60, 560, 700, 1750])
        return _box(x + 60, 400 + 8 * np.sin(time / 2.4), 1020, 1240, 2 * np.sin(time / 3.1))

    return replace(textured(scale), name="tray", frames=70, front=Front(_colleague(), corners))


def door(scale: float = 1.0) -> Panel:
    """The panel is the door of a cabinet: it swings almost edge-on, back, and the camera leaves it."""

    def pose(time: float) -> scene.Plane:
        yaw = -8 - 77 * _eased((time - 4) / 42) + 70 * _eased((time - 54) / 18)
        turn = scene.rotation(4.0, yaw, -2.0)
        hinge = np.array([-0.06, 0.0, 0.95])
        return scene.Plane(hinge + 0.20 * turn[:, 0], turn[:, 0], turn[:, 1])

    def camera(time: float) -> scene.Camera:
        held = handheld(time, 1.2)
        return scene.Camera(held.turn, held.place + (0.9 * _eased((time - 66) / 34), 0.0, 0.0))

    return replace(textured(scale), name="door", frames=90, pose=pose, camera=camera)


def lamps_switched(scale: float = 1.0) -> Panel:
    """Lamps are switched on and off, and the edge of a shadow walks across."""

    def light(time: float) -> tuple[float, float, float, float, float]:
        gain = 1.3 if 14 <= time < 27 else (0.72 if 38 <= time < 46 else 1.0)
        return gain, 0.15 * np.sin(time / 9.0), 0.1, -0.4 * gain, float(np.interp(time, [0, 59], [1.4, -0.3]))

    return replace(textured(scale), name="lamps_switched", light=light)


def plain(scale: float = 1.0) -> Panel:
    """A device without any texture but the rim of its glass and its own outline."""
    texture = _housing(1300 if scale < 1.2 else 2600, plain=True)
    return replace(textured(scale), name="plain", texture=texture)
