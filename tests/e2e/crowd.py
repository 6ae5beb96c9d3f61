"""Shots with very many outlines, for measuring what they cost."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import Page

from tests.e2e.bench import Bench
from wiseglove.shot.keys import as_points

POINTS = 24


def crowd(page: Page, name: str, outlines: int, keys: int, soft: float = 0.0) -> str:
    """A fresh shot on a plate with so many covers of one outline each, spread over the picture; its id."""
    source = next(s["id"] for s in page.request.get("/api/shots").json() if s["name"] == name)
    shot = page.request.post(f"/api/shots/{source}/fresh").json()
    plate = shot["plate"]
    across = int(np.ceil(np.sqrt(outlines * plate["width"] / plate["height"])))
    step = plate["width"] / across
    frames = np.unique(np.linspace(plate["first"], plate["first"] + plate["count"] - 1, keys).round().astype(int))
    for index in range(outlines):
        centre = ((index % across + 0.5) * step, (index // across + 0.5) * step)
        body = {
            "type": "paste",
            "what": {
                "cover": {"kind": "cover", "id": "x", "name": "Leaf", "colour": "#56b4e9", "outlines": ["o"]},
                "outlines": [
                    {
                        "kind": "outline",
                        "id": "o",
                        "cover": "x",
                        "kinds": ["smooth"] * POINTS,
                        "keys": [
                            {"frame": int(f), "points": as_points(leaf(centre, step * 0.4, 0.05 * k, soft))}
                            for k, f in enumerate(frames)
                        ],
                    }
                ],
            },
        }
        answer = page.request.post(f"/api/shots/{shot['id']}/edits", data={"revision": index, "edit": body})
        assert answer.ok, answer.text()
    return str(shot["id"])


def leaf(centre: tuple[float, float], radius: float, turn: float, soft: float) -> np.ndarray:
    """A wavy round outline of 24 points."""
    angle = np.arange(POINTS) / POINTS * 2 * np.pi
    far = radius * (1 + 0.12 * np.cos(5 * angle))
    places = np.array(centre) + far[:, None] * np.stack([np.cos(angle + turn), np.sin(angle + turn)], axis=1)
    chord = np.roll(places, -1, axis=0) - np.roll(places, 1, axis=0)
    return np.concatenate([places, -chord / 6, chord / 6, np.full((POINTS, 2), soft)], axis=1)


FRAME_TIMES = """() => { window.__frames = []; let last = performance.now();
    const tick = now => { window.__frames.push(now - last); last = now; window.__raf = requestAnimationFrame(tick); };
    window.__raf = requestAnimationFrame(tick); }"""


def dragging(bench: Bench, look: str) -> tuple[list[float], list[float]]:
    """Drag a point in circles: times between the display's frames, and from the pointer to the new matte."""
    page = bench.page
    shot = bench.whole
    outline = shot.outlines_of(shot.covers[0])[0]
    page.get_by_test_id(f"card-{shot.covers[0].name}").click()
    bench.press(look)
    bench.settled()
    x, y, *_ = outline.keys[0].points[0]
    page.mouse.move(*bench.place(x, y))
    page.mouse.down()
    page.mouse.move(*bench.place(x + 6, y), steps=3)
    page.wait_for_timeout(300)
    bench.forget_measures()
    page.evaluate(FRAME_TIMES)
    for angle in np.linspace(0, 4 * np.pi, 120):
        page.mouse.move(*bench.place(x + 20 * np.sin(angle), y + 20 * np.cos(angle)))
        page.wait_for_timeout(10)
    frames: list[float] = page.evaluate("() => { cancelAnimationFrame(window.__raf); return window.__frames; }")
    times = bench.measures("live-look")
    page.mouse.up()
    return frames, times


OPENED = """path => new Promise(done => {
    const start = performance.now();
    history.pushState(null, "", path);
    dispatchEvent(new PopStateEvent("popstate"));
    const shown = () => requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - start)));
    new MutationObserver((_, observer) => {
        if (!document.querySelector("[data-testid=drawing] path")) return;
        observer.disconnect();
        shown();
    }).observe(document.body, { childList: true, subtree: true });
})"""
"""Goes to a shot from the list: milliseconds until the display's frame after the one on which its lines are drawn."""


def handling(page: Page, shot: str) -> tuple[float, float, float]:
    """Opening a shot until its lines are shown, one edit, and its undo, in milliseconds."""
    page.goto("/")
    page.wait_for_timeout(300)
    opened = page.evaluate(OPENED, f"/shots/{shot}")
    bench = Bench(page)
    page.wait_for_timeout(3000)
    page.locator("[data-testid^=card-Leaf]").first.click()
    revision = bench.shot["revision"]
    spans = []
    for key, shown in (("ArrowRight", revision + 1), ("Control+z", revision + 2)):
        start = page.evaluate("() => performance.now()")
        bench.press(key)
        bench.shows(shown, every=5)
        spans.append(page.evaluate("() => performance.now()") - start)
    return opened, spans[0], spans[1]
