"""How few points a drawn line needs, on the edge of the demo's whole index finger."""

from __future__ import annotations

import contextlib
from time import perf_counter

import cv2
import numpy as np

from benchmarks.table import Row, typical
from tests.e2e.stage import ROOT
from wiseglove.core.geometry.fitting import TooManyPointsError, evened, fit_closed, fit_sparsely
from wiseglove.demo.install import read_truth

FRAMES = (20, 45, 70, 90)
TOLERANCE = 1.0
LONG_LINE = 10_000


def run() -> list[Row]:
    """Points and time at a tolerance of 1 px; the peer keeps straight sides (Douglas & Peucker 1973, in OpenCV)."""
    counts, sides, lines = [], [], []
    for frame in FRAMES:
        alpha = read_truth(ROOT / ".run" / "footage", frame).parts["index"]
        found, _ = cv2.findContours((alpha > 127).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        contour = max(found, key=cv2.contourArea)
        line = contour[:, 0].astype(np.float64) + 0.5
        lines.append(line)
        counts.append(len(fit_closed(evened(line, TOLERANCE), TOLERANCE).points))
        sides.append(len(cv2.approxPolyDP(contour, TOLERANCE, True)))
    longest = max(lines, key=len)
    time = typical(lambda: fit_closed(evened(longest, TOLERANCE), TOLERANCE), 20)
    peer = f"straight sides need {max(sides)}; the line has {len(longest)} vertices"
    return [
        Row("points that fit a whole finger's edge at 1 px, most of 4 frames", max(counts), "points", "fit", peer),
        Row("fitting it", time, "ms", None),
        Row(f"a drawn line of {LONG_LINE} places, the slowest of many", _long_lines(), "ms", "fit.long"),
    ]


def _long_lines() -> float:
    """A trembling loop, a spiral and a scribble, each at many tolerances, none seen before."""
    random = np.random.default_rng(1)
    angle = np.linspace(0, 2 * np.pi, LONG_LINE, endpoint=False)
    round_ = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    turns = np.stack([angle * np.cos(40 * angle), angle * np.sin(40 * angle)], axis=1)
    lines = [
        600 + 300 * round_ + random.normal(0, 0.4, (LONG_LINE, 2)),
        600 + 40 * turns,
        600 + np.cumsum(random.normal(0, 3, (LONG_LINE, 2)), axis=0),
        random.uniform(0, 1000, (LONG_LINE, 2)),
    ]
    slowest = 0.0
    for line in lines:
        for tolerance in (0.5, 1.0, 3.0, 20.0, 100.0):
            start = perf_counter()
            with contextlib.suppress(TooManyPointsError):
                fit_sparsely(line, tolerance, 2000)
            slowest = max(slowest, perf_counter() - start)
    return slowest * 1000
