"""Textures of the tapping shot: the greenhouse behind, the climate panel with its housing and post."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import decode
from wiseglove.demo.scene import BEZEL, SCREEN

Layer = NDArray[Any]
PER_METRE = 2600
PANEL_PLANE = (0.56, 0.86)
"""Size of the panel's texture in metres; the panel's centre lies 0.22 m below its top."""
PANEL_TOP = 0.22
FONT = cv2.FONT_HERSHEY_SIMPLEX

GLASS_BACKING = (0.035, 0.30, 0.07)
"""Linear colour of the glass where it was shot to be keyed."""


def _linear(rgb: tuple[int, int, int]) -> tuple[float, float, float]:
    r, g, b = (float(v) for v in decode(np.array(rgb) / 255))
    return r, g, b


def _disc(radius: float) -> Layer:
    size = int(np.ceil(radius)) * 2 + 1
    y, x = np.mgrid[:size, :size] - size // 2
    disc = np.clip(radius + 0.5 - np.hypot(x, y), 0, 1).astype(np.float32)
    return np.asarray(disc / disc.sum(), np.float32)


def greenhouse(width: int = 1700, height: int = 1000) -> Layer:
    """A greenhouse at night, out of focus, linear light (height, width, 3)."""
    rng = np.random.default_rng(41)
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None, None]
    base = np.array(_linear((22, 33, 46)), np.float32) * (1 - y) + np.array(_linear((24, 40, 36)), np.float32) * y
    picture: Layer = np.repeat(base, width, axis=1).astype(np.float32)
    for x in range(60, width, 260):  # glazing bars against a faint sky
        cv2.line(picture, (x, 0), (x + 26, height), _linear((66, 80, 88)), 15, cv2.LINE_AA)
    for level in (120, 420):
        cv2.line(picture, (0, level), (width, level + 34), _linear((60, 74, 80)), 12, cv2.LINE_AA)
    picture = cv2.GaussianBlur(picture, (0, 0), 9)
    for radius, darkness, count, floor in ((19, 0.45, 420, 0.44), (13, 0.7, 520, 0.56), (8, 1.0, 420, 0.70)):
        leaves = picture.copy()
        for _ in range(count):
            cx, cy = rng.uniform(0, width), height * rng.uniform(floor, 1.1)
            long, angle = rng.uniform(26, 86), rng.uniform(0, 180)
            green = np.array(_linear((46, 88, 52))) * rng.uniform(0.35, 1.7) * darkness
            tint = green * (1.0 + rng.uniform(-0.25, 0.25), 1.0, 1.0 + rng.uniform(-0.3, 0.3))
            axes = (int(long), int(long * rng.uniform(0.22, 0.42)))
            cv2.ellipse(leaves, (int(cx), int(cy)), axes, angle, 0, 360, tuple(map(float, tint)), -1, cv2.LINE_AA)
        picture = cv2.filter2D(leaves, -1, _disc(radius), borderType=cv2.BORDER_REPLICATE)
    lights = np.zeros_like(picture)
    for _ in range(26):
        x, y_ = int(rng.uniform(30, width - 30)), int(height * rng.uniform(0.05, 0.62))
        strength = rng.uniform(30, 190) * (2.4 if rng.random() < 0.2 else 0.7)
        warm = np.array([1.0, rng.uniform(0.45, 0.68), rng.uniform(0.14, 0.3)]) * strength
        cv2.circle(lights, (x, y_), 2, tuple(map(float, warm)), -1, cv2.LINE_AA)
    lights = cv2.filter2D(lights, -1, _disc(27), borderType=cv2.BORDER_CONSTANT)
    return np.asarray(picture + lights * 0.55, np.float32)


def _rounded(shape: tuple[int, int], box: tuple[float, float, float, float], radius: float) -> Layer:
    """Antialiased mask of a rounded box (left, top, right, bottom in pixels)."""
    y, x = np.mgrid[: shape[0], : shape[1]].astype(np.float32) + 0.5
    left, top, right, bottom = box
    dx = np.abs(x - (left + right) / 2) - ((right - left) / 2 - radius)
    dy = np.abs(y - (top + bottom) / 2) - ((bottom - top) / 2 - radius)
    outside = np.hypot(np.maximum(dx, 0), np.maximum(dy, 0)) + np.minimum(np.maximum(dx, dy), 0) - radius
    return np.clip(0.5 - outside, 0, 1).astype(np.float32)


def _write(layer: Layer, text: str, at: tuple[int, int], size: float, colour: tuple[float, ...], weight: int) -> None:
    """Antialiased text onto a linear layer."""
    mask = np.zeros(layer.shape[:2], np.uint8)
    cv2.putText(mask, text, at, FONT, size, 255, weight, cv2.LINE_AA)
    share = (mask.astype(np.float32) / 255)[..., None]
    layer *= 1 - share
    layer += share * np.array(colour, np.float32)


def _display(width: int, height: int) -> Layer:
    """What the climate panel itself shows, linear light."""
    rng = np.random.default_rng(7)
    shown = np.zeros((height, width, 3), np.float32)
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None, None]
    shown += np.array(_linear((34, 92, 88)), np.float32) * (1 - 0.45 * y)
    pale, dim = _linear((206, 232, 214)), _linear((116, 168, 154))
    _write(shown, "Bay 4", (46, 92), 1.9, pale, 4)
    _write(shown, "Lantern Lane", (48, 136), 0.85, dim, 2)
    _write(shown, "18.5", (width - 300, 118), 2.9, pale, 6)
    _write(shown, "o C", (width - 92, 84), 1.0, dim, 3)
    x = np.arange(40, width - 40, 6)
    for level, sway, tint in ((0.52, 26, pale), (0.60, 16, dim)):
        wave = height * level + sway * np.sin(x / 61.0) + np.cumsum(rng.normal(0, 1.7, len(x)))
        points = np.stack([x, wave], axis=1).round().astype(np.int32)
        cv2.polylines(shown, [points], False, tint, 3, cv2.LINE_AA)
    for i, label in enumerate(("Vents", "Mist", "Lamps", "Heat")):
        left = 40 + i * (width - 80) // 4
        box = (left, height - 150, left + (width - 80) // 4 - 22, height - 46)
        mask = _rounded((height, width), box, 16)[..., None]
        lit = np.array(_linear((80, 150, 132) if i != 2 else (196, 150, 76)), np.float32)
        shown = shown * (1 - mask) + lit * mask
        _write(shown, label, (left + 26, height - 84), 1.15, _linear((14, 40, 40)), 3)
    return np.asarray(shown * 0.9, np.float32)


def _coloured_glass(width: int, height: int) -> Layer:
    """Glass in the colour of a backing, unevenly lit, to be keyed."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    light = 0.78 + 0.34 * (x / width) - 0.22 * (y / height)
    return np.asarray(np.array(GLASS_BACKING, np.float32) * light[..., None], np.float32)


