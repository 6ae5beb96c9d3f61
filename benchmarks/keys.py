"""Keying the demo's presenter and coloured glass against their exact mattes, and how long it takes.

Green and blue with the same settings, beside a one-colour key with the local backing and closed form (pymatting) in the
same soft band.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.table import Row
from tests.core.keying.scene import off, stage
from tests.demo.presented import Presented, presented, waving
from wiseglove.core.compositing.colour import encode, to_working
from wiseglove.core.keying.band import band_of, solved_in_band
from wiseglove.core.keying.clean import Steps, clean
from wiseglove.core.keying.closed_form import estimate_alpha_cf
from wiseglove.core.keying.enlarge import enlarged
from wiseglove.core.keying.key import Keyer, finished, key, sampled, subject
from wiseglove.core.matte.combine import outline_matte
from wiseglove.core.matte.coverage import Box
from wiseglove.demo import footage, presenter, scene

Picture = NDArray[np.float32]
FRAMES = (3, 8, 20, 27, 41)
WAVED = (
    (0, "as hers", 1.0),
    (2, "as hers", 1.0),
    (16, "fair", 1.0),
    (0, "dark", 1.0),
    (8, "gloved", 0.5),
    (9, "fair", 0.7),
)
PARTS = {
    "blur": "motion-blurred arm and hand",
    "hair": "hair",
    "edge": "other edges",
    "blade": "shiny trowel",
    "solid": "solid inside",
    "clear": "clear backing",
}


def run() -> list[Row]:
    """All of them."""
    return [*_accuracy(), *_waving(), *_glass(), *_enlarged(), *_speed()]


def _excess(picture: Picture, main: int) -> Picture:
    """By how much the main channel of a picture (h, w, 3) exceeds both others, (h, w)."""
    return np.asarray(picture[..., main] - np.delete(picture, main, axis=2).max(axis=2), np.float32)


def _one_colour(f: Presented, backing: Picture) -> Picture:
    """Smith and Blinn's difference with the local backing and nothing else."""
    main = f.keyer.main
    back = np.maximum(_excess(backing, main), 1e-4)
    return np.asarray(np.clip(1 - _excess(f.picture, main) / back, 0, 1), np.float32)


def _closed_form(f: Presented, alpha: Picture) -> Picture:
    """Closed form alone in the band of a matte, what is outside taken as known."""
    trimap = np.where(band_of(alpha), 0.5, np.round(alpha)).astype(np.float64)
    return np.asarray(estimate_alpha_cf(np.clip(f.picture, 0, 1).astype(np.float64), trimap), np.float32)


def _accuracy() -> list[Row]:
    rows = []
    for backing in ("green", "blue"):
        errors: dict[str, list[tuple[float, ...]]] = {part: [] for part in PARTS}
        seconds = []
        for f in (presented(index, backing) for index in FRAMES):
            keyed = key(f.picture, f.keyer, core=f.core)
            helped = finished(keyed.alpha, f.core, f.garbage)
            begin = time.perf_counter()
            solved = solved_in_band(f.picture, helped)
            seconds.append(time.perf_counter() - begin)
            mattes = (
                helped, key(f.picture, f.keyer).alpha, solved, _one_colour(f, keyed.backing), _closed_form(f, helped)
            )  # fmt: skip
            for part, found in errors.items():
                found.append(tuple(f.off(alpha, part) for alpha in mattes))
        for part, title in PARTS.items():
            helped_, alone, solved_, plain, closed = np.mean(errors[part], axis=0)
            peer = f"one colour {plain:.3f}, closed form {closed:.3f}"
            name = f"key, {backing}: {title}"
            rows.append(Row(f"{name}, with core and garbage", helped_, "", f"key.{part}:helped", peer))
            if part != "blade":
                rows.append(Row(f"{name}, alone", alone, "", f"key.{part}:alone", peer))
            if part in ("blur", "hair", "edge"):
                rows.append(Row(f"{name}, soft edge solved", solved_, "", None, peer))
        rows.append(Row(f"solving the soft edge, {backing}, 720p", float(np.median(seconds)), "s", None, ""))
    return rows


def _waving() -> list[Row]:
    """An open hand whose finger tips move up to 40 px within the shutter. The gloved one and frame 9 were kept out of tuning."""
    rows = []
    for backing in ("green", "blue"):
        found: dict[str, list[float]] = {"blur": [], "edge": [], "solid": []}
        plain: dict[str, list[float]] = {part: [] for part in found}
        for index, skin, speed in WAVED:
            f = waving(index, backing, skin, speed)
            keyed = key(f.picture, f.keyer)
            for part, errors in found.items():
                errors.append(f.off(keyed.alpha, part))
                plain[part].append(f.off(_one_colour(f, keyed.backing), part))
        for part, errors in found.items():
            name = f"key, {backing}: fast open hand, {PARTS[part]}, alone"
            rows.append(
                Row(
                    f"{name}, mean",
                    float(np.mean(errors)),
                    "",
                    f"key.waving:{part}",
                    f"one colour {np.mean(plain[part]):.3f}",
                )
            )
            rows.append(Row(f"{name}, worst", float(np.max(errors)), "", None, ""))
    return rows


