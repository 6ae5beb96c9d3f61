"""An artist draws a patch, solves it, watches, lets things ride, corrects and bridges."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.e2e.bench import Bench
from wiseglove.demo.scene import screen_corners

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]
FIRST = 1001
PATCH = ((262, 92), (884, 516))
"""Corners of a box on the housing of the demo's panel on its first frame."""


def draw_patch(bench: Bench) -> None:
    bench.press("m")
    expect(bench.page.get_by_role("button", name="Draw the patch of a carrier")).to_have_attribute(
        "aria-pressed", "true"
    )
    bench.drag(*PATCH)
    bench.last_done("Drew Carrier")


def carrier(bench: Bench) -> dict[str, Any]:
    return bench.elements("carrier")[0]


def loop(bench: Bench, first: int, last: int) -> None:
    """Loop these frames, which is also what can be solved by itself."""
    bench.frame(first)
    bench.page.get_by_title("Loop from this frame on").click()
    bench.frame(last)
    bench.page.get_by_title("Loop up to this frame").click()


def solve(bench: Bench, first: int, last: int) -> None:
    loop(bench, first, last)
    details = bench.page.get_by_label("Details")
    details.get_by_role("button", name=f"{first} to {last}").click()
    expect(details.get_by_role("button", name="Solve all")).to_be_visible(timeout=60_000)
    bench.last_done(f"Solved Carrier, frames {first} to {last}")


def choose(page: Page, label: str, option: str) -> None:
    page.get_by_role("button", name=re.compile(f"^{label}: ")).click()
    page.get_by_role("option", name=option, exact=True).click()


