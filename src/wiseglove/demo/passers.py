"""Others who walk past: other colours, clothes, pace, size, ways and walls, and a camera in the hand. For measuring, not for the demo.

Like the gardener's, their clips are the same each time, with exact truth.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.demo import scene, walker

Layer = NDArray[np.float32]
FIRST, FRAMES = 6, 60
"""The walker's frame with which their clips begin, and how many there are."""


@dataclass(frozen=True)
class Passer:
    """Somebody who walks past: before what, whether to the left, by how many pixels the camera shakes, and at what size."""

    who: walker.Person
    back: str
    shade: float = 0.25
    left: bool = False
    shake: float = 0.0
    size: float = 1.0


PASSERS = {
    "white before louvres": Passer(
        walker.Person((0.22, 0.11, 0.07), (0.02, 0.015, 0.012), (0.55, 0.53, 0.48), (0.62, 0.60, 0.55), (0.20, 0.17, 0.12), cycle=26.0, speed=15.0),
        "louvres",
    ),
    "in a robe before a bare wall": Passer(
        walker.Person((0.5, 0.33, 0.24), (0.3, 0.2, 0.08), (0.12, 0.18, 0.25), (0.11, 0.17, 0.24), cycle=34.0, speed=9.0, robe=(0.10, 0.16, 0.22)),
        "bare", left=True,
    ),
    "filmed by hand": Passer(
        walker.Person(jacket=(0.35, 0.08, 0.05), trousers=(0.05, 0.06, 0.14), speed=11.0), "louvres", shake=4.0
    ),
    "far off": Passer(
        walker.Person(jacket=(0.05, 0.12, 0.30), apron=(0.05, 0.11, 0.28), trousers=(0.30, 0.28, 0.24), cycle=28.0, speed=13.0),
        "louvres", left=True, size=0.5,
    ),
    "dark before dark leaves": Passer(
        walker.Person(jacket=(0.02, 0.035, 0.022), apron=(0.03, 0.06, 0.03), trousers=(0.02, 0.025, 0.02), boot=(0.015, 0.015, 0.015), cycle=32.0, speed=8.0),
        "leaves", shade=0.1,
    ),
}  # fmt: skip
"""The first three were used to fit doubts of whole figures (`core/outline/doubts`); the others are kept aside."""


@cache
def wall(name: str) -> Layer:
    """What is behind, linear (h, w, 3): louvres over a rough floor, a bare wall, or the walker's leaves."""
    height, width = scene.HEIGHT, scene.WIDTH
    if name == "leaves":
        return walker.back("leaves")
    if name == "bare":
        across, down = np.linspace(0, 1, width)[None, :], np.linspace(0, 1, height)[:, None]
        bare = (0.22 + 0.12 * across - 0.08 * down)[..., None] * np.array([0.85, 0.95, 1.0])
        bare[600:] *= 0.6
        return np.asarray(bare, np.float32)
    rng = np.random.default_rng(5)
    rows = np.arange(height)[:, None]
    slats = np.repeat(0.16 + 0.10 * np.sign(np.sin(rows * 2 * np.pi / 17)) + 0.02 * np.sin(rows / 40), width, 1)
    picture = slats.astype(np.float32)[..., None] * np.array([1.0, 0.92, 0.8], np.float32)
    stains = cv2.GaussianBlur(rng.standard_normal((height, width)).astype(np.float32), (0, 0), 3)
    picture *= 1 + 0.1 * (stains / stains.std())[..., None]
    picture[:, ::160] *= 0.4
    grit = cv2.GaussianBlur(rng.standard_normal((height - 560, width)).astype(np.float32), (0, 0), 1.2)
    picture[560:] = np.array([0.10, 0.09, 0.085]) * (1 + 0.6 * grit[..., None])
    return np.asarray(np.clip(cv2.GaussianBlur(picture, (0, 0), 0.8), 0.003, 1), np.float32)


def passed(index: int, name: str) -> walker.Walked:
    """Frame `index` (0-based, of FRAMES) of one of PASSERS."""
    passer, at = PASSERS[name], index + FIRST
    seen = walker.walk(at, passer.back, passer.shade, passer.who, wall(passer.back))

    def filmed(picture: NDArray[np.uint8], border: int) -> NDArray[np.uint8]:
        out: NDArray[Any] = picture[:, ::-1] if passer.left else picture
        if passer.shake:
            size = (out.shape[1], out.shape[0])
            out = cv2.warpAffine(out, _held(at, passer.shake, size), size, flags=cv2.INTER_CUBIC, borderMode=border)
        if passer.size != 1:
            out = cv2.resize(out, None, fx=passer.size, fy=passer.size, interpolation=cv2.INTER_AREA)
        return np.ascontiguousarray(out, np.uint8)

    return walker.Walked(
        filmed(seen.plate, cv2.BORDER_REFLECT),
        filmed(seen.whole, cv2.BORDER_CONSTANT),
        {name: filmed(part, cv2.BORDER_CONSTANT) for name, part in seen.parts.items()},
    )


def _held(at: int, shake: float, size: tuple[int, int]) -> NDArray[np.float64]:
    """How a camera in the hand has moved on a frame, (2, 3)."""
    across = shake * (np.sin(at * 0.37) + 0.5 * np.sin(at * 0.91 + 1))
    down = shake * 0.6 * (np.sin(at * 0.29 + 2) + 0.5 * np.sin(at * 1.1))
    turn = np.radians(0.0375 * shake * np.sin(at * 0.23))
    matrix = np.array([[np.cos(turn), -np.sin(turn), across], [np.sin(turn), np.cos(turn), down]])
    centre = np.array(size) / 2
    matrix[:, 2] += centre - matrix[:, :2] @ centre
    return matrix
