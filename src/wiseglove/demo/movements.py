"""Movements of single gloved fingers, with their exact outlines: truth for in-betweening.

The fingers are those of the demo's hand; only their joints, the hand's turn and its place change, as smoothly as
muscles move them (Flash & Hogan 1985: least jerk between rests).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wiseglove.demo import scene

Array = NDArray[np.float64]
FRAMES = 60
DISTANCE = 0.52
"""From the lens to the knuckle, in metres."""


@dataclass(frozen=True)
class Movement:
    """A finger's bends (degrees, at its three joints) and the hand's turn (degrees) and shift (metres) over frames."""

    name: str
    finger: str
    bends: Callable[[float], tuple[float, float, float]]
    turn: Callable[[float], float]
    shift: Callable[[float], tuple[float, float]]


def _eased(frame: float, start: float, end: float) -> float:
    """0 before a span of frames, 1 after it, with least jerk in between."""
    t = min(max((frame - start) / (end - start), 0.0), 1.0)
    return float(t**3 * (10 - 15 * t + 6 * t * t))


def _there_and_back(frame: float, start: float, middle: float, end: float) -> float:
    return _eased(frame, start, middle) - _eased(frame, middle, end)


def _wave(frame: float, period: float, phase: float = 0.0) -> float:
    return float(np.sin(2 * np.pi * (frame / period + phase)))


MOVEMENTS = (
    Movement(
        "tap twice", "index",
        lambda f: tuple(12 + a * (_there_and_back(f, 4, 16, 28) + _there_and_back(f, 32, 44, 56)) for a in (34, 22, 12)),  # type: ignore[arg-type, return-value]
        lambda f: 4 * _wave(f, 90),
        lambda f: (0.010 * _wave(f, 120), 0.004 * _wave(f, 75)),
    ),
    Movement(
        "curl", "middle",
        lambda f: tuple(6 + a * _eased(f, 2, 56) for a in (58, 76, 42)),  # type: ignore[arg-type, return-value]
        lambda f: -8 * _eased(f, 0, 59),
        lambda f: (0.012 * _eased(f, 0, 59), 0.0),
    ),
    Movement(
        "beckon", "index",
        lambda f: tuple(20 + a * (1 - np.cos(2 * np.pi * f / 30)) / 2 for a in (18, 52, 34)),
        lambda f: 3 * _wave(f, 60),
        lambda f: (0.0, 0.006 * _wave(f, 100)),
    ),
    Movement(
        "sweep", "ring",
        lambda f: tuple(10 + a * _wave(f, 80) for a in (5, 4, 3)),  # type: ignore[arg-type, return-value]
        lambda f: 34 * _there_and_back(f, 2, 30, 58),
        lambda f: (0.05 * _there_and_back(f, 2, 30, 58), -0.012 * _eased(f, 10, 50)),
    ),
    Movement(
        "grip and let go", "little",
        lambda f: tuple(8 + a * (_eased(f, 6, 24) - _eased(f, 36, 54)) for a in (48, 62, 36)),  # type: ignore[arg-type, return-value]
        lambda f: 10 * _eased(f, 6, 54),
        lambda f: (-0.014 * _eased(f, 0, 59), 0.008 * _wave(f, 110)),
    ),
)  # fmt: skip


def joints_at(movement: Movement, frame: float) -> tuple[Array, Array]:
    """Places on a 1280 x 720 picture of the joints from knuckle to tip (4, 2), and their radii there in pixels (4,)."""
    knuckle, lengths, radii = scene.FINGERS[movement.finger]
    chain, _ = scene.finger_chain(np.array(knuckle), lengths, movement.bends(frame))
    chain = chain - np.array(knuckle)
    turn = np.radians(movement.turn(frame))
    # Seen from the thumb's side, a little from above: towards the fingers is left, towards the palm is down.
    side = np.array([[0.30, -0.95, 0.0], [0.18, 0.05, -0.98], [0.93, 0.30, 0.19]])
    seen = chain @ side.T
    flat = seen[:, :2] @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    flat = flat + np.array(movement.shift(frame))
    scale = scene.FOCAL / (DISTANCE + seen[:, 2])
    return flat * scale[:, None] + (700.0, 330.0), np.array(radii) * scale