def _glass() -> list[Row]:
    taken = [footage.render_coloured(index) for index in (24, 33, 42)]
    box = Box(0, 0, scene.WIDTH, scene.HEIGHT)
    found, plain = [], []
    for frame in taken:
        glass = outline_matte(np.pad(frame.corners, ((0, 0), (0, 6)))[None], box) > 0.999
        picture = np.asarray(to_working(frame.plate, True), np.float32)
        keyer = Keyer(sampled([picture[300:360, 330:390]]))
        truth = frame.hand / np.float32(255)
        keyed = key(picture, keyer)
        found.append(float(np.abs(keyed.alpha - truth)[glass].mean()))
        back = np.maximum(_excess(keyed.backing, keyer.main), 1e-4)
        simple = np.clip(1 - _excess(picture, keyer.main) / back, 0, 1)
        plain.append(float(np.abs(simple - truth)[glass].mean()))
    peer = f"one colour {np.mean(plain):.3f}"
    return [Row("holdout over coloured glass, no cover drawn", float(np.mean(found)), "", "key.glass", peer)]


def _enlarged() -> list[Row]:
    rows = []
    for backing in ("green", "blue"):
        picture, truth, _ = stage(backing, seed=8)
        plate = np.asarray(encode(np.clip(picture, 0, 1)), np.float32)
        height, width = truth.shape
        small = np.asarray(cv2.resize(truth, (width // 2, height // 2), interpolation=cv2.INTER_AREA), np.float32)
        band = cv2.dilate(((truth > 0.02) & (truth < 0.98)).astype(np.float32), np.ones((3, 3)))
        plain = off(np.asarray(cv2.resize(small, (width, height)), np.float32), truth, band)
        cubic = np.clip(cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC), 0, 1)
        share = off(enlarged(small, plate), truth, band) / plain
        peer = f"cubic {off(np.asarray(cubic, np.float32), truth, band) / plain:.2f}"
        rows.append(
            Row(
                f"half-size matte on its plate, {backing}: error by that of plain enlarging",
                share,
                "",
                "key.enlarged",
                peer,
            )
        )
    return rows


def _median(work: Callable[[], object], times: int = 7) -> float:
    """Milliseconds, the median of some."""
    work()
    found = []
    for _ in range(times):
        begin = time.perf_counter()
        work()
        found.append((time.perf_counter() - begin) * 1000)
    return float(np.median(found))


def _speed() -> list[Row]:
    taken = presenter.film(20, "green", 1.5)
    picture = np.asarray(to_working(taken.plate, True), np.float32)
    keyer = Keyer(sampled([picture[225:340, 450:540]]))
    steps = Steps(holes=12, specks=8, grow=-0.4, soften=0.7, contrast=0.2)
    core = np.asarray(cv2.erode(taken.alpha, np.ones((15, 15), np.uint8)), np.float32)

    def chain() -> None:
        keyed = key(picture, keyer, core=core)
        alpha = finished(clean(keyed.alpha, steps), core, None)
        subject(picture, alpha, keyed.backing, keyer)

    def sequence() -> float:
        """Milliseconds for each frame of a sequence, two frames at a time, as `wiseglove key` does it."""
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(lambda _: chain(), range(2)))
            begin = time.perf_counter()
            list(pool.map(lambda _: chain(), range(12)))
            return (time.perf_counter() - begin) * 1000 / 12

    shown = np.round(np.sqrt(np.clip(picture, 0, 1)) * 255).astype(np.uint8)
    peer = f"OpenCV's bilateral filter alone {_median(lambda: cv2.bilateralFilter(shown, 5, 11.0, 1.4)):.0f} ms"
    small = np.asarray(cv2.resize(taken.alpha, (960, 540), interpolation=cv2.INTER_AREA), np.float32)
    plate = np.asarray(to_working(taken.plate, False), np.float32)
    return [
        Row("key alone at 1080p", _median(lambda: key(picture, keyer)), "ms", None, peer),
        Row(
            "key, all clean-up, core and the subject's colours at 1080p, a frame of a sequence",
            sequence(),
            "ms",
            "key.sequence",
            peer,
        ),
        Row("the same, a single frame from start to end", _median(chain), "ms", "key.frame", peer),
        Row("half-size matte to 1080p, edge-led", _median(lambda: enlarged(small, plate)), "ms", None, ""),
    ]


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
