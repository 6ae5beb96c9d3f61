"""A shot as large as they come: 4K, 2 000 frames, 60 covers that ride on 10 carriers. What it takes to open and work on it.

The plate's pictures are twenty, each of them seen a hundred times, so that making them takes seconds and not an hour; nothing that
is measured knows that.
"""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page

from benchmarks.table import Row
from tests.e2e import crowd
from tests.e2e.bench import Bench
from tests.e2e.stage import Server, chromium
from wiseglove.media import clip
from wiseglove.media.encode import png
from wiseglove.media.info import MediaInfo
from wiseglove.shot.edits import AddCarrier, AddCover, KeepSolution, OutlineDraft, Ride, SetKeys
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import SolvedFrame
from wiseglove.store import clips, shots
from wiseglove.store.cluster import temporary_cluster
from wiseglove.store.database import Database, migrate

WIDTH, HEIGHT, FRAMES, FIRST = 3840, 2160, 2000, 1001
PICTURES = 20
COVERS, CARRIERS, KEYS = 60, 10, 40
CLIP = "1a" * 12


def run() -> list[Row]:
    """Opening, stepping, dragging, and how much memory server and worker take meanwhile."""
    files = Path(tempfile.mkdtemp(prefix="wiseglove-large-"))
    with temporary_cluster() as cluster, chromium() as browser:
        cluster.ensure_database("large")
        url = cluster.url("large")
        migrate(url)
        server = Server(url, files)
        try:
            shot = _make(url, files)
            server.start()
            context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address)
            rows = _handled(context.new_page(), shot, server)
        finally:
            server.stop()
            shutil.rmtree(files, ignore_errors=True)
    return rows


