"""How few points a drawn line needs, on the edge of the demo's whole index finger."""

from __future__ import annotations

import cv2
import numpy as np

from benchmarks.table import Row, typical
from tests.e2e.stage import ROOT
from wiseglove.core.geometry.fitting import evened, fit_closed
from wiseglove.demo.install import read_truth

FRAMES = (20, 45, 70, 90)
TOLERANCE = 1.0


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
    ]