def test_a_click_for_each_corner_draws_a_patch_whose_own_corners_the_grid_lies_on(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    bench.press("m")
    expect(bench.page.get_by_text("drag a box, or click each corner")).to_be_visible()
    corners = [(560, 180), (240, 150), (250, 420), (540, 400)]
    for corner in corners:
        bench.click(*corner)
    bench.press("Enter")
    bench.last_done("Drew Carrier")
    made = carrier(bench)
    assert np.allclose([p[:2] for p in made["patches"][0]["points"]], corners, atol=1)
    assert np.allclose(made["base"], [corners[1], corners[0], corners[3], corners[2]], atol=1)


def test_a_patch_is_drawn_solved_and_a_pane_rides_on_it(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_patch(bench)
    page = bench.page
    expect(page.get_by_test_id("carrier-Carrier")).to_contain_text("not solved")
    solve(bench, FIRST, FIRST + 11)
    expect(page.get_by_test_id("carrier-Carrier")).to_contain_text("12 frames solved")
    expect(page.get_by_test_id("thread-Carrier")).to_have_attribute("data-solved", "12")
    evidence = carrier(bench)["solved"][-1]["evidence"]
    assert min(evidence["agreement"], evidence["texture"], evidence["overlap"]) > 0.5
    bench.frame(FIRST + 11)
    expect(page.get_by_test_id("evidence")).to_contain_text(f"{evidence['residual']:.1f} off")
    bench.frame(FIRST)
    bench.press("n")
    corners = screen_corners(0)
    for corner in corners:
        bench.click(*corner)
    bench.last_done("Placed Pane")
    choose(page, "Rides on", "Carrier")
    bench.last_done("Pane rides on Carrier")
    expect(page.get_by_test_id("carrier-Carrier")).to_contain_text("1 rides on it")
    state = bench.shot
    answer = page.request.get(
        f"/api/shots/{state['id']}/geometry?revision={state['revision']}&first={FIRST + 10}&last={FIRST + 10}"
    )
    rows = np.frombuffer(answer.body(), "<f4").reshape(-1, 4, 8)
    ids = sorted(i for i, e in state["elements"].items() if e["kind"] in ("carrier", "pane"))
    pane = rows[ids.index(bench.elements("pane")[0]["id"])][:, :2]
    drawn = np.array(bench.elements("pane")[0]["keys"][0]["corners"])
    off = np.linalg.norm(pane - screen_corners(10), axis=1)
    assert off.max() < 1.2 + np.linalg.norm(drawn - corners, axis=1).max()
    expect(page.get_by_test_id("drawing")).to_have_count(1)
    bench.press("6")  # the flat pane, on which nothing that is drawn on the plate lies where it belongs
    bench.settled()
    expect(page.get_by_test_id("drawing")).to_have_count(0)
    still = [bench.pixels()]
    bench.frame(FIRST + 8)
    bench.settled()
    still.append(bench.pixels())
    middle = tuple(slice(n // 3, 2 * n // 3) for n in still[0].shape[:2])
    assert np.abs(still[0][middle].astype(float) - still[1][middle]).mean() < 6


def test_the_trackers_eye_shows_what_counts_and_blind_spots_are_dark(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_patch(bench)
    inside, outside = bench.pixel(560, 220), bench.pixel(60, 60)
    bench.press("5")
    bench.settled()
    assert np.abs(np.subtract(bench.pixel(560, 220), inside)).max() < 14
    assert sum(bench.pixel(60, 60)) < 0.6 * sum(outside) + 10
    bench.page.get_by_role("button", name="Draw one").click()
    expect(bench.page.get_by_text("where it must not look")).to_be_visible()
    bench.drag((500, 180), (640, 260))
    bench.last_done("Drew a blind spot")
    bench.settled()
    dark = bench.pixel(560, 220)
    assert sum(dark) < 0.6 * sum(inside)
    bench.page.get_by_role("button", name="Blind spot 1").click()
    expect(bench.page.get_by_test_id("region-point")).to_have_count(4)
    bench.frame(FIRST + 3)
    with bench.one_change():
        bench.drag((560, 220), (600, 240))  # from inside, the whole
    expect(bench.page.get_by_role("button", name="Blind spot 1, 2 keys")).to_be_visible()
    with bench.one_change():
        bench.page.get_by_role("button", name="No keys").click()
    bench.page.get_by_title("Take blind spot 1 away").click()
    bench.last_done("Took away a blind spot")
    assert carrier(bench)["blind"] == []


def test_a_correction_and_a_bridge_are_dragged_and_taken_away(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_patch(bench)
    (left, top), (right, bottom) = PATCH
    bench.frame(FIRST + 30)
    with bench.one_change():
        bench.drag((right, bottom), (right + 24, bottom + 10))
    stitch = carrier(bench)["bridge"][0]
    assert stitch["frame"] == FIRST + 30
    assert stitch["corners"][2] == pytest.approx([right + 24, bottom + 10], abs=2)
    bench.page.get_by_role("button", name="Stitch", exact=True).click()
    bench.last_done("Took away a stitch")
    bench.frame(FIRST)
    with bench.one_change():
        bench.drag((left, top), (left + 9, top + 4))
    knot = carrier(bench)["corrections"][0]
    assert knot["frame"] == FIRST
    assert knot["corners"][0] == pytest.approx([9, 4], abs=2)
    assert np.abs(np.array(knot["corners"])[1:]).max() < 1e-3
    bench.press("Control+z")
    bench.last_done("Undid")
    assert carrier(bench)["corrections"] == []


def test_solving_can_be_stopped_and_what_is_there_stays(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_patch(bench)
    page = bench.page
    page.get_by_role("button", name="Solve all").click()
    page.wait_for_function("() => Number(document.querySelector('[data-testid=thread-Carrier]').dataset.solved) > 3")
    page.get_by_role("button", name="Stop, keep what is there").click()
    bench.last_done("Solved Carrier")
    expect(page.get_by_role("button", name="Solve all")).to_be_visible()
    solved = carrier(bench)["solved"]
    assert 3 <= len(solved) < 100
    assert page.get_by_text("Another page").count() == 0


def test_two_carriers_are_solved_by_one_press_and_one_begins_where_the_other_goes(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    draw_patch(bench)
    bench.press("Escape", "m")
    bench.drag((300, 150), (420, 260))
    bench.last_done("Drew Carrier 2")
    choose(page, "Begins on", "Carrier")
    bench.last_done("Changed where it begins of Carrier 2")
    details = page.get_by_label("Details")
    details.get_by_role("button", name="Patch 1").click()
    choose(page, "The patch rides on", "Carrier")
    bench.last_done("What Carrier 2 looks at rides on Carrier")
    choose(page, "The patch rides on", "Carrier 2")
    loop(bench, 1001, 1004)
    page.get_by_role("button", name="Solve all 2, 1001 to 1004").click()
    for name in ("Carrier", "Carrier 2"):
        expect(page.get_by_test_id(f"carrier-{name}")).to_contain_text("4 frames solved", timeout=60_000)
    found = {c["name"]: c for c in bench.elements("carrier")}
    assert found["Carrier 2"]["begins"] == found["Carrier"]["id"]
