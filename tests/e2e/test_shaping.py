"""Shaping outlines: the frame around a selection, numbers, soft edges, selections, tracing and snapping."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.e2e.bench import Bench

Open = Callable[..., Bench]


def points(bench: Bench, key: int = 0, outline: int = 0) -> np.ndarray:
    return np.array(bench.elements("outline")[outline]["keys"][key]["points"])


def draw_square(bench: Bench, left: float = 300, top: float = 200, side: float = 200) -> None:
    bench.press("p")
    for corner in ((left, top), (left + side, top), (left + side, top + side), (left, top + side)):
        bench.click(*corner)
    with bench.one_change():
        bench.press("Enter")
    bench.last_done("Drew Cover")


def corners_of(shape: np.ndarray) -> list[float]:
    return [*shape[:, :2].min(axis=0), *shape[:, :2].max(axis=0)]


def test_the_frame_scales_turns_and_shears_and_its_pivot_moves(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.press("x")
    expect(bench.page.get_by_test_id("frame-around")).to_be_visible()
    pad = 12 / (bench.place(1, 0)[0] - bench.place(0, 0)[0])
    with bench.one_change():  # a corner grip; the corner across stays
        bench.drag((500 + pad, 400 + pad), (600 + pad, 450 + pad))
    assert corners_of(points(bench)) == pytest.approx([300, 200, 600, 450], abs=2.5)
    with bench.one_change():
        bench.press("Control+z")
    with bench.one_change():  # the upper side with Ctrl slides along itself
        bench.page.keyboard.down("Control")
        bench.drag((400, 200 - pad), (440, 200 - pad))
        bench.page.keyboard.up("Control")
    sheared = points(bench)
    assert sheared[:2, 0] - [300, 500] == pytest.approx([37, 37], abs=4)
    assert sheared[2:, 0] == pytest.approx([500, 300], abs=0.01)
    with bench.one_change():
        bench.press("Control+z")
    with bench.one_change():  # the ring goes to the lower left corner, about which the next turn is made
        bench.drag((400, 300), (300, 400))
    bench.last_done("Changed pivot")
    bench.page.wait_for_timeout(200)
    outside = (500 + pad * 2.2, 200 - pad * 1.2)
    with bench.one_change():
        bench.page.keyboard.down("Shift")
        bench.drag(outside, (500 + pad * 2.2, 200 + 160))
        bench.page.keyboard.up("Shift")
    turned = points(bench)
    assert turned[3, :2] == pytest.approx([300, 400], abs=1.5)
    way = turned[0, :2] - turned[3, :2]
    angle = np.degrees(np.arctan2(way[0], -way[1]))
    assert angle == pytest.approx(round(angle / 15) * 15, abs=0.3)  # Shift turns in steps of 15 degrees
    assert angle > 10


def test_places_turns_and_scalings_are_typed_exactly(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    page = bench.page
    with bench.one_change():
        page.get_by_label("X", exact=True).fill("411.25")
        bench.press("Enter")
    assert corners_of(points(bench))[0] == pytest.approx(311.25, abs=1e-6)
    with bench.one_change():
        page.get_by_label("Scale", exact=True).fill("50")
        bench.press("Enter")
    assert np.ptp(points(bench)[:, :2], axis=0) == pytest.approx([100, 100], abs=1)
    with bench.one_change():
        page.get_by_label("Turn", exact=True).fill("90")
        bench.press("Enter")
    assert points(bench)[0, 0] > points(bench)[1, 0] - 1  # the first corner has gone to the right


def test_points_are_chosen_by_loop_by_all_and_by_growing_along_the_curve(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    bench.press("c")
    bench.drag((300, 200), (500, 400))
    bench.last_done("Drew Cover")
    page = bench.page
    page.keyboard.down("Alt")  # a loop around the right and the lower point
    page.mouse.move(*bench.place(560, 260))
    page.mouse.down()
    for x, y in ((560, 440), (360, 440), (360, 380), (470, 370), (480, 260), (550, 255)):
        page.mouse.move(*bench.place(x, y), steps=4)
    page.mouse.up()
    page.keyboard.up("Alt")
    expect(page.get_by_text("2 chosen")).to_be_visible()
    bench.press(".")
    expect(page.get_by_text("4 chosen")).to_be_visible()
    bench.press("Escape", "Control+a")
    expect(page.get_by_text("4 chosen")).to_be_visible()
    bench.press("Escape")
    expect(page.get_by_text("4 chosen")).to_be_hidden()


def test_a_soft_edge_is_pulled_out_of_the_curve_and_typed(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    page = bench.page
    with bench.one_change():
        page.keyboard.down("Control")
        bench.drag((400, 200), (400, 170))
        page.keyboard.up("Control")
    assert points(bench)[:, 7] == pytest.approx([30, 30, 0, 0], abs=1.5)
    with bench.one_change():
        page.keyboard.down("Control")
        bench.drag((400, 400), (400, 380))
        page.keyboard.up("Control")
    assert points(bench)[:, 6] == pytest.approx([0, 0, 20, 20], abs=1.5)
    with bench.one_change():
        page.get_by_label("Soft edge outwards").fill("24")
        bench.press("Enter")
    assert points(bench)[:, 7] == pytest.approx([24, 24, 24, 24])
    bench.press("2")
    bench.settled()
    above = bench.pixel(400, 188)[0]
    assert 90 < above < 165  # about half way out
    assert bench.pixel(400, 170)[0] < 8
    page.get_by_role("button", name="Edges").click()
    bench.settled()
    assert bench.pixel(400, 188)[0] > 200
    assert bench.pixel(400, 300)[0] < 8


def test_numbers_typed_one_right_after_the_other_all_count(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    for label, value in (("Soft edge outwards", "9"), ("Soft edge inwards", "4"), ("X", "444.5")):
        bench.page.get_by_label(label, exact=True).fill(value)
        bench.press("Enter")
    bench.shows(4)
    shape = points(bench)
    assert shape[:, 6:] == pytest.approx(np.tile([4.0, 9.0], (4, 1)))
    assert corners_of(shape)[0] == pytest.approx(344.5, abs=0.01)


def test_growth_and_motion_blur_are_set_on_the_cover(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.frame(1002)
    with bench.one_change():
        bench.drag((400, 300), (440, 300))
    page = bench.page
    page.get_by_role("button", name="Matte and span").click()
    with bench.one_change():
        page.get_by_label("Shutter").fill("180")
        bench.press("Enter")
    with bench.one_change():
        page.get_by_label("Grow").fill("3")
        bench.press("Enter")
    bench.press("2", "a")
    bench.settled()
    assert bench.pixel(400, 200)[0] > 250  # grown by 3 px
    row = [bench.pixel(x, 300)[0] for x in range(290, 330, 2)]
    assert max(row) > 250
    assert sum(20 < v < 235 for v in row) > 3  # over several pixels from clear to whole


def test_a_trace_follows_the_screens_edge_and_the_slider_trades_points_for_closeness(open_shot: Open) -> None:
    bench = open_shot()
    page = bench.page
    corners = np.array(bench.whole.panes[0].keys[0].corners)
    bench = open_shot(fresh=True)
    bench.press("t")
    page.mouse.move(*bench.place(*corners[0]))
    page.wait_for_timeout(900)
    for corner in corners:
        page.mouse.move(*bench.place(*(corner + 1)), steps=12)
        page.wait_for_timeout(150)
        page.mouse.down()
        page.mouse.up()
    page.wait_for_timeout(200)
    bench.press("Backspace")  # the last pin goes, and is put again
    page.mouse.move(*bench.place(*(corners[3] + 1)), steps=4)
    page.wait_for_timeout(150)
    page.mouse.down()
    page.mouse.up()
    page.route("**/api/fit", lambda route: (page.wait_for_timeout(300), route.continue_()))
    bench.press("Enter")
    lines = page.get_by_test_id("drawing").locator("path")
    for _ in range(10):  # the line is there until its outline is
        assert lines.count() > 0
        page.wait_for_timeout(20)
    bar = page.get_by_test_id("proposal")
    expect(bar).to_be_visible()
    page.unroute("**/api/fit")
    close = int(bar.inner_text().split()[0])
    slider = page.get_by_label("Tolerance of the outline")
    slider.fill(str(float(np.log(0.25) // 0.05 * 0.05)))  # closer: more points
    expect(bar.locator("b")).not_to_have_text(f"{close} points")
    many = int(bar.inner_text().split()[0])
    assert many > close
    slider.fill(str(float(np.log(6) // 0.05 * 0.05)))  # and back, past where it began
    expect(bar.locator("b")).not_to_have_text(f"{many} points")
    few = int(bar.inner_text().split()[0])
    assert few <= close
    bench.press("Enter")
    bench.last_done("Drew Cover")
    shape = points(bench)
    assert len(shape) == few
    low, high = corners.min(axis=0), corners.max(axis=0)
    assert shape[:, :2].min(axis=0) == pytest.approx(low, abs=14)
    assert shape[:, :2].max(axis=0) == pytest.approx(high, abs=14)


def test_snapping_is_shown_first_and_then_kept_or_dropped(open_shot: Open) -> None:
    bench = open_shot()
    bench.frame(1049)
    page = bench.page
    page.get_by_test_id("card-Index finger").click()
    before = bench.shot["revision"]
    bench.press("j")
    expect(page.get_by_test_id("proposal")).to_contain_text("on the mean")
    expect(page.get_by_test_id("proposed")).to_be_visible()
    bench.press("Escape")
    expect(page.get_by_test_id("proposal")).to_be_hidden()
    assert bench.shot["revision"] == before
    bench.press("j")
    expect(page.get_by_test_id("proposal")).to_be_visible()
    with bench.one_change():
        bench.press("Enter")
    bench.last_done("Set key 1049 of Index finger")
    bench.press("Control+z")
    bench.last_done("Undid")


def test_a_snap_without_an_edge_is_refused_with_a_reason(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench, 40, 40, 30)
    bench.press("j")
    expect(bench.page.get_by_text("no clear edge")).to_be_visible()
    assert bench.shot["revision"] == 1
