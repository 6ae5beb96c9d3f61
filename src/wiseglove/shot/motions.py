"""A carrier's motion, from what was solved, set by hand and corrected."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.motion.path import Motion, path, smoothed
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.shot.basics import Ease, Plate
from wiseglove.shot.model import Carrier, HandKey

Array = NDArray[np.float64]
SHAPED_BY = ("at", "base", "smoothing", "solved", "bridge", "corrections")
"""The fields of a carrier that its motion depends on."""


def motion_of(carrier: Carrier, plate: Plate) -> Motion:
    """The carrier's motion over the whole plate."""
    base = np.array(carrier.base, np.float64)
    known = {s.frame: np.array(s.corners, np.float64) for s in carrier.solved if s.corners is not None}
    known.setdefault(carrier.at, base)
    if carrier.smoothing:
        known = smoothed(known, carrier.smoothing)
    by_hand = {k.frame: np.array(k.corners, np.float64) for k in carrier.bridge}
    frames = range(plate.first, plate.last + 1)
    quads = path(frames, known, by_hand, {k.frame: k.ease for k in carrier.bridge})
    if carrier.corrections:
        quads = quads + corrected_by(carrier.corrections, np.arange(frames.start, frames.stop, dtype=np.float64))
    return Motion(base, plate.first, quads)


def moves_alike(one: Carrier, other: Carrier) -> bool:
    """Whether two states of a carrier hold the very same motion; False where that would have to be worked out."""
    return all(
        getattr(one, name) is getattr(other, name) or getattr(one, name) == getattr(other, name) for name in SHAPED_BY
    )


def known_frames(carrier: Carrier) -> list[int]:
    """The frames on which a carrier's motion is solved or set by hand, in order."""
    return sorted({carrier.at, *(s.frame for s in carrier.solved if s.corners), *(k.frame for k in carrier.bridge)})


def known_span(carrier: Carrier) -> tuple[int, int]:
    """First and last of them."""
    frames = known_frames(carrier)
    return frames[0], frames[-1]


def corrected_by(corrections: list[HandKey], frames: Array) -> Array:
    """How far corrections move the base corners on frames (T,): (T, 4, 2), blended smoothly between their knots."""
    moves = np.stack([np.array(k.corners, np.float64) for k in corrections])
    points = np.concatenate([moves, np.zeros((len(moves), 4, 6))], axis=2)
    if len(moves) == 1:
        return np.repeat(moves, len(frames), axis=0)
    out = np.empty((len(frames), 4, 2))
    times = np.array([k.frame for k in corrections], np.float64)
    eases: tuple[Ease, ...] = tuple("smooth" for _ in times)
    for corner in range(4):  # each by itself, so that no turn is made of four small moves
        single = Animation(times, points[:, corner : corner + 1], eases)
        out[:, corner] = in_between(single, frames)[:, 0, :2]
    return out
