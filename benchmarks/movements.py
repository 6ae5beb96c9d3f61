"""How many keys moving fingers need: greedy keying of the demo's own joints, beside plain linear in-betweening."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
import shapely

from benchmarks.table import Row
from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.motion.joint import Jointed, shares, weights_beyond
from wiseglove.core.motion.path import Motion
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.demo.drawing import around_joints, finger
from wiseglove.demo.movements import FRAMES, MOVEMENTS, joints_at

TAPPING = (("index", 0), ("index", 40), ("middle", 0), ("ring", 20), ("little", 40))
"""Finger and first frame of 60 of the demo shot: quick taps before a camera that is held by hand."""
CLOSE = 1.0
KNOWN_TO = 0.3
"""Pixels to which the limbs' motions are known where a finger rides on them."""

Shapes = np.ndarray


def keys_needed(truth: Shapes, between: Callable[[list[int]], Shapes]) -> int:
    """Keys that greedy keying sets, always on the worst frame, until each one is within CLOSE on the mean."""
    chosen = [0, FRAMES - 1]
    lines = [shapely.LineString(flatten(shape, 0.02)) for shape in truth]
    while True:
        errors = [
            float(shapely.distance(line, shapely.points(flatten(shape, 0.1))).mean())
            for line, shape in zip(lines, between(chosen), strict=True)
        ]
        if max(errors) <= CLOSE:
            return len(chosen)
        chosen = sorted({*chosen, int(np.argmax(errors))})


def linearly(truth: Shapes, chosen: list[int]) -> Shapes:
    """Peer: every number of the chosen frames by itself, in a straight line."""
    flat = truth[chosen].reshape(len(chosen), -1)
    times = np.arange(FRAMES)
    return np.stack([np.interp(times, chosen, column) for column in flat.T], axis=1).reshape(truth.shape)


def beside(what: str, ours: list[int], linear: list[int], goal: str | None) -> Row:
    """Keys needed, as a share of the peer's."""
    peer = f"plain linear {sum(linear)} ({', '.join(map(str, linear))}); here {sum(ours)} ({', '.join(map(str, ours))})"
    return Row(what, sum(ours) / sum(linear), "", goal, peer)


def run() -> list[Row]:
    """The sum over five movements, and over the tapping hand of the demo shot."""
    moving = [np.stack([around_joints(*joints_at(m, f)) for f in range(FRAMES)]) for m in MOVEMENTS]
    tapping = [np.stack([finger(first + f, name) for f in range(FRAMES)]) for name, first in TAPPING]
    return [
        _row("keys for five finger movements at 1 px, share of linear", moving, "keys.needed"),
        _row("keys for the demo shot's quick fingers, share of linear", tapping, None),
        _jointed(),
    ]


def limb(start: np.ndarray, end: np.ndarray) -> Motion:
    """The motion of a limb between two joints, (T, 2) each: a similarity, known to KNOWN_TO."""
    way = (end - start) @ (1, 1j)
    across = way * 0.3j
    begin = start @ (1, 1j)
    corners = np.stack([begin + across, begin + way + across, begin + way - across, begin - across], axis=1)
    quads = np.stack([corners.real, corners.imag], axis=-1)
    noise = np.random.default_rng(7).normal(0, KNOWN_TO / np.sqrt(2), quads.shape)
    return Motion(quads[0], 0, quads + noise * (np.arange(FRAMES) > 0)[:, None, None])


def jointed(joints: np.ndarray, shape: np.ndarray) -> Jointed:
    """A finger of joints (T, 4, 2), riding on its three limbs; a joint is drawn across each bend on the first frame."""
    motions = tuple(limb(joints[:, k], joints[:, k + 1]) for k in range(3))
    beyond = []
    for k in (1, 2):
        way = joints[0, k + 1] - joints[0, k - 1]
        across = np.array([way[1], -way[0]])  # so that the tip lies to its right
        beyond.append(weights_beyond(shape[:, :2], np.stack([joints[0, k] - across, joints[0, k] + across]), 30.0))
    return Jointed(motions, 0.0, shares(beyond))


def _jointed() -> Row:
    times = np.arange(FRAMES, dtype=np.float64)
    ours, linear = [], []
    for movement in MOVEMENTS:
        joints = np.stack([joints_at(movement, f)[0] for f in range(FRAMES)])
        truth = np.stack([around_joints(*joints_at(movement, f)) for f in range(FRAMES)])
        rides = jointed(joints, truth[0])
        stored = np.stack([rides.back(f, truth[f]) for f in range(FRAMES)])

        def riding(chosen: list[int], stored: Shapes = stored, rides: Jointed = rides) -> Shapes:
            animation = Animation(times[chosen], stored[chosen], ("smooth",) * len(chosen))
            return rides.carry(times, in_between(animation, times))

        ours.append(keys_needed(truth, riding))
        linear.append(keys_needed(truth, partial(linearly, truth)))
    return beside("keys for bending fingers on joints, share of linear", ours, linear, "keys.jointed")


def _row(what: str, movements: list[Shapes], goal: str | None) -> Row:
    times = np.arange(FRAMES, dtype=np.float64)
    ours, linear = [], []
    for truth in movements:
        knuckle = truth[0, [0, -1], :2].mean(axis=0)
        pivot = (float(knuckle[0]), float(knuckle[1]))

        def smoothly(chosen: list[int], truth: Shapes = truth, pivot: tuple[float, float] = pivot) -> Shapes:
            return in_between(Animation(times[chosen], truth[chosen], ("smooth",) * len(chosen), pivot), times)

        ours.append(keys_needed(truth, smoothly))
        linear.append(keys_needed(truth, partial(linearly, truth)))
    return beside(what, ours, linear, goal)
