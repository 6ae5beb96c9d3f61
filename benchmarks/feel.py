"""What the hand feels, measured in Chromium, beside what the same browser or the same core needs at the least."""

from __future__ import annotations

import json
import urllib.request
from threading import Event, Thread

import numpy as np
from playwright.sync_api import Page

from benchmarks.fills import outline
from benchmarks.table import Row, typical
from tests.e2e import crowd, feel
from tests.e2e.bench import Bench
from tests.e2e.stage import ROOT, chromium, staged
from wiseglove.core.matte.coverage import Box, box_of, coverage
from wiseglove.store.cluster import temporary_cluster

LOOKS = {"2": "matte", "3": "cut-out", "4": "composite"}


def run() -> list[Row]:
    """Everything that is measured in the browser."""
    with (
        temporary_cluster() as cluster,
        staged(cluster, ROOT / ".run" / "footage") as server,
        chromium() as browser,
    ):
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address)
        page = context.new_page()
        solving = _solving(page)  # the first, while nothing in the server is warm
        return [
            *solving,
            *_dragging(page),
            *_judging(page, server.address),
            *_sliding(page),
            *_crowded(page),
            *_stepping(page),
            *_playing(page),
            *_opening(page),
        ]


def _solving(page: Page) -> list[Row]:
    first, *times = (feel.first_solved(Bench.open(page, fresh=True)) for _ in range(6))
    peer = "display 16.7 ms a frame"
    return [
        Row("pressing Solve all to the first new frame, just started", first, "ms", "feel.solve", peer),
        Row("pressing Solve all to the first new frame, later, median", float(np.median(times)), "ms", "feel.solve"),
    ]


def _dragging(page: Page) -> list[Row]:
    points = outline()
    box = box_of(points).within(Box(0, 0, 1920, 1080))
    alone = typical(lambda: coverage(points, box))
    rows = []
    for key, look in LOOKS.items():
        times = feel.drag_latency(Bench.open(page, "Large tap", fresh=True), key)
        peer = f"display 16.7 ms a frame, coverage alone {alone:.2f} ms; {len(times)} answers"
        rows.append(
            Row(f"drag at 1080p to the new {look}, median", float(np.median(times)), "ms", "feel.drag:median", peer)
        )
        rows.append(
            Row(f"drag at 1080p to the new {look}, 95th of 100", float(np.percentile(times, 95)), "ms", "feel.drag:p95")
        )
    return rows


def _judging(page: Page, address: str) -> list[Row]:
    """The same while the server judges a shot that somebody else has open: one's own page asks for nothing while one drags."""
    shot, over, left = crowd.crowd(page, "Large tap", 12, 8), Event(), []
    url = f"{address}/api/shots/{shot}/review?seconds=0.25"

    def judge() -> None:
        """As a page does: a quarter of a second at a time."""
        while not over.wait(0.12):
            with urllib.request.urlopen(url) as answer:
                left.append(json.load(answer)["left"])

    judging = Thread(target=judge)
    bench = Bench.open(page, "Large tap", fresh=True)
    judging.start()
    times = feel.drag_latency(bench, "2")
    over.set()
    judging.join()
    what = "drag at 1080p while another shot is judged, to the new matte"
    peer = f"{left[0] - left[-1]} verdicts meanwhile, {left[-1]} left"
    return [
        Row(f"{what}, median", float(np.median(times)), "ms", "feel.drag:median", peer),
        Row(f"{what}, 95th of 100", float(np.percentile(times, 95)), "ms", "feel.drag:p95"),
    ]


def _sliding(page: Page) -> list[Row]:
    times = feel.sliding(Bench.open(page, "Presented", fresh=True))
    peer = "display 16.7 ms a frame"
    return [
        Row(
            "a key's slider to the new matte at viewer size, median", float(np.median(times)), "ms", "feel.slider", peer
        )
    ]


def _crowded(page: Page) -> list[Row]:
    """40 soft outlines of 24 points while one of them is dragged; 200 with 50 keys each beside five."""
    page.goto(f"/shots/{crowd.crowd(page, 'Large tap', 40, 1, 7.0)}")
    bench = Bench(page)
    bench.settled()
    page.wait_for_timeout(1500)
    frames, times = crowd.dragging(bench, "2")
    rows = [
        Row("display frame while dragging among 40 outlines, median", float(np.median(frames)), "ms", "feel.crowd", f"99th of 100 {np.percentile(frames, 99):.1f} ms; the display's own 16.7 ms"),
        Row("  the dragged soft matte at 1080p, median", float(np.median(times)), "ms", "feel.crowd_matte", f"95th of 100 {np.percentile(times, 95):.0f} ms"),
    ]  # fmt: skip
    five, many = (crowd.crowd(page, "Panel tap", count, 50) for count in (5, 200))
    few = np.min([crowd.handling(page, five) for _ in range(2)], axis=0)
    lots = np.min([crowd.handling(page, many) for _ in range(2)], axis=0)
    for what, here, there in zip(("opening", "an edit", "its undo"), lots, few, strict=True):
        rows.append(
            Row(f"200 outlines of 50 keys: {what}", float(here), "ms", None, f"with five outlines {there:.0f} ms")
        )
    return rows


DECODE = """async url => {
    const blob = await (await fetch(url)).blob();
    const times = [];
    for (let i = 0; i < 20; i += 1) {
        const start = performance.now();
        (await createImageBitmap(blob)).close();
        times.push(performance.now() - start);
    }
    return times.sort((a, b) => a - b)[10];
}"""


def _stepping(page: Page) -> list[Row]:
    bench = Bench.open(page)
    cached, uncached = feel.stepping(bench)
    media = bench.shot["plate"]["media"]
    proxy, full = (page.evaluate(DECODE, f"/api/clips/{media}/{size}/50.jpg") for size in ("proxy", "full"))
    peer = f"decoding its JPEG alone: {proxy:.1f} ms (960 wide), {full:.1f} ms (1280 wide)"
    return [
        Row("step to a cached frame, median", float(np.median(cached)), "ms", "feel.step", "display 16.7 ms a frame"),
        Row("step to a cached frame, worst", float(np.max(cached)), "ms", "feel.step"),
        Row("step to an uncached frame, median", float(np.median(uncached)), "ms", "feel.jump", peer),
        Row("step to an uncached frame, worst", float(np.max(uncached)), "ms", "feel.jump"),
    ]


def _playing(page: Page) -> list[Row]:
    rows = []
    for key, look in (("1", "plate"), ("4", "composite")):
        bench = Bench.open(page)
        bench.press(key)
        bench.settled()
        seen = feel.playback(bench)
        rows.append(
            Row(f"playing the {look} at 720p, dropped of {seen.frames}", seen.dropped, "frames", "feel.dropped")
        )
        rows.append(Row(f"playing the {look} at 720p, rate", seen.rate, "f/s", "feel.rate", "plate 25 f/s"))
    return rows


def _opening(page: Page) -> list[Row]:
    times = [feel.opening(page) for _ in range(5)]
    page.goto("/")
    bare = page.evaluate("() => { const n = performance.getEntriesByType('navigation')[0]; return n.duration; }")
    peer = f"loading the list's page {bare:.0f} ms"
    return [Row("opening the demo shot until it is drawn on, median", float(np.median(times)), "ms", "feel.open", peer)]
