"""How many keys moving fingers need: greedy keying of the demo's own joints, beside plain linear in-betweening."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely

from benchmarks.table import Row
from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.demo.drawing import around_joints, finger
from wiseglove.demo.movements import FRAMES, MOVEMENTS, joints_at

TAPPING = (("index", 0), ("index", 40), ("middle", 0), ("ring", 20), ("little", 40))
"""Finger and first frame of 60 of the demo shot: quick taps before a camera that is held by hand."""
CLOSE = 1.0

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


def run() -> list[Row]:
    """The sum over five movements, and over the tapping hand of the demo shot."""
    moving = [np.stack([around_joints(*joints_at(m, f)) for f in range(FRAMES)]) for m in MOVEMENTS]
    tapping = [np.stack([finger(first + f, name) for f in range(FRAMES)]) for name, first in TAPPING]
    return [
        _row("keys for five finger movements at 1 px, share of linear", moving, 0.55),
        _row("keys for the demo shot's quick fingers, share of linear", tapping, None),
    ]


def _row(what: str, movements: list[Shapes], goal: float | None) -> Row:
    times = np.arange(FRAMES, dtype=np.float64)
    ours, linear = [], []
    for truth in movements:
        knuckle = truth[0, [0, -1], :2].mean(axis=0)
        pivot = (float(knuckle[0]), float(knuckle[1]))

        def smoothly(chosen: list[int], truth: Shapes = truth, pivot: tuple[float, float] = pivot) -> Shapes:
            return in_between(Animation(times[chosen], truth[chosen], ("smooth",) * len(chosen), pivot), times)

        def linearly(chosen: list[int], truth: Shapes = truth) -> Shapes:
            flat = truth[chosen].reshape(len(chosen), -1)
            return np.stack([np.interp(times, chosen, column) for column in flat.T], axis=1).reshape(truth.shape)

        ours.append(keys_needed(truth, smoothly))
        linear.append(keys_needed(truth, linearly))
    peer = f"plain linear {sum(linear)} ({', '.join(map(str, linear))}); here {sum(ours)} ({', '.join(map(str, ours))})"
    return Row(what, sum(ours) / sum(linear), "", goal, peer)
