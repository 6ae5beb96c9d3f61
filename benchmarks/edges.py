"""Soft edges, motion blur and growth of a 24-point outline at 1080p, on one core, beside what OpenCV does for less."""

from __future__ import annotations

import cv2
import numpy as np

from benchmarks.fills import outline
from benchmarks.table import Row, typical
from wiseglove.core.matte.combine import outline_matte, reach_box
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.core.matte.shutter import moments_needed, travel

FRAME = Box(0, 0, 1920, 1080)
TRAVEL = 60.0


def moved(points: np.ndarray, count: int) -> np.ndarray:
    """The outline at `count` moments of an exposure in which it goes 60 px aslant."""
    steps = ((np.arange(count) + 0.5) / count - 0.5)[:, None, None]
    return points + steps * np.array([TRAVEL * 0.8, TRAVEL * 0.6, 0, 0, 0, 0, 0, 0])


def run() -> list[Row]:
    """Times and how far motion blur is from the mean of very many moments."""
    hard = np.concatenate([outline(), np.zeros((24, 2))], axis=1)
    soft = hard.copy()
    soft[:, 6:] = np.random.default_rng(3).uniform(0, 14, (24, 2))
    even = hard.copy()
    even[:, 6:] = 7.0
    box = reach_box(soft[None]).within(FRAME)
    filled = coverage(hard, box)
    gaussian = typical(lambda: cv2.GaussianBlur(filled, (0, 0), 7.0), 30)
    rows = [
        Row(
            "soft edge, bands up to 14 px, 24 points",
            typical(lambda: outline_matte(soft[None], box), 60), "ms", "soft",
            f"Gaussian of one width over the same box {gaussian:.2f} ms",
        ),
        Row("growing it by 0.7 px", typical(lambda: outline_matte(soft[None], box, 1.0, 0.7), 30), "ms", None),
    ]  # fmt: skip
    for what, points, goal in (("a hard edge", hard, "blur.hard"), ("a 14 px soft edge", even, "blur.soft")):
        softness = float(points[:, 6:].sum(axis=1).min())
        needed = moments_needed(travel(moved(points, 5)) * 1.25, softness)
        shapes = moved(points, needed)
        wide = reach_box(shapes).within(FRAME)
        many = np.mean([outline_matte(p[None], wide) for p in moved(points, 600)], axis=0)
        error = 255 * float(np.abs(outline_matte(shapes, wide) - many).max())
        clamped = typical(lambda s=shapes, w=wide: np.mean([outline_matte(p[None], w) for p in s], axis=0), 5)
        spent = typical(lambda s=shapes, w=wide: outline_matte(s, w), 30)
        rows.append(
            Row(
                f"motion blur over 60 px on {what}, {needed} moments",
                spent,
                "ms",
                goal,
                f"moment by moment {clamped:.1f} ms",
            )
        )
        rows.append(Row("  farthest from the mean of 600 moments", error, "/255", "blur.error"))
    return rows
