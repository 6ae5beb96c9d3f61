"""An artist puts points, sets a carrier by hand, and lets a finger bend between two carriers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.e2e.bench import Bench
from tests.e2e.test_carriers import FIRST, choose, loop
from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.models import fitted
from wiseglove.demo.scene import screen_corners

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]


def by_name(bench: Bench, name: str) -> dict[str, Any]:
    return next(c for c in bench.elements("carrier") if c["name"] == name)


def outline_of(bench: Bench) -> dict[str, Any]:
    return next(e for e in bench.shot["elements"].values() if e["kind"] == "outline")


def put_points(bench: Bench) -> np.ndarray:
    """Points on what the hand never hides: three corners of the demo's glass, and one of the first button on it."""
    corners = np.asarray(screen_corners(0))
    corners[2] = (328, 396)
    bench.page.get_by_role("button", name="Points", exact=True).click()
    for i, corner in enumerate(corners):
        bench.click(*corner)
        bench.last_done(f"Put point {i + 1} of Points")
    bench.press("Escape")
    return corners


def test_points_are_put_sized_followed_held_and_taken_away(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    corners = put_points(bench)
    details = page.get_by_label("Details")
    expect(details).to_contain_text("perspective")
    with bench.one_change():
        details.get_by_label("Pattern of point 1").fill("41")
        bench.press("Enter")
    x, y = corners[1]
    with bench.one_change():
        bench.drag((x + 40, y + 40), (x + 60, y + 60))  # a corner of the square that is searched
    points = by_name(bench, "Points")["points"]
    assert (points[0]["pattern"], points[1]["search"]) == (41, 121)
    loop(bench, FIRST, FIRST + 9)
    details.get_by_role("button", name=f"{FIRST} to {FIRST + 9}").click()
    bench.last_done("Solved Points")
    expect(page.get_by_test_id("carrier-Points")).to_contain_text("10 frames solved")
    carrier = by_name(bench, "Points")
    for shown, index in ((FIRST + 5, 5), (FIRST + 9, 9)):
        seen = [next((f["x"], f["y"]) for f in p["track"] if f["frame"] == shown) for p in carrier["points"]]
        there = fitted("perspective", np.asarray(screen_corners(0)), np.asarray(screen_corners(index)))
        assert there is not None
        assert np.linalg.norm(np.array(seen) - apply(there, corners), axis=1).max() < 1.0
    bench.frame(FIRST + 9)
    expect(page.get_by_test_id("point-row-2")).to_contain_text("seen")
    with bench.one_change():
        page.get_by_role("button", name="Hold point 2 as it is").click()
    assert by_name(bench, "Points")["points"][1]["held"] is True
    with bench.one_change():
        page.get_by_role("button", name="Take point 4 away").click()
    expect(details).to_contain_text("affine")


def test_four_corners_are_moved_by_hand_and_go_on_as_chosen(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    page.get_by_role("button", name="By hand", exact=True).click()
    for corner in ((300, 200), (500, 200), (500, 400), (300, 400)):
        bench.click(*corner)
    bench.last_done("Began Set by hand")
    expect(page.get_by_label("Details").get_by_role("button", name="Solve all")).to_be_hidden()
    bench.frame(FIRST + 10)
    with bench.one_change():
        bench.drag((400, 300), (480, 300))
    bench.frame(FIRST)
    with bench.one_change():
        page.get_by_role("button", name="Even", exact=True).click()
    stitches = by_name(bench, "Set by hand")["bridge"]
    assert [(k["frame"], k["ease"]) for k in stitches] == [(FIRST, "linear"), (FIRST + 10, "smooth")]
    assert np.subtract(stitches[1]["corners"], stitches[0]["corners"]) == pytest.approx(
        np.tile([80.0, 0.0], (4, 1)), abs=1.5
    )


def test_a_finger_bends_from_one_carrier_to_another_where_a_line_is_dragged_across(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    for left, right in ((200, 400), (400, 600)):
        page.get_by_role("button", name="By hand", exact=True).click()
        for corner in ((left, 250), (right, 250), (right, 350), (left, 350)):
            bench.click(*corner)
        bench.last_done("Began Set by hand")
    bench.press("Escape", "p")
    for corner in ((220, 280), (400, 280), (580, 280), (580, 320), (400, 320), (220, 320)):
        bench.click(*corner)
    bench.press("Enter")
    bench.last_done("Drew Cover")
    with bench.one_change():
        choose(page, "Rides on", "Set by hand")
    choose(page, "Bends to", "Set by hand 2")
    with bench.one_change():
        bench.drag((400, 360), (400, 240))  # upwards: what lies on the right is beyond
    expect(page.get_by_test_id("joints").locator("circle")).to_have_count(2)
    outline = outline_of(bench)
    assert np.round(outline["joints"][0]["beyond"], 2).tolist() == [0, 0.5, 1, 1, 0.5, 0]
    bench.frame(FIRST + 8)
    page.get_by_test_id("carrier-Set by hand 2").get_by_role("button").first.click()
    with bench.one_change():
        bench.drag((500, 300), (500, 340))
    page.get_by_test_id("card-Cover").click()
    bench.press("2")
    bench.settled()
    assert bench.pixel(300, 300)[0] > 200  # the near limb stays
    assert bench.pixel(540, 290)[0] < 50  # the far one has gone down
    assert bench.pixel(540, 340)[0] > 200
    with bench.one_change():
        page.get_by_role("button", name="Swap the sides of joint 1").click()
    with bench.one_change():
        page.get_by_role("button", name="Take joint 1 away").click()
    assert outline_of(bench)["joints"] == []


def test_a_rough_cover_is_solved_in_one_go_and_its_motion_is_measured_and_smoothed(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    bench.press("b")
    bench.drag((300, 130), (460, 230))
    bench.last_done("Drew Cover")
    page.get_by_role("button", name="Solve its motion").click()
    details = page.get_by_label("Details")
    page.get_by_test_id("carrier-Cover's motion").get_by_role("button").first.click()
    # All frames have a place long before it is kept: they are gone over twice.
    bench.last_done("Solved Cover's motion", patience=240_000)
    expect(page.get_by_test_id("carrier-Cover's motion")).to_contain_text("100 frames solved")
    assert outline_of(bench)["rides"] == by_name(bench, "Cover's motion")["id"]
    page.get_by_role("button", name="Slip, jitter, smoothing").click()
    expect(page.get_by_test_id("jitter")).to_be_visible()
    expect(page.get_by_test_id("slip")).to_be_visible(timeout=30_000)
    expect(page.get_by_test_id("checks")).to_be_visible()
    assert float((page.get_by_test_id("slip").text_content() or "9").split()[0]) < 0.5
    with bench.one_change():
        page.get_by_label("Smoothing").fill("3")
        bench.press("Enter")
    expect(details).to_contain_text("px out")


def test_a_pane_gets_round_corners_and_one_of_them_rides_alone(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    bench.press("n")
    for corner in ((300, 200), (700, 200), (700, 500), (300, 500)):
        bench.click(*corner)
    bench.last_done("Placed Pane")
    bench.press("4")
    bench.settled()
    square = bench.pixel(306, 206)
    with bench.one_change():
        page.get_by_label("Radius of the corners").fill("30")
        bench.press("Enter")
    bench.settled()
    assert np.abs(np.subtract(bench.pixel(306, 206), square)).sum() > 60
    bench.press("1")
    page.get_by_role("button", name="By hand", exact=True).click()
    for corner in ((600, 400), (800, 400), (800, 600), (600, 600)):
        bench.click(*corner)
    bench.last_done("Began Set by hand")
    bench.frame(FIRST + 6)
    with bench.one_change():
        bench.drag((760, 560), (780, 590))
    page.get_by_test_id("card-Pane").click()
    bench.frame(FIRST)
    bench.click(700, 500)
    with bench.one_change():
        choose(page, "This corner rides on", "Set by hand")
    bench.frame(FIRST + 6)
    with bench.one_change():
        bench.press("k")
    corners = np.array(next(p for p in bench.elements("pane"))["keys"][-1]["corners"])
    # Stored at rest, so the key is where the corners are without their motion.
    assert corners == pytest.approx(np.array([(300, 200), (700, 200), (700, 500), (300, 500)]), abs=1.5)
