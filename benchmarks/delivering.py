"""How fast deliveries are rendered, what the check of them costs, and the memory of a worker at 4K.

A 1080p H.264 plate of 100 frames; eight outlines of 24 points, about 300 by 400 px, that move and are blurred by the shutter;
a pane with the demo's dashboard, or with a clip of its own size, twice as dense as the pane. The peers are the same PNG or EXR files written by OpenCV alone, and libx264 alone.
"""

from __future__ import annotations

import multiprocessing
import os
import resource
import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import numpy as np

from benchmarks.table import Row
from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.parallel import use_workers
from wiseglove.core.warm import warm_up
from wiseglove.delivery import readback
from wiseglove.delivery.opened import Shot
from wiseglove.delivery.preset import Item, Preset
from wiseglove.delivery.run import chunk_into, key_of
from wiseglove.demo import inserts
from wiseglove.media.encode import MovieWriter, png
from wiseglove.shot.basics import PaneKey, new_id
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Cover, Element, Insert, Key, Outline, Pane

COUNT, DENSE = 100, 40
PANE = ((480.0, 240.0), (1500.0, 260.0), (1480.0, 820.0), (500.0, 800.0))


def _plate(folder: Path, wide: int, high: int, count: int) -> Path:
    """Soft shapes that drift, with grain."""
    rng = np.random.default_rng(3)
    soft = cv2.resize(
        rng.integers(30, 220, (9, 16, 3)).astype(np.uint8), (wide + 200, high), interpolation=cv2.INTER_CUBIC
    )
    grain = rng.integers(0, 3, (4, high, wide, 1)).astype(np.uint8)
    folder.mkdir(exist_ok=True)
    path = folder / "plate.mp4"
    with MovieWriter(path, wide, high, Fraction(25)) as writer:
        for i in range(count):
            writer.write(soft[:, i : i + wide] + grain[i % 4])
    return path