def climate_panel(coloured: bool = False, shown: Layer | None = None) -> Layer:
    """Housing, glass and post, premultiplied linear RGBA; see PANEL_PLANE for its size.

    coloured: glass to be keyed. shown: what its screen shows instead of its own picture, linear (h, w, 3) of any size.
    """
    width, height = (round(v * PER_METRE) for v in PANEL_PLANE)
    middle = (width / 2, PANEL_TOP * PER_METRE)
    rng = np.random.default_rng(3)
    rgb = np.zeros((height, width, 3), np.float32)
    alpha = np.zeros((height, width), np.float32)

    def paint(mask: Layer, colour: Layer | tuple[float, float, float]) -> None:
        nonlocal rgb, alpha
        m = mask[..., None]
        rgb = rgb * (1 - m) + np.asarray(colour, np.float32) * m
        alpha = alpha * (1 - mask) + mask

    def centred(size: tuple[float, float], radius: float) -> Layer:
        half = (size[0] * PER_METRE / 2, size[1] * PER_METRE / 2)
        box = (middle[0] - half[0], middle[1] - half[1], middle[0] + half[0], middle[1] + half[1])
        return _rounded((height, width), box, radius * PER_METRE)

    x = np.arange(width, dtype=np.float32)[None, :, None]
    post = _rounded((height, width), (middle[0] - 78, middle[1], middle[0] + 78, height + 60), 10)
    brushed = cv2.GaussianBlur(rng.normal(0, 1, (height, width)).astype(np.float32), (0, 0), sigmaX=0.8, sigmaY=40)
    sheen = 0.05 + 0.05 * np.exp(-(((x[..., 0] - middle[0] + 26) / 30) ** 2)) + brushed * 0.02
    paint(post, np.repeat(np.maximum(sheen, 0.012)[..., None], 3, axis=2) * (0.8, 0.95, 1.0))

    bezel = centred(BEZEL, 0.014)
    down = np.clip((np.arange(height) - (middle[1] - BEZEL[1] * PER_METRE / 2)) / (BEZEL[1] * PER_METRE), 0, 1)
    speckle = rng.normal(0, 1, (height, width)).astype(np.float32)
    body = (0.040 - 0.018 * down[:, None] + 0.0045 * cv2.GaussianBlur(speckle, (0, 0), 1.1) * 3).astype(np.float32)
    paint(bezel, np.repeat(np.maximum(body, 0.004)[..., None], 3, axis=2) * (0.92, 1.0, 1.05))
    ring = np.clip(bezel - centred((BEZEL[0] - 0.005, BEZEL[1] - 0.005), 0.012), 0, 1)
    paint(ring * 0.7, (0.13, 0.145, 0.15))
    paint(centred((SCREEN[0] + 0.008, SCREEN[1] + 0.008), 0.006), (0.006, 0.007, 0.008))
    for sx in (-1, 1):
        for sy in (-1, 1):
            at = (middle[0] + sx * 0.187 * PER_METRE, middle[1] + sy * 0.128 * PER_METRE)
            hole = _rounded((height, width), (at[0] - 11, at[1] - 11, at[0] + 11, at[1] + 11), 11)
            paint(hole, (0.09, 0.10, 0.105))
            slot = _rounded((height, width), (at[0] - 8, at[1] - 2, at[0] + 8, at[1] + 2), 1)
            paint(slot, (0.01, 0.01, 0.01))
    label = np.zeros((height, width, 1), np.float32)
    _write(label, "CLIMATE  B4", (int(middle[0] - 90), int(middle[1] + 0.1325 * PER_METRE)), 0.8, (1.0,), 2)
    paint(label[..., 0] * 0.8, (0.25, 0.28, 0.27))

    screen = (round(SCREEN[0] * PER_METRE), round(SCREEN[1] * PER_METRE))
    left, top = round(middle[0] - screen[0] / 2), round(middle[1] - screen[1] / 2)
    if shown is None:
        face = (_coloured_glass if coloured else _display)(*screen)
    else:
        face = np.asarray(cv2.resize(shown, screen, interpolation=cv2.INTER_AREA), np.float32)
    rgb[top : top + screen[1], left : left + screen[0]] = face
    return np.asarray(np.dstack([rgb * alpha[..., None], alpha]), np.float32)
