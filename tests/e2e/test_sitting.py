"""An artist makes a picture sit in the shot, keeps a version, and somebody else says something about it."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import expect

from tests.e2e.bench import Bench

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]
FACE, LIGHT = (400.0, 300.0), (320.0, 196.0)


def pane(bench: Bench) -> dict[str, Any]:
    return bench.elements("pane")[0]


def with_pane(open_shot: Open) -> Bench:
    """A fresh shot of the tap with a pane dragged over the panel's glass."""
    bench = open_shot("Panel tap", fresh=True)
    bench.press("n")
    for corner in ((300, 160), (840, 160), (840, 500), (300, 500)):
        bench.click(*corner)
    bench.last_done("Placed Pane")
    bench.press("4")
    bench.settled()
    return bench


def test_one_press_makes_the_picture_sit_in_and_rows_go_on_and_off(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    page.get_by_role("button", name="Sit in", exact=True).last.click()
    # It is said for some seconds only, so it is waited for first.
    expect(page.get_by_text("Make the clean pane, then sit in again.")).to_be_visible(timeout=120_000)
    bench.last_done("Changed sitting in of Pane")
    sit = pane(bench)["sit"]
    assert sit["edges"]["on"] is True
    assert sit["grain"]["levels"], "the plate's grain is measured"
    worn = page.get_by_test_id("sit-worn")
    worn.get_by_role("checkbox").click()
    bench.last_done("sitting in")
    expect(worn.get_by_label("Dark corners", exact=True)).to_be_visible()
    bench.settled()
    before = bench.pixel(*FACE)
    lines = worn.get_by_label("Lines down", exact=True)
    with bench.one_change():
        lines.fill("2")
        lines.press("Enter")
    bench.settled()
    assert pane(bench)["sit"]["worn"]["lines"] == 2
    assert bench.pixel(*FACE) != before
    with bench.one_change():
        worn.get_by_role("button", name="Reset Worn screen").click()
    assert pane(bench)["sit"]["worn"]["lines"] == 0


def test_a_number_is_keyed_on_two_frames_and_goes_between(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    page.get_by_role("button", name="Key Mix on this frame").click()
    bench.last_done("Set opacity of Pane")
    bench.frame(1021)
    opacity = page.get_by_label("Mix", exact=True)
    opacity.fill("0")
    opacity.press("Enter")
    bench.last_done("frame 1021")
    assert [(k["frame"], k["value"]) for k in pane(bench)["values"]["opacity"]] == [(1001, 1.0), (1021, 0.0)]
    bench.frame(1011)
    expect(opacity).to_have_value("50")


def test_a_level_is_picked_by_a_click_on_the_plate(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    level = page.get_by_test_id("sit-level")
    level.get_by_role("checkbox").click()
    bench.last_done("sitting in")
    level.get_by_role("button", name="Light", exact=True).click()
    expect(page.get_by_role("button", name="1Plate")).to_have_attribute("aria-pressed", "true")
    bench.settled()
    with bench.one_change():
        bench.click(*LIGHT)
    expect(page.get_by_role("button", name="4Composite")).to_have_attribute("aria-pressed", "true")
    bench.settled()
    assert pane(bench)["sit"]["level"]["white"] != [1, 1, 1]


def test_something_else_is_shown_from_a_frame_on(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    bench.frame(1031)
    page.get_by_role("button", name="Pieces in time").click()
    page.get_by_role("button", name="Piece from here on").click()
    bench.last_done("pieces of Pane")
    bench.settled()
    dark = bench.pixel(*FACE)
    assert max(dark) < 60
    bench.frame(1030)
    bench.settled()
    assert max(bench.pixel(*FACE)) > 150


def test_a_version_is_kept_looked_at_and_spoken_about(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    bench.press("v")
    page.keyboard.press("Escape")
    bench.click(60, 700)
    page.get_by_role("button", name="Crop: Whole plate").click()
    page.get_by_role("option", name="2.39:1").click()
    bench.last_done("Cropped to 1280 x 536")
    name = page.get_by_label("Name of the version")
    name.fill("First pass")
    name.press("Enter")
    page.get_by_role("button", name="Keep", exact=True).click()
    version = page.get_by_test_id("version-v001")
    expect(version).to_contain_text("First pass")
    version.get_by_role("link", name="Look").click()
    expect(page).to_have_url(re.compile("/review/1$"))
    expect(page.get_by_role("heading", name="v001 First pass")).to_be_visible()
    picture = page.get_by_role("button", name="Pin the next note to a place of the picture")
    dimmed = page.get_by_test_id("outside-crop").element_handle()
    same = "([a, b]) => ['x', 'y', 'width', 'height'].every(k => a.getBoundingClientRect()[k] === b.getBoundingClientRect()[k])"
    page.wait_for_function(same, arg=[dimmed, picture.element_handle()])  # all of it, but for the crop
    assert "M0 92V628H1280V92Z" in (page.get_by_test_id("outside-crop").get_attribute("d") or "")
    picture.click(position={"x": 200, "y": 150})
    expect(page.get_by_test_id("note-pin")).to_have_count(1)
    note = page.get_by_label("New note")
    note.fill("The corner sits too low.")
    note.press("Enter")
    expect(page.get_by_test_id("note")).to_contain_text("The corner sits too low.")
    page.keyboard.press("Tab")
    page.get_by_label("Frame").focus()
    page.get_by_role("checkbox", name="Done: The corner sits too low.").click()
    expect(page.get_by_role("checkbox", name="Done: The corner sits too low.")).to_be_checked()
    page.get_by_role("link", name=re.compile("Panel tap")).click()
    expect(page.get_by_test_id("note")).to_contain_text("The corner sits too low.")
    expect(page.get_by_role("checkbox", name="Done: The corner sits too low.")).to_be_checked()


def test_two_looks_are_compared_with_a_divider_that_is_dragged(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    left, right = (400.0, 300.0), (800.0, 300.0)
    whole = [bench.pixel(*left), bench.pixel(*right)]
    bench.press("u")
    expect(page.get_by_role("button", name="Drag the divider")).to_be_visible()
    page.wait_for_function("() => document.querySelector('[aria-label=\"Look beyond the divider\"]').value === 'plate'")
    handle = page.get_by_role("button", name="Drag the divider")
    box = handle.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 8, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] - 60, box["y"] + 20, steps=4)
    page.mouse.up()
    bench.settled()
    assert bench.pixel(*left) == whole[0]
    assert bench.pixel(*right) != whole[1]  # the plate is seen there
    bench.press("u")
    bench.settled()
    assert bench.pixel(*right) == whole[1]


def test_a_frame_is_typed(open_shot: Open) -> None:
    bench = open_shot("Panel tap")
    number = bench.page.get_by_label("Go to frame")
    number.click()
    number.fill("1057")
    number.press("Enter")
    expect(bench.page.get_by_test_id("frame")).to_have_text("1057")


def test_the_strip_zooms_at_the_pointer_and_follows_the_frame(open_shot: Open) -> None:
    bench = open_shot("Panel tap")
    page = bench.page
    strip = page.get_by_test_id("strip")
    box = strip.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 40)
    page.keyboard.down("Control")
    page.mouse.wheel(0, -500)
    page.keyboard.up("Control")
    expect(strip).not_to_have_attribute("data-zoom", "1.00")
    for frame in (1100, 1001, 1052):
        number = page.get_by_label("Go to frame")
        number.click()
        number.fill(str(frame))
        number.press("Enter")
        expect(page.get_by_test_id("frame")).to_have_text(str(frame))
        page.wait_for_function(
            """() => {
                const [head, strip] = ["playhead", "strip"].map((id) =>
                    document.querySelector(`[data-testid=${id}]`).getBoundingClientRect());
                return head.left >= strip.left && head.right <= strip.right;
            }"""
        )


def test_letters_do_what_they_always_do_after_a_slider_a_box_or_a_list_was_used(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    track = page.locator("[data-row=Opacity] input[type=range]").bounding_box()
    assert track is not None
    middle = track["y"] + track["height"] / 2
    page.mouse.move(track["x"] + track["width"] - 8, middle)
    page.mouse.down()
    page.mouse.move(track["x"] + track["width"] / 2, middle, steps=4)
    with bench.one_change():
        page.mouse.up()
    assert 0.35 < pane(bench)["opacity"] < 0.65
    page.keyboard.press("u")
    compared = page.get_by_label("How they are compared")
    expect(compared).to_be_visible()
    compared.click()
    compared.select_option(label="differ × 4")
    page.keyboard.press("u")
    expect(compared).to_have_count(0)
    page.get_by_test_id("sit-worn").get_by_role("checkbox").click()
    bench.last_done("sitting in")
    page.keyboard.press("u")
    expect(compared).to_be_visible()
