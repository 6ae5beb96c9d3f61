"""Judging a picture that sits in: rows, cached pictures, versions of a large shot, and a long strip, beside the display."""

from __future__ import annotations

import time
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from playwright.sync_api import Page

from benchmarks.table import Row
from tests.builders import ffmpeg
from tests.e2e import crowd, feel
from tests.e2e.bench import Bench
from tests.e2e.stage import ROOT, chromium, staged
from tests.e2e.test_sitting import with_pane
from wiseglove.demo import install
from wiseglove.settings import Settings
from wiseglove.store.cluster import temporary_cluster
from wiseglove.store.database import Database

LONG, LANES, COVERS = 3000, 40, 60


def _put_in_long(database: Database, settings: Settings) -> None:
    with TemporaryDirectory() as folder:
        movie = Path(folder) / "long.mp4"
        ffmpeg(
            "-f", "lavfi", "-i", "testsrc2=size=320x180:rate=25", "-frames:v", str(LONG), "-pix_fmt", "yuv420p",
            "-preset", "ultrafast", movie,
        )  # fmt: skip
        install.take_in_movie(database, settings, movie, "Long")


def run() -> list[Row]:
    """Everything that is measured in the browser."""
    with (
        temporary_cluster() as cluster,
        staged(cluster, ROOT / ".run" / "footage", more=_put_in_long) as server,
        chromium() as browser,
    ):
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address)
        context.add_init_script("localStorage.setItem('wiseglove.ahead', 'off')")
        page = context.new_page()
        return [*_versions(page), *_cached(page), *_row(page), *_strip(page)]


def _took(page: Page, what: str, address: str, **more: object) -> float:
    start = time.perf_counter()
    answer = getattr(page.request, what)(address, **more)
    assert answer.ok, answer.text()
    return (time.perf_counter() - start) * 1000


def _versions(page: Page) -> list[Row]:
    shot = crowd.crowd(page, "Panel tap", COVERS, 8)
    address = f"/api/shots/{shot}"
    made = [_took(page, "post", f"{address}/versions", data={"name": f"Pass {n}"}) for n in range(7)]
    opened = [_took(page, "get", f"{address}/versions/{n}") for n in range(1, 8)]
    as_shot = float(np.median([_took(page, "get", address) for _ in range(7)]))
    bare = float(np.median([_took(page, "get", "/healthz") for _ in range(7)]))
    peer = f"an answer about the server's health {bare:.0f} ms"
    return [
        Row(f"a version of a shot with {COVERS} covers, kept", float(np.median(made)), "ms", "versions.made", peer),
        Row("  opened", float(np.median(opened)), "ms", None, f"the shot itself {as_shot:.0f} ms"),
    ]


def _cached(page: Page) -> list[Row]:
    bench = Bench.open(page)
    shot = bench.shot["id"]
    frames = range(1001, 1061)
    rendered, kept = (
        np.median(
            [
                _took(page, "get", f"/api/shots/{shot}/looks/composite/{f}", headers={"Cache-Control": "no-cache"})
                for f in frames
            ]
        )
        for _ in range(2)
    )
    return [
        Row(
            "a composite at viewer size that is kept on disk",
            float(kept),
            "ms",
            "looks.kept",
            f"rendered {rendered:.0f} ms",
        )
    ]


def _row(page: Page) -> list[Row]:
    bench = with_pane(lambda name, fresh: Bench.open(page, name, fresh))
    page.get_by_role("button", name="Sit in", exact=True).last.click()
    bench.last_done("Changed sitting in of Pane")
    bench.settled()
    times = page.evaluate(feel.SLIDE, ["[data-row=Opacity] input[type=range]", 20, 4, 16])[1:]
    return [
        Row(
            "a row's slider to the picture, 720p, sat in, median",
            float(np.median(times)),
            "ms",
            "sit.slider",
            "display 16.7 ms a frame",
        )
    ]


ZOOM = """async ([x, y]) => {
    const strip = document.querySelector('[data-testid=strip]');
    const times = [];
    const frame = () => new Promise(done => requestAnimationFrame(done));
    let last = await frame();
    for (let i = 0; i < 120; i += 1) {
        const deltaY = i % 60 < 30 ? -60 : 60;
        strip.dispatchEvent(new WheelEvent('wheel', { deltaY, ctrlKey: true, clientX: x, clientY: y, bubbles: true, cancelable: true }));
        const now = await frame();
        times.push(now - last);
        last = now;
    }
    return times;
}"""


def _strip(page: Page) -> list[Row]:
    page.goto(f"/shots/{crowd.crowd(page, 'Long', LANES, 60)}")
    bench = Bench(page)
    bench.settled()
    page.wait_for_timeout(3000)
    box = page.get_by_test_id("strip").bounding_box()
    assert box
    times = page.evaluate(ZOOM, [box["x"] + box["width"] / 3, box["y"] + 40])[5:]
    what = f"display frame while the strip zooms, {LANES} lanes, {LONG} frames, median"
    return [
        Row(
            what,
            float(np.median(times)),
            "ms",
            "strip.zoom",
            f"95th of 100 {np.percentile(times, 95):.0f} ms; the display's own 16.7 ms",
        )
    ]


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
