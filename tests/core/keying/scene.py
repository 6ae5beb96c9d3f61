"""A small made-up stage with exact mattes: a gardener's disc of a face, hair, a swinging arm, before a creased backing."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import decode, encode

Picture = NDArray[np.float32]
SIZE = (360, 480)
FINE = 4
BACKINGS = {"green": (0.05, 0.42, 0.09), "blue": (0.04, 0.09, 0.38)}


def stage(
    backing: str = "green", seed: int = 0, subsampled: bool = True
) -> tuple[Picture, Picture, dict[str, Picture]]:
    """A picture (linear), its exact alpha, and where its parts are: hair, blur, edge, solid, clear; (h, w) each."""
    rng = np.random.default_rng(seed)
    h, w = SIZE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    light = 0.75 + 0.5 * (x / w) - 0.25 * (y / h)
    creases = sum(0.06 * np.exp(-(((x - c) + 0.3 * (y - 180)) ** 2) / 18) for c in (60, 220, 400))
    back = np.array(BACKINGS[backing], np.float32) * (light * (1 - creases))[..., None]
    body, hair, arm = (np.zeros((h * FINE, w * FINE), np.uint8) for _ in range(3))
    cv2.ellipse(body, (240 * FINE, 150 * FINE), (60 * FINE, 80 * FINE), 0, 0, 360, 255, -1)
    cv2.rectangle(body, (170 * FINE, 215 * FINE), (310 * FINE, 360 * FINE), 255, -1)
    for _ in range(70):
        a = rng.uniform(np.pi, 2 * np.pi)
        start = (240 + 56 * np.cos(a), 150 + 74 * np.sin(a))
        end = (start[0] + 26 * np.cos(a + rng.normal(0, 0.5)), start[1] + 26 * np.sin(a))
        ends = [tuple(int(v * FINE) for v in p) for p in (start, end)]
        cv2.line(hair, ends[0], ends[1], 255, 4, cv2.LINE_AA)
    swing = np.zeros((h * FINE, w * FINE), np.float32)
    for t in np.linspace(-1, 1, 25):
        arm[:] = 0
        ends = [(310 * FINE, 250 * FINE), (int((400 + 9 * t) * FINE), int((170 + 22 * t) * FINE))]
        cv2.line(arm, ends[0], ends[1], 255, 26 * FINE)
        swing += arm / 255 / 25
    lens = [cv2.GaussianBlur(p.astype(np.float32), (0, 0), 0.9 * FINE) for p in (body / 255, hair / 255, swing)]
    parts = [np.asarray(cv2.resize(p, (w, h), interpolation=cv2.INTER_AREA), np.float32) for p in lens]
    skin = np.array([0.42, 0.24, 0.16], np.float32)
    colours = (skin, np.array([0.06, 0.04, 0.03], np.float32), np.array([0.30, 0.28, 0.24], np.float32))
    picture, alpha = back.copy(), np.zeros((h, w), np.float32)
    for part, colour in zip((parts[2], parts[1], parts[0]), (colours[2], colours[1], colours[0]), strict=True):
        picture = picture * (1 - part[..., None]) + colour * part[..., None]
        alpha = alpha + part - alpha * part
    shown = encode(np.clip(picture, 0, 1)) + rng.normal(0, 0.012, picture.shape)
    shown = np.asarray(np.clip(shown, 0, 1) * 255, np.float32)
    if subsampled:
        yuv = cv2.cvtColor(np.round(shown).astype(np.uint8), cv2.COLOR_RGB2YCrCb)
        for c in (1, 2):
            small = cv2.resize(yuv[..., c], (w // 2, h // 2), interpolation=cv2.INTER_AREA)
            yuv[..., c] = cv2.resize(small, (w, h), interpolation=cv2.INTER_LINEAR)
        shown = cv2.cvtColor(yuv, cv2.COLOR_YCrCb2RGB).astype(np.float32)
    soft = (alpha > 0.02) & (alpha < 0.98)
    near_hair, near_arm = parts[1] > 0.02, (parts[2] > 0.02) & (x > 318)
    where = {
        "hair": soft & near_hair,
        "blur": soft & near_arm,
        "edge": soft & ~near_hair & ~near_arm,
        "solid": cv2.erode((alpha > 0.999).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0,
        "clear": cv2.dilate((alpha > 0.001).astype(np.uint8), np.ones((9, 9), np.uint8)) == 0,
    }
    return np.asarray(decode(shown / 255), np.float32), alpha, {k: v.astype(np.float32) for k, v in where.items()}


def off(alpha: Picture, truth: Picture, where: Picture) -> float:
    """Mean absolute error in a region."""
    return float(np.abs(alpha - truth)[where > 0.5].mean())
