"""Keying a stage with an exact matte, green and blue with the same settings, beside a key of one colour."""

from __future__ import annotations

import time

import cv2
import numpy as np

from benchmarks.table import Row
from tests.core.keying.scene import off, stage
from wiseglove.core.keying.key import Keyer, difference, finished, key, sampled, subject

GOALS = {
    "blur": (0.06, 0.08),
    "hair": (0.11, 0.12),
    "edge": (0.06, 0.07),
    "solid": (0.002, 0.005),
    "clear": (0.001, 0.002),
}
"""Mean absolute error of the matte that is wanted: with core and garbage, and without."""
TITLES = {
    "blur": "motion-blurred arm",
    "hair": "hair",
    "edge": "other edges",
    "solid": "solid inside",
    "clear": "clear backing",
}


def run() -> list[Row]:
    """All of them."""
    rows = []
    for backing in ("green", "blue"):
        picture, truth, where = stage(backing, seed=11)
        keyer = Keyer(sampled([picture[20:60, 20:60]]))
        alone = key(picture, keyer).alpha
        core = (cv2.erode(truth, np.ones((13, 13), np.uint8)) > 0.99).astype(np.float32)
        garbage = 1 - (cv2.dilate(truth, np.ones((25, 25), np.uint8)) > 0.01).astype(np.float32)
        helped = finished(key(picture, keyer, core=core).alpha, core, garbage)
        whole = np.array(keyer.sample, np.float32)[None, None]
        plain = np.clip(1 - difference(picture, keyer.main, 1.0) / difference(whole, keyer.main, 1.0), 0, 1)
        for part, (with_both, without) in GOALS.items():
            peer = f"one colour {off(plain, truth, where[part]):.3f}"
            title = f"key, {backing}: {TITLES[part]}"
            rows.append(Row(f"{title}, with core and garbage", off(helped, truth, where[part]), "", with_both, peer))
            rows.append(Row(f"{title}, alone", off(alone, truth, where[part]), "", without, peer))
    return [*rows, *_speed()]


def _speed() -> list[Row]:
    picture, _, _ = stage("green")
    picture = np.ascontiguousarray(np.tile(picture, (3, 4, 1))[:1080, :1920])
    keyer = Keyer(sampled([picture[20:60, 20:60]]))
    keyed = key(picture, keyer)
    subject(picture, keyed.alpha, keyed.backing, keyer)
    start = time.perf_counter()
    keyed = key(picture, keyer)
    middle = time.perf_counter()
    subject(picture, keyed.alpha, keyed.backing, keyer)
    end = time.perf_counter()
    shown = np.round(np.sqrt(np.clip(picture, 0, 1)) * 255).astype(np.uint8)
    begin = time.perf_counter()
    cv2.bilateralFilter(shown, 5, 11.0, 1.4)
    peer = f"OpenCV's bilateral filter alone {(time.perf_counter() - begin) * 1000:.0f} ms"
    return [
        Row("key of a frame at 1080p, local backing and own colours", (middle - start) * 1000, "ms", None, peer),
        Row("key and the subject's colours, at 1080p", (end - start) * 1000, "ms", 200, peer),
    ]


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
