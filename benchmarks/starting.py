"""Covers to begin with: hands found on the rendered glove, how near their joints and outlines are, and how long it takes.

The demo's plate as it is was looked at in tuning; dim, blurred, small, mirrored and strongly compressed ones were not.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from benchmarks.table import Row
from benchmarks.truth import FOOTAGE, plates
from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.starters.hand import HandFinder
from wiseglove.core.starters.outlines import FINGERS, starters_of
from wiseglove.demo import scene
from wiseglove.demo.install import read_truth

MODELS = Path(__file__).resolve().parents[1] / "web" / "dist" / "models"
EVERY = 7
Picture = np.ndarray


def _compressed(picture: Picture) -> Picture:
    _, packed = cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, 12])
    return np.asarray(cv2.imdecode(packed, cv2.IMREAD_COLOR))


SMALL = 0.45
VARIED: dict[str, Callable[[Picture], Picture]] = {
    "at a third of the light": lambda p: np.round(255 * (p / 255.0) ** 1.7 * 0.45).astype(np.uint8),
    "out of focus by 5 px": lambda p: cv2.GaussianBlur(p, (0, 0), 5.0),
    "smeared over 25 px": lambda p: cv2.blur(p, (25, 1)),
    "strongly compressed": _compressed,
    "mirrored": lambda p: np.ascontiguousarray(p[:, ::-1]),
    "small": lambda p: cv2.resize(p, None, fx=SMALL, fy=SMALL, interpolation=cv2.INTER_AREA),
}


def _place(name: str, joints: np.ndarray) -> np.ndarray:
    """Where true joints are on a varied picture."""
    if name == "mirrored":
        return np.stack([scene.WIDTH - joints[:, 0], joints[:, 1]], axis=1)
    return joints * SMALL if name == "small" else joints


def run() -> list[Row]:
    """All rows."""
    finder, frames = HandFinder(MODELS), plates()
    picked = range(3, len(frames), EVERY)

    def told(name: str, vary: Callable[[Picture], Picture]) -> tuple[float, list[float], float]:
        found, off, times = 0, [], []
        for index in picked:
            picture = vary(frames[index])
            begun = time.perf_counter()
            hands = finder.find(picture)
            times.append(time.perf_counter() - begun)
            if not hands:
                continue
            found += 1
            true = scene.camera_at(index).project(scene.hand_at(index).joints["index"][0])
            joints = hands[0].joints
            palm = float(np.linalg.norm(joints[9] - joints[0]))
            here = joints[list(FINGERS["Index finger"])]
            off.append(float(np.linalg.norm(here - _place(name, true), axis=1).mean()) / palm)
        return 100 * found / len(picked), off, float(np.median(times))

    share, off, seconds = told("", lambda p: p)
    kept = {name: told(name, vary) for name, vary in VARIED.items()}
    worst = min(kept, key=lambda n: kept[n][0])
    insides, times = [], []
    for index in picked:
        (hand, *_) = finder.find(frames[index]) or [None]
        if hand is None:
            continue
        begun = time.perf_counter()
        whole, *_ = starters_of(frames[index], hand)
        times.append(time.perf_counter() - begun)
        drawn = np.zeros(frames[index].shape[:2], np.uint8)
        cv2.fillPoly(drawn, [np.round(flatten(whole.points, 0.5) * 16).astype(np.int32)], 1, shift=4)
        true = read_truth(FOOTAGE, index).hand > 127
        insides.append(100 * float((true & (drawn > 0)).sum() / max(drawn.sum(), 1)))
    return [
        Row("hands found on the rendered glove", share, "%", "start.found", f"{len(picked)} frames"),
        Row("  six ways of making that harder, kept aside", float(np.mean([k[0] for k in kept.values()])), "%", "start.found", f"worst {kept[worst][0]:.0f} %, {worst}"),
        Row("the index finger's joints, mean", float(np.mean(off)), "palms", "start.joints", "against the rendered joints; a palm is from wrist to middle knuckle"),
        Row("  kept aside", float(np.mean([v for k in kept.values() for v in k[1]])), "palms", "start.joints"),
        Row("the whole hand's outline: what is in it that is hand", float(np.mean(insides)), "%", "start.whole", f"worst {min(insides):.0f} %"),
        Row("looking for hands on a 720p frame, median", seconds, "s", "start.seconds", f"and {np.median(times):.1f} s for the outlines of one"),
    ]  # fmt: skip


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
