"""A plate that is shaken, held still."""

from __future__ import annotations

import sys

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.outline.steady import Steady
from wiseglove.core.parallel import each

H, W, MARGIN = 240, 360, 60
RNG = np.random.default_rng(8)
WALL = cv2.GaussianBlur(RNG.uniform(0, 255, (H + 2 * MARGIN, W + 2 * MARGIN, 3)).astype(np.float32), (0, 0), 1.5)
MOVES = RNG.uniform(-6, 6, (40, 2)).cumsum(axis=0) * 0.5


def shaken(frame: int) -> NDArray[np.uint8]:
    x, y = MOVES[frame] - MOVES[0]
    moved = cv2.warpAffine(WALL, np.array([[1, 0, x], [0, 1, y]]), WALL.shape[1::-1], flags=cv2.INTER_LINEAR)
    return np.asarray(np.clip(moved[MARGIN:-MARGIN, MARGIN:-MARGIN], 0, 255), np.uint8)


def test_ways_are_those_of_the_camera_also_when_several_threads_ask_for_other_frames() -> None:
    steady = Steady(shaken, 0, ellipse(180, 120, 30, 40))
    frames = [frame for k in range(1, 20) for frame in (k, 40 - k)]  # from both ends
    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)  # threads take turns as often as they can
    try:
        ways = each(steady.way, frames)
    finally:
        sys.setswitchinterval(before)
    for frame, way in zip(frames, ways, strict=True):
        if np.abs(MOVES[frame] - MOVES[0]).max() < 12:  # nearer than features are looked for
            assert way is not None
            assert np.abs(way[:2, 2] - (MOVES[frame] - MOVES[0])).max() < 0.3, frame