def _shot(folder: Path, wide: int, high: int, count: int, covers: int, dense: bool = False) -> Shot:
    """A shot of a plate with covers that move, before a pane with the demo's dashboard, or with the plate itself."""
    shot = Shot.new(str(_plate(folder, wide, high, count)), folder / "s.json", "Bench")
    plate, depth = shot.document.plate, []
    after: dict[str, Element | None] = {}
    scale = high / 1080
    for number in range(covers):
        cover, outline = new_id(), new_id()
        keys = []
        for frame in (plate.first, plate.first + count // 2, plate.last):
            x = (250 + 1400 * (number % 8) / 8 + 0.8 * (frame - plate.first)) * scale
            points = ellipse(x, (300 + 60 * (number % 9)) * scale, 150 * scale, 200 * scale)
            ring = np.repeat(points, 6, axis=0)
            at = np.linspace(0, 2 * np.pi, 24, endpoint=False)
            ring[:, :2] = np.stack([x + 150 * scale * np.cos(at), points[0, 1] + 200 * scale * np.sin(at)], axis=1)
            ring[:, 2:] = 0
            keys.append(Key(frame=frame, points=[tuple(p) for p in ring.tolist()]))  # type: ignore[misc]
        after[outline] = Outline(id=outline, cover=cover, kinds=["free"] * 24, keys=keys)
        after[cover] = Cover(id=cover, name=f"Cover {number}", colour="#56b4e9", outlines=[outline], shutter=180.0)
        depth.append(cover)
    corners = tuple((x * scale, y * scale) for x, y in PANE)
    pane, shown = new_id(), plate.media
    if not dense:
        with_insert = Shot.new(str(inserts.render(folder / "inserts")["dashboard"]), folder / "s.json")
        shown = with_insert.document.plate.media
        shot.media.update(with_insert.media)
    after[pane] = Pane(
        id=pane, name="Screen", colour="#0f6a62", keys=[PaneKey(frame=plate.first, corners=corners)],  # type: ignore[arg-type]
        insert=Insert(source="media", media=shown, start=plate.first),
    )  # fmt: skip
    after["settings"] = shot.evaluated.settings.model_copy(update={"depth": [*depth, pane]})
    shot.document = shot.document.with_elements(after)
    shot.evaluated = EvaluatedShot.of(shot.document)
    shot.save()
    return shot


def _timed(shot: Shot, folder: Path, item: Item) -> tuple[float, float]:
    """Seconds of a delivery, and of them those that its check takes."""
    spent = 0.0
    real = readback.check

    def clocked(*args: Any, **words: Any) -> list[str]:
        nonlocal spent
        began = time.perf_counter()
        found = real(*args, **words)
        spent = time.perf_counter() - began
        return found

    readback.check = clocked
    began = time.perf_counter()
    try:
        shot.deliver(Preset(name="Bench", items=[item]), folder)
    finally:
        readback.check = real
    took = time.perf_counter() - began
    shutil.rmtree(folder)
    return took, spent


def _worker(path: Path, first: int, step: int, place: str) -> None:
    """A machine of one core: also what libraries do by themselves in threads stays on it."""
    cores = sorted(os.sched_getaffinity(0))
    os.sched_setaffinity(0, {cores[first % len(cores)]})
    use_workers(1)
    cv2.setNumThreads(1)
    shot = Shot.open(path)
    plan = shot.plan(Preset(name="Bench", items=[Item(what="composite", form="png8")]))
    for number in range(first, len(plan.chunks), step):
        chunk_into(
            shot.evaluated,
            plan,
            plan.chunks[number],
            shot.pictures,
            Path(place) / key_of(shot.evaluated, plan),
            lambda n: None,
        )


@dataclass(frozen=True)
class _Two:
    """Seconds of two processes with a core each, one after the other (so that each core is used by one alone) and at once.

    wall: as the clock has it, which on a shared machine holds what others take; worked: as the processor has it.
    """

    wall: tuple[float, float]
    worked: tuple[float, float]

    @property
    def said(self) -> str:
        """How many times as much they do at once, by the clock and by the processor."""
        return f"{self.wall[0] / self.wall[1]:.2f} times, by the processor's time {2 * self.worked[0] / self.worked[1]:.2f}"


def _two(target: Callable[..., None], arguments: list[tuple[Any, ...]]) -> _Two:
    context = multiprocessing.get_context("spawn")

    def run_at_once(some: list[tuple[Any, ...]]) -> tuple[float, float]:
        before, began = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
        crowd = [context.Process(target=target, args=each) for each in some]
        for process in crowd:
            process.start()
        for process in crowd:
            process.join()
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        return time.perf_counter() - began, after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime

    apart = np.sum([run_at_once([each]) for each in arguments], axis=0)
    together = run_at_once([(*each[:-1], f"{each[-1]} again") for each in arguments])
    return _Two((apart[0], together[0]), (apart[1], together[1]))


def _counting(core: int, home: str) -> None:
    """What two cores give at the most: a loop that only counts."""
    cores = sorted(os.sched_getaffinity(0))
    os.sched_setaffinity(0, {cores[core % len(cores)]})
    total = 0
    for i in range(20_000_000):
        total += i * i


def _large(path: Path, out: Path, queue: Any) -> None:
    shot = Shot.open(path)
    shot.deliver(Preset(name="Bench", items=[Item(what="union", form="png8")]), out)
    # Not ru_maxrss, which a process inherits from the one that began it.
    highest = next(row for row in Path("/proc/self/status").read_text().splitlines() if row.startswith("VmHWM"))
    queue.put(int(highest.split()[1]) * 1024)


def run() -> list[Row]:
    """All rows."""
    rows = []
    with TemporaryDirectory() as scratch:
        folder = Path(scratch)
        shot = _shot(folder, 1920, 1080, COUNT, 8)
        shot.matte(shot.frames[0])
        for name, item, goal, peer in (
            ("union of 8 covers, PNG 8", Item(what="union", form="png8"), "deliver.png", _png_alone(shot)),
            ("8 covers as channels, EXR half", Item(what="cover", form="exr-half", together="channels"), "deliver.exr", _exr_alone(shot)),
            ("composite, mp4, the demo's dashboard", Item(what="composite", form="mp4"), "deliver.mp4", _x264_alone(shot)),
        ):  # fmt: skip
            took, checked = _timed(shot, folder / "out", item)
            rows.append(Row(f"delivery at 1080p: {name}", COUNT / took, "frames/s", goal, peer))
            rows.append(
                Row(f"its check: {name}", 100 * checked / (took - checked), "%", "deliver.check", f"{checked:.2f} s")
            )
        took, _ = _timed(
            _shot(folder / "dense", 1920, 1080, DENSE, 8, True), folder / "out", Item(what="composite", form="mp4")
        )
        rows.append(
            Row(
                "  with a clip of its own size in the pane",
                DENSE / took,
                "frames/s",
                None,
                "twice as dense as the pane",
            )
        )
        two = _two(_worker, [(folder / "s.json", i, 2, str(folder / "home")) for i in (0, 1)])
        most = _two(_counting, [(0, ""), (1, "")])
        peer = f"{two.said}; loops that only count {most.said}"
        rows.append(Row("two workers against one, composite", two.wall[0] / two.wall[1], "times", "deliver.two", peer))
    with TemporaryDirectory() as scratch:
        shot = _shot(Path(scratch), 3840, 2160, 6, 60)
        context = multiprocessing.get_context("spawn")
        queue = context.Queue()
        process = context.Process(target=_large, args=(shot.path, Path(scratch) / "out", queue))
        process.start()
        process.join()
        rows.append(
            Row(
                "matte of 60 covers at 4K, memory at most",
                queue.get() / 1e9,
                "GB",
                "deliver.memory",
                "two frames at once",
            )
        )
    return rows


def _png_alone(shot: Shot) -> str:
    pixels = np.round(shot.matte(1010) * 255).astype(np.uint8)
    began = time.perf_counter()
    for _ in range(10):
        png(pixels)
    return f"OpenCV's PNG alone, one thread: {10 / (time.perf_counter() - began):.0f}"


def _exr_alone(shot: Shot) -> str:
    import OpenEXR

    matte = shot.matte(1010).astype(np.float16)
    began = time.perf_counter()
    for _ in range(3):
        OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION}, {f"c{i}": matte for i in range(8)}).write("/dev/null")
    return f"OpenEXR alone, whole windows: {3 / (time.perf_counter() - began):.1f}"


def _x264_alone(shot: Shot) -> str:
    pixels = (shot.composite(1010) * 255).astype(np.uint8)
    with TemporaryDirectory() as scratch:
        began = time.perf_counter()
        with MovieWriter(Path(scratch) / "a.mp4", 1920, 1080, shot.document.plate.rate) as writer:
            for _ in range(20):
                writer.write(pixels)
        return f"libx264 alone, a still: {20 / (time.perf_counter() - began):.0f}"


if __name__ == "__main__":
    from benchmarks.table import show

    warm_up()
    show(run())
