"""Measures of what the hand feels, shared by the tests and the benchmarks. All times in milliseconds."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from playwright.sync_api import Page

from tests.e2e.bench import Bench

POINTS = 24


def draw_blob(bench: Bench, centre: tuple[float, float], radius: float, count: int = 8) -> None:
    """A round outline, drawn with the pen by clicks, its first point on top."""
    bench.press("p")
    for angle in np.arange(count) / count * 2 * np.pi:
        bench.click(centre[0] + radius * np.sin(angle), centre[1] - radius * np.cos(angle))
    bench.press("Enter")
    bench.last_done("Drew Cover")


def drag_latency(bench: Bench, look: str) -> list[float]:
    """From the pointer's event to the picture with the new matte, while the top point of a 24-point outline of
    about 400 x 500 px goes round in front of a pane, on the plate at hand."""
    page = bench.page
    if look == "4":
        bench.press("n")
        for corner in ((500, 250), (1400, 260), (1390, 900), (510, 880)):
            bench.click(*corner)
        bench.last_done("Placed Pane")
    bench.press("p")
    for angle in np.arange(POINTS) / POINTS * 2 * np.pi:
        bench.click(960 + 200 * np.sin(angle), 540 - 250 * np.cos(angle))
    bench.press("Enter")
    bench.last_done("Drew Cover")
    bench.press(look)
    bench.settled()
    page.mouse.move(*bench.place(960, 290))
    page.mouse.down()
    page.mouse.move(*bench.place(965, 280), steps=3)
    page.wait_for_timeout(400)
    bench.forget_measures()
    for angle in np.linspace(0, 4 * np.pi, 120):
        page.mouse.move(*bench.place(960 + 60 * np.sin(angle), 290 - 40 * np.cos(angle)))
        page.wait_for_timeout(12)
    page.wait_for_timeout(300)
    times = bench.measures("live-look")
    page.mouse.up()
    return times


def stepping(bench: Bench) -> tuple[list[float], list[float]]:
    """Steps to frames that are decoded already, and jumps to frames that nobody has asked for."""
    page = bench.page

    def step(key: str) -> float:
        bench.forget_measures()
        bench.press(key)
        page.wait_for_function("() => performance.getEntriesByName('step', 'measure').length > 0")
        return bench.measures("step")[0]

    def jump(frame: int) -> float:
        bench.forget_measures()
        bench.frame(frame)
        page.wait_for_function("() => performance.getEntriesByName('step', 'measure').length > 0")
        return bench.measures("step")[0]

    uncached = []
    for frame in (1030, 1060, 1090, 1045, 1075, 1015, 1099, 1052):
        uncached.append(jump(frame))
        bench.settled()
    bench.frame(1040)
    bench.settled()
    page.wait_for_timeout(500)
    cached = [step(key) for key in "ddddaaaadddaaa"]
    return cached, uncached


class Playback(NamedTuple):
    """What was seen of a playback: frames shown, frames passed over, and how long that took."""

    frames: int
    dropped: int
    seconds: float

    @property
    def rate(self) -> float:
        """Shown frames a second."""
        return self.frames / self.seconds


PLAYED = """milliseconds => new Promise(done => {
    const picture = document.querySelector('[data-testid=picture]');
    const passed = () => Number(picture.dataset.dropped);
    let last = picture.dataset.frame, frames = 0;
    const start = performance.now(), before = passed();
    const look = now => {
        if (picture.dataset.frame !== last) { frames += 1; last = picture.dataset.frame; }
        if (now - start < milliseconds) requestAnimationFrame(look);
        else done([frames, passed() - before, (performance.now() - start) / 1000]);
    };
    requestAnimationFrame(look);
})"""

TURNED = """passes => new Promise(done => {
    const picture = document.querySelector('[data-testid=picture]');
    let last = Number(picture.dataset.frame), turns = 0;
    const look = () => {
        const frame = Number(picture.dataset.frame);
        if (frame < last) turns += 1;
        last = frame;
        if (turns < passes) requestAnimationFrame(look); else done();
    };
    requestAnimationFrame(look);
})"""


def playback(bench: Bench, passes: int = 2) -> Playback:
    """What is shown and what is passed over in 8 s, after so many passes in which pictures are brought.

    All three numbers are read in the page at one moment: what lies between two questions to it would be counted once only.
    """
    bench.press("Space")
    bench.page.evaluate(TURNED, passes)
    frames, dropped, seconds = bench.page.evaluate(PLAYED, 8000)
    bench.press("Space")
    return Playback(int(frames), int(dropped), float(seconds))


def opening(page: Page) -> float:
    """From the click on the demo's card until its picture is there and the pen's first point is taken."""
    page.goto("/")
    card = page.get_by_test_id("shot-Panel tap").first.get_by_role("link").first
    card.wait_for()
    page.wait_for_timeout(300)
    start = page.evaluate("() => performance.timeOrigin + performance.now()")
    card.click()
    page.wait_for_selector('[data-testid=picture][data-frame="1001"]')
    bench = Bench(page)
    bench.press("p")
    bench.click(300, 300)
    page.get_by_text("Go on clicking or dragging").wait_for()
    return float(page.evaluate("() => performance.timeOrigin + performance.now()") - start)


SLIDE = """async ([which, low, step, count]) => {
    const track = document.querySelector(which);
    const picture = document.querySelector('[data-testid=picture]');
    const put = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
    const frame = () => new Promise(done => requestAnimationFrame(done));
    const times = [];
    for (let i = 0; i < count; i += 1) {
        const start = performance.now();
        put.call(track, String(low + step * i));
        track.dispatchEvent(new Event('input', { bubbles: true }));
        await frame();
        while (picture.dataset.settled !== 'true') await frame();
        times.push(performance.now() - start);
        await new Promise(done => setTimeout(done, 60));
    }
    return times;
}"""
"""Moves a slider from a value on, and waits for the picture each time: milliseconds."""


def sliding(bench: Bench, count: int = 16) -> list[float]:
    """From a slider's move to the new matte at the viewer's size, for a subject with clean-up and 720p plate."""
    bench.press("y")
    bench.drag((300, 150), (360, 230))
    bench.last_done("Made Subject")
    for step in ("Remove specks", "Shrink or grow"):
        box = bench.page.get_by_label(step, exact=True)
        box.click()
        bench.last_done("Changed clean-up")
    bench.settled()
    times: list[float] = bench.page.evaluate(SLIDE, ['[aria-label="Low end, track"]', 0.05, 0.01, count])
    return times[1:]  # the first one prepares the frame


FIRST_FRAME = """() => new Promise(done => {
    const shown = document.querySelector('[data-testid=frame]');
    const before = shown.textContent;
    let pressed = 0;
    document.addEventListener('click', () => { pressed = performance.now(); }, { once: true, capture: true });
    new MutationObserver((_, watching) => {
        if (shown.textContent === before) return;
        watching.disconnect();
        requestAnimationFrame(() => done(performance.now() - pressed));
    }).observe(shown, { childList: true, characterData: true, subtree: true });
})"""


def first_solved(bench: Bench) -> float:
    """Milliseconds from pressing Solve all to the first newly solved frame on the page; solving is stopped then."""
    page = bench.page
    bench.press("m")
    bench.drag((400, 200), (860, 500))
    bench.last_done("Drew Carrier")
    page.wait_for_timeout(300)
    page.evaluate(f"() => {{ window.firstSolved = ({FIRST_FRAME})(); }}")
    page.get_by_role("button", name="Solve all").click()
    spent: float = page.evaluate("() => window.firstSolved")
    page.get_by_role("button", name="Stop, keep what is there").click()
    page.get_by_role("button", name="Solve all").wait_for()
    return spent
