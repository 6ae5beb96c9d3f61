"""What is known of a frame's motion, how far it can be trusted, and why not more."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.motion.align import Fit

Matrix = NDArray[np.float64]
Status = Literal["solved", "unsure", "lost", "bridged", "held"]
THRESHOLDS = {"deviation": 0.35, "agreement": 0.5, "spread": 0.45, "correlation": 0.93}


@dataclass(frozen=True)
class Point:
    """Where a point is seen on a frame, and whether it is."""

    x: float
    y: float
    status: Status
    confidence: float


@dataclass(frozen=True)
class Place:
    """A frame's motion from the reference (None where it is lost), how far to trust it, and why not more."""

    frame: int
    matrix: Matrix | None
    status: Status
    confidence: float
    parts: dict[str, float] = field(default_factory=dict)
    reason: str = ""
    points: dict[str, Point] = field(default_factory=dict)
    """Where it is put together from points: each of them."""


Around = Mapping[int, Matrix]
"""Motions of neighbouring frames, by their distance in frames."""


def from_before(last: Matrix | None) -> Around:
    """The frame before as the only neighbour; none where it has no place."""
    return {} if last is None else {-1: last}


def around_of(known: Mapping[int, Place], frame: int) -> dict[int, Matrix]:
    """The two neighbours on each side of a frame that have a place."""
    near = {k: known[frame + k].matrix for k in (-2, -1, 1, 2) if frame + k in known}
    return {k: matrix for k, matrix in near.items() if matrix is not None}


def confidence_of(parts: dict[str, float]) -> tuple[float, str]:
    """0..1 with one half where a frame stops being sure, and the part that is weakest."""
    if not parts:
        return 0.0, "agreement"
    wide = _wide(parts)
    enough = 0.5 - (0.5 - WIDELY["agreement"]) * wide
    deviation = THRESHOLDS["deviation"] + (WIDELY["deviation"] - THRESHOLDS["deviation"]) * wide
    marks = {
        "deviation": _by_deviation(parts["deviation"], deviation),
        "agreement": np.interp(parts["agreement"], [0.15, enough, 0.9], [0, 0.5, 1]),
        "spread": np.interp(parts["spread"], [0.1, 0.45, 0.8], [0, 0.5, 1]),
        "correlation": np.interp(parts["correlation"], [0.75, 0.93, 0.99], [0, 0.5, 1]),
        "reduction": np.interp(parts.get("reduction", 1.0), [1, 6.5, 10], [1, 0.5, 0]),
    }
    weakest = min(marks, key=lambda name: float(marks[name]))
    return float(marks[weakest]), weakest


WIDELY = {"deviation": 0.6, "agreement": 0.4}
"""The same where many blocks all over the patch agree and look alike, as on real footage: compression and a face that is
not quite flat make each of them differ a little, and the whole is no less sure for it."""


def _wide(parts: dict[str, float]) -> float:
    """How far many blocks all over the patch agree and look alike, 0..1."""
    spread = np.interp(parts["spread"], [0.75, 0.85], [0, 1])
    alike = np.interp(parts["correlation"], [0.94, 0.955], [0, 1])
    many = np.interp(parts.get("blocks", 0.0) * parts["agreement"], [25, 40], [0, 1])
    return float(spread * alike * many)


def _by_deviation(deviation: float, threshold: float) -> float:
    """0.5 at its threshold; beyond it slowly down: what agrees all over is followed, if only to a pixel or two."""
    if deviation <= threshold:
        return float(0.5 ** (deviation / threshold))
    return float(np.interp(deviation, [threshold, 1.0, FOLLOWED, 3.0], [0.5, 0.25, 0.15, 0.0]))


FOLLOWED = 2.0
"""Deviation in px of the worst corner up to which a patch that is seen is followed, not lost."""
SMEARED, NOISY = 4.0, 7.0
"""Pixels of blur that take fine texture away, and grey levels of noise that drown it."""


def judged(frame: int, fit: Fit, smear: float = 0.0) -> Place:
    """The verdict on a fit; smear: pixels that the patch goes while the shutter is open."""
    confidence, weakest = confidence_of(fit.parts)
    reason = "" if confidence >= 0.5 else why(fit.parts, weakest, smear)
    if confidence >= 0.5:
        return Place(frame, fit.matrix, "solved", confidence, fit.parts)
    if confidence >= 0.15:
        return Place(frame, fit.matrix, "unsure", confidence, fit.parts, reason)
    return Place(frame, None, "lost", confidence, fit.parts, reason)


def why(parts: dict[str, float], weakest: str, smear: float = 0.0) -> str:
    """What a person would call it: covered, frame (leaving it), edge-on, fast, noise, texture or light."""
    if not parts:
        return "covered"
    if parts["inside"] < 0.45:
        return "frame"
    if parts["seen"] < 0.5 * parts["inside"]:
        return "covered"
    if parts.get("reduction", 1.0) > 4:
        return "edge-on"
    if smear > SMEARED and weakest in ("deviation", "correlation", "agreement"):
        return "fast"
    if parts.get("residual", 0.0) > NOISY and weakest in ("deviation", "correlation"):
        return "noise"
    if parts.get("blocks", 99.0) < 8 or weakest == "deviation":
        return "texture"
    if weakest == "correlation" and parts["agreement"] > 0.6:
        return "light"
    return "covered"
