"""Pieces of a pane on the strip, folded lanes, and depth blur between two places that are picked."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Locator, expect

from tests.e2e.bench import Bench
from tests.e2e.test_comparing import pane_of, post_edit
from tests.e2e.test_sitting import FACE, pane, with_pane

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]
PIECE = {
    "id": "flash",
    "name": "Flash",
    "source": "solid",
    "colours": ["#e03020", "#e03020"],
    "first": 1020,
    "last": 1049,
    "fade_in": 0,
}


def drag(bench: Bench, what: Locator, dx: float) -> None:
    box = what.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    with bench.one_change():
        bench.page.mouse.move(x, y)
        bench.page.mouse.down()
        bench.page.mouse.move(x + dx, y, steps=5)
        bench.page.mouse.up()


def piece(bench: Bench) -> dict[str, Any]:
    return dict(pane(bench)["pieces"][0])


def test_a_piece_is_moved_trimmed_and_faded_on_the_strip_and_lanes_fold(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    post_edit(page, type="set-pane", pane=pane_of(bench), pieces=[PIECE])
    page.reload()  # what is said about somebody else's change would lie over the strip
    bench.settled()
    bench.press("4")
    block = page.get_by_test_id("piece-block-Flash")
    expect(block).to_be_visible()
    strip = page.get_by_test_id("strip").bounding_box()
    assert strip
    a_frame = strip["width"] / 100
    drag(bench, block, 10 * a_frame)
    assert (piece(bench)["first"], piece(bench)["last"]) == (1030, 1059)
    drag(bench, page.get_by_test_id("piece-last-Flash"), -5 * a_frame)
    assert (piece(bench)["first"], piece(bench)["last"]) == (1030, 1054)
    drag(bench, page.get_by_test_id("piece-first-Flash"), 4 * a_frame)
    assert (piece(bench)["first"], piece(bench)["last"]) == (1034, 1054)
    drag(bench, page.get_by_test_id("piece-fade_in-Flash"), 6 * a_frame)
    assert piece(bench)["fade_in"] == 6
    block.focus()
    with bench.one_change():
        page.keyboard.press("Shift+ArrowLeft")
    assert (piece(bench)["first"], piece(bench)["last"]) == (1024, 1044)

    bench.frame(1040)
    bench.settled()
    red, green, blue = bench.pixel(*FACE)
    assert red > 150
    assert max(green, blue) < 90
    bench.frame(1050)
    bench.settled()
    assert bench.pixel(*FACE) != [red, green, blue]

    fold = page.get_by_role("button", name="Lanes of Pane")
    fold.click()
    expect(block).to_have_count(0)
    page.reload()
    bench.settled()
    expect(fold).to_have_attribute("aria-expanded", "false")
    fold.click()
    expect(block).to_be_visible()


def test_depth_blur_goes_between_two_places_that_are_picked(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    row = page.get_by_test_id("sit-depth")
    row.get_by_role("checkbox").click()
    bench.last_done("sitting in")
    marks = page.get_by_test_id("depth-places")
    expect(marks).to_be_visible()
    for name, place in (("A", (570, 330)), ("B", (570, 170))):
        row.get_by_role("button", name=f"Pick {name}").click()
        with bench.one_change():
            bench.click(*place)
    depth = pane(bench)["sit"]["depth"]
    # The pane was placed on a box, so its unit square is that box.
    for end, (x, y) in (("here", (570, 330)), ("there", (570, 170))):
        assert math.dist(depth[end], ((x - 300) / 540, (y - 160) / 340)) < 0.01
    row.get_by_role("button", name="Pick B").click()
    bench.click(570, 331)
    expect(page.get_by_text("Both places are the same")).to_be_visible()
    assert pane(bench)["sit"]["depth"] == depth


def test_panels_are_made_larger_by_their_edges_and_stay_so(open_shot: Open) -> None:
    bench = open_shot("Panel tap")
    page = bench.page

    def size(of: Locator, way: str) -> float:
        box = of.bounding_box()
        assert box
        return float(box[way])

    def drawn(grip: Locator, dx: float, dy: float) -> None:
        box = grip.bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + dx, y + dy, steps=4)
        page.mouse.up()

    details, viewer = page.get_by_role("region", name="Details"), page.get_by_test_id("viewer")
    before = size(details, "width"), size(viewer, "height")
    drawn(page.get_by_role("separator", name="Width of the panels"), -100, 0)
    strip = page.get_by_role("separator", name="Height of the strip")
    drawn(strip, 0, -120)
    assert abs(size(details, "width") - before[0] - 100) < 2
    assert size(viewer, "height") < before[1] - 60
    bench.settled()
    page.reload()
    bench.settled()
    assert abs(size(details, "width") - before[0] - 100) < 2
    assert page.evaluate("document.body.scrollHeight") <= 800
    depth = page.get_by_role("region", name="Depth")
    high = size(depth, "height")
    page.get_by_role("separator", name="Height of the depth list").focus()
    page.keyboard.press("Shift+ArrowDown")
    assert abs(size(depth, "height") - high - 40) < 2
    strip.dblclick()
    assert abs(size(viewer, "height") - before[1]) < 2