def _make(url: str, files: Path) -> str:
    _write_plate(files / "media" / CLIP)
    database = Database(url)
    about = clip.read_info(files / "media" / CLIP)
    with database.transaction() as session:
        clips.add(session, CLIP, about)
        shot = shots.create(session, "Long night", clips.plate_of(CLIP, about)).id
    across = int(np.ceil(np.sqrt(COVERS * WIDTH / HEIGHT)))
    step = WIDTH / across
    frames = np.linspace(FIRST, FIRST + FRAMES - 1, KEYS).round().astype(int).tolist()
    for index in range(CARRIERS):
        _add_carrier(database, shot, index)
    for index in range(COVERS):
        centre = ((index % across + 0.5) * step, (index // across + 0.5) * step)
        shapes = {f: as_points(crowd.leaf(centre, step * 0.4, 0.05 * k, 6.0)) for k, f in enumerate(frames)}
        draft = OutlineDraft(kinds=["smooth"] * crowd.POINTS, points=shapes[FIRST])
        outline = f"leaf{index}"
        for edit in (
            AddCover(type="add-cover", frame=FIRST, outline=draft, outline_id=outline, name=f"Leaf {index}"),
            SetKeys(type="set-keys", outline=outline, shapes=shapes),
            Ride(type="ride", elements=[outline], carrier=f"panel{index % CARRIERS}"),
        ):
            with database.transaction() as session:
                shots.apply(session, shot, None, edit)
    database.close()
    return shot


def _add_carrier(database: Database, shot: str, index: int) -> None:
    left, top = 200.0 + 330 * index, 500.0
    base = ((left, top), (left + 300, top), (left + 300, top + 200), (left, top + 200))
    patch = [(x, y, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0) for x, y in base]
    drift = np.cumsum(np.random.default_rng(index).normal(0, 0.4, (FRAMES, 4, 2)), axis=0) * 0.1
    places = [
        SolvedFrame(
            frame=FIRST + n, corners=tuple((x + dx, y + dy) for (x, y), (dx, dy) in zip(base, drift[n].tolist(), strict=True)),  # type: ignore[arg-type]
            status="solved", confidence=0.9,
        )
        for n in range(FRAMES)
    ]  # fmt: skip
    for edit in (
        AddCarrier(type="add-carrier", frame=FIRST, patch=patch, id=f"panel{index}"),
        KeepSolution(type="keep-solution", carrier=f"panel{index}", places=places),
    ):
        with database.transaction() as session:
            shots.apply(session, shot, None, edit)


def _write_plate(folder: Path) -> None:
    for name in ("source", "full", "proxy"):
        (folder / name).mkdir(parents=True)
    noise = np.random.default_rng(2)
    base = cv2.resize(noise.integers(20, 200, (54, 96, 3), np.uint8), (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    for number in range(PICTURES):
        grain = noise.normal(0, 4, (HEIGHT, WIDTH, 1))
        pixels = np.clip(np.roll(base, 3 * number, axis=1) + grain, 0, 255).astype(np.uint8)
        clip.write_display(folder, number, pixels)
        (folder / "source" / f"{number:06d}.png").write_bytes(png(pixels))
    for number in range(PICTURES, FRAMES):
        for place in (clip.full_path, clip.proxy_path):
            os.link(place(folder, number % PICTURES), place(folder, number))
    about = MediaInfo(
        kind="sequence", name="Long night", files=[f"{n:06d}.png" for n in range(PICTURES)], width=WIDTH, height=HEIGHT,
        count=FRAMES, first=FIRST, numbers=[n % PICTURES for n in range(FRAMES)], codec="png",
    )  # fmt: skip
    (folder / "clip.json").write_text(about.model_dump_json())


def _handled(page: Page, shot: str, server: Server) -> list[Row]:
    opened = [_open(page, shot) for _ in range(3)]
    bench = Bench(page)
    bench.settled()
    page.wait_for_timeout(3000)
    far = [_step(bench, lambda f=f: bench.frame(f)) for f in (1800, 1200, 2500, 2990, 1500, 2200)]
    bench.settled()
    page.wait_for_timeout(1000)
    near = [_step(bench, lambda k=k: bench.press(k)) for k in "ddddaaaaddaa"]
    bench.frame(FIRST)
    bench.settled()
    frames, times = crowd.dragging(bench, "2")
    page.wait_for_timeout(1000)
    _solve(page, shot)
    served, worked = (_most_memory(pid) for pid in server.pids)
    return [
        Row("4K, 2 000 frames, 60 covers, 10 carriers: opening until it is drawn, first", opened[0] / 1000, "s", "large.open", f"again {min(opened[1:]) / 1000:.2f} s"),
        Row("  step to a cached frame, median", float(np.median(near)), "ms", "feel.step"),
        Row("  step to an uncached frame, median", float(np.median(far)), "ms", "feel.jump"),
        Row("  display frame while dragging, median", float(np.median(frames)), "ms", "feel.crowd"),
        Row("  the dragged matte at viewer size, median", float(np.median(times)), "ms", "feel.drag:median"),
        Row("  the dragged matte, 95th of 100", float(np.percentile(times, 95)), "ms", "feel.drag:p95"),
        Row("  the most memory that the server took", served, "GB", "large.server"),
        Row("  the most memory that the worker took, solving", worked, "GB", "large.worker"),
    ]  # fmt: skip


def _open(page: Page, shot: str) -> float:
    page.goto("/")
    page.wait_for_timeout(300)
    return float(page.evaluate(crowd.OPENED, f"/shots/{shot}"))


def _step(bench: Bench, move) -> float:  # type: ignore[no-untyped-def]
    bench.forget_measures()
    move()
    bench.page.wait_for_function("() => performance.getEntriesByName('step', 'measure').length > 0")
    return bench.measures("step")[0]


def _solve(page: Page, shot: str) -> None:
    asked = page.request.post(f"/api/shots/{shot}/carriers/panel0/solve", data={"first": FIRST, "last": FIRST + 59})
    job = asked.json()
    while True:
        found = next(j for j in page.request.get(f"/api/jobs?shot={shot}").json() if j["id"] == job["id"])
        if found["state"] in ("done", "failed", "cancelled"):
            assert found["state"] == "done", found["message"]
            return
        page.wait_for_timeout(500)


def _most_memory(pid: int) -> float:
    """Peak resident memory of a process in GB (proc(5), status, VmHWM)."""
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmHWM"):
            return int(line.split()[1]) * 1024 / 1e9
    raise RuntimeError(f"process {pid} is not there")
