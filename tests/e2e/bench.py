"""The workbench as a hand and an eye meet it."""

from __future__ import annotations

import base64
import io
import json
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Shot


class Bench:
    """Positions are plate pixels; the pointer and the keys are the browser's own."""

    def __init__(self, page: Page) -> None:
        self.page = page

    @classmethod
    def open(cls, page: Page, name: str = "Panel tap", fresh: bool = False) -> Bench:
        """Open a shot from the list, or a fresh one on the same plate."""
        if fresh:
            source = next(s["id"] for s in page.request.get("/api/shots").json() if s["name"] == name)
            made = page.request.post(f"/api/shots/{source}/fresh").json()
            page.goto(f"/shots/{made['id']}")
        else:
            page.goto("/")
            page.get_by_test_id(f"shot-{name}").get_by_role("link").first.click()
        page.get_by_test_id("picture").wait_for()
        bench = cls(page)
        bench.settled()
        return bench

    @property
    def shot(self) -> dict[str, Any]:
        """The shot as the server has it."""
        shot_id = self.page.url.split("/shots/")[1].split("/")[0]
        return dict(self.page.request.get(f"/api/shots/{shot_id}").json())

    @property
    def whole(self) -> EvaluatedShot:
        """The shot with the shapes of all keys, as the model has it."""
        state = self.shot
        for element in state["elements"].values():
            if element["kind"] == "outline":
                element["keys"] = self.copy_of(element["id"])["keys"]
        return EvaluatedShot.of(Shot.model_validate(state))

    def elements(self, kind: str) -> list[dict[str, Any]]:
        """All elements of a kind; outlines come with the shapes of their keys."""
        found = [e for e in self.shot["elements"].values() if e["kind"] == kind]
        return [self.copy_of(e["id"]) for e in found] if kind == "outline" else found

    def copy_of(self, outline: str) -> dict[str, Any]:
        """An outline with the shapes of its keys, as copying takes it along."""
        shot_id = self.page.url.split("/shots/")[1].split("/")[0]
        return dict(self.page.request.get(f"/api/shots/{shot_id}/copies/{outline}").json()["outlines"][0])

    def settled(self) -> None:
        """Wait until the picture on screen is the newest one."""
        self.page.evaluate("() => new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")
        self.page.wait_for_selector('[data-testid=picture][data-settled="true"]', timeout=30_000)

    def last_done(self, text: str, patience: float = 60_000) -> None:
        """Wait until the page says what was done; patience in milliseconds: the server may be busy."""
        expect(self.page.get_by_test_id("last-done")).to_contain_text(text, timeout=patience)

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def frame(self, number: int) -> None:
        """Press on the ruler at a frame, as one scrubs."""
        ruler = self.page.get_by_test_id("ruler").bounding_box()
        plate = self.shot["plate"]
        assert ruler
        x = ruler["x"] + (number - plate["first"] + 0.5) / plate["count"] * ruler["width"]
        self.page.mouse.click(x, ruler["y"] + 12)
        expect(self.page.get_by_test_id("frame")).to_have_text(str(number))

    def place(self, x: float, y: float) -> tuple[float, float]:
        """Where a plate position is in the window."""
        box = self.page.get_by_test_id("viewer").bounding_box()
        assert box
        view = json.loads(self.page.get_by_test_id("picture").get_attribute("data-view") or "{}")
        return box["x"] + x * view["zoom"] * view["aspect"] + view["x"], box["y"] + y * view["zoom"] + view["y"]

    def click(self, x: float, y: float, **more: Any) -> None:
        self.page.mouse.click(*self.place(x, y), **more)

    def double_click(self, x: float, y: float) -> None:
        self.page.mouse.dblclick(*self.place(x, y))

    @contextmanager
    def one_change(self) -> Iterator[None]:
        """What is done within makes one edit; wait until the page shows its revision."""
        revision = self.shot["revision"]
        yield
        self.shows(revision + 1)

    def shows(self, revision: int, every: int = 50) -> None:
        """Wait until the page shows a revision, looking `every` so many milliseconds."""
        shown = "r => document.querySelector('[data-testid=revision]').textContent.endsWith(`r${r}`)"
        self.page.wait_for_function(shown, arg=revision, polling=every)  # at each picture would slow what is waited for

    def key_place(self, frame: int, lane: str = "Cover") -> tuple[float, float]:
        """Where a key of a lane lies on the strip; the lane has to tell of that key."""
        row = self.page.get_by_test_id(f"lane-{lane}")
        expect(row).to_have_attribute("aria-label", re.compile(rf": .*\b{frame}\b"))
        box = row.bounding_box()
        plate = self.shot["plate"]
        assert box
        share = (frame - plate["first"] + 0.5) / plate["count"]
        return box["x"] + share * box["width"], box["y"] + box["height"] / 2

    def drag_row(self, row: str, onto: str) -> None:
        """Drag a row of the depth list to where another one is, by their test ids, as one edit."""
        start, end = (self.page.get_by_test_id(name).bounding_box() for name in (row, onto))
        assert start
        assert end
        self.page.mouse.move(start["x"] + 60, start["y"] + start["height"] / 2)
        self.page.mouse.down()
        self.page.mouse.move(end["x"] + 60, end["y"] + end["height"] / 2, steps=12)
        self.page.wait_for_timeout(150)  # as a hand rests before it lets go
        with self.one_change():
            self.page.mouse.up()

    def drag(
        self,
        start: tuple[float, float],
        end: tuple[float, float],
        steps: int = 8,
        via: tuple[float, float] | None = None,
    ) -> None:
        """Press, move and let go; `via` is a detour relative to the end, for ends that are very near."""
        self.page.mouse.move(*self.place(*start))
        self.page.mouse.down()
        if via:
            self.page.mouse.move(*self.place(end[0] + via[0], end[1] + via[1]), steps=4)
        self.page.mouse.move(*self.place(*end), steps=steps)
        self.page.mouse.up()

    def pixels(self) -> np.ndarray:
        """What the picture canvas shows, RGB (H, W, 3)."""
        address: str = self.page.evaluate(
            "() => document.querySelector('[data-testid=picture]').toDataURL('image/png')"
        )
        return np.asarray(Image.open(io.BytesIO(base64.b64decode(address.split(",")[1]))).convert("RGB"))

    def pixel(self, x: float, y: float) -> list[int]:
        """The colour on screen at a plate position."""
        box = self.page.get_by_test_id("viewer").bounding_box()
        assert box
        px, py = self.place(x, y)
        found: list[int] = self.page.evaluate(
            """([x, y]) => {
                const c = document.querySelector('[data-testid=picture]');
                return Array.from(c.getContext('2d').getImageData(Math.round(x), Math.round(y), 1, 1).data).slice(0, 3);
            }""",
            [px - box["x"], py - box["y"]],
        )
        return found

    def measures(self, name: str) -> list[float]:
        """Durations of User Timing measures, in milliseconds."""
        found: list[float] = self.page.evaluate(
            "name => performance.getEntriesByName(name, 'measure').map(m => m.duration)", name
        )
        return found

    def forget_measures(self) -> None:
        self.page.evaluate("() => performance.clearMeasures()")
