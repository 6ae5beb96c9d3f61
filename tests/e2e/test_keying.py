"""An artist samples a backing, judges the matte, cleans it up, throws away what does not belong, and holds a hand out."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import expect

from tests.e2e.bench import Bench
from tests.e2e.stage import write_presented

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]
BACKING = ((300.0, 150.0), (360.0, 230.0))
BODY, CLEAR, STAND = (640.0, 600.0), (1100.0, 400.0), (96.0, 400.0)


def keyed(open_shot: Open) -> Bench:
    """A fresh shot of the presenter, its backing sampled by a drag."""
    bench = open_shot("Presented", fresh=True)
    bench.press("y")
    bench.drag(*BACKING)
    bench.last_done("Made Subject")
    bench.settled()
    return bench


def subject(bench: Bench) -> dict[str, Any]:
    return bench.elements("subject")[0]


def alike(one: list[int], other: list[int], most: int = 3) -> bool:
    """Whether two colours are the same but for what a JPEG makes of them."""
    return max(abs(a - b) for a, b in zip(one, other, strict=True)) <= most


def test_dragging_over_the_backing_keys_the_plate_and_shows_its_matte(open_shot: Open) -> None:
    bench = keyed(open_shot)
    expect(bench.page.get_by_role("button", name="2Matte")).to_have_attribute("aria-pressed", "true")
    assert bench.pixel(*BODY) == [255, 255, 255]
    assert bench.pixel(*CLEAR) == [0, 0, 0]
    assert bench.pixel(*STAND) == [255, 255, 255]  # it is not of the backing's colour
    expect(bench.page.get_by_test_id("card-Subject")).to_contain_text("1 sample")
    bench.press("y")
    bench.drag((1100, 200), (1160, 260))
    bench.last_done("2 samples of the backing")
    assert len(subject(bench)["key"]["samples"]) == 2
    bench.press("Control+z")
    expect(bench.page.get_by_test_id("card-Subject")).to_contain_text("1 sample")


def test_a_sample_on_the_subject_is_told_and_one_that_is_grey_refused(open_shot: Open) -> None:
    bench = open_shot("Presented", fresh=True)
    bench.press("y")
    bench.drag((600, 600), (660, 700))
    expect(bench.page.get_by_text("Nothing was changed")).to_be_visible()
    assert bench.elements("subject") == []
    bench.press("y")
    bench.drag((620, 260), (660, 290))  # her face is a colour, but not the backing's
    expect(bench.page.get_by_text("as if the sample lay on the subject")).to_be_visible()


def test_a_slider_is_tried_while_it_is_dragged_and_kept_when_let_go(open_shot: Open) -> None:
    bench = keyed(open_shot)
    page = bench.page
    revision = bench.shot["revision"]
    track = page.get_by_label("High end, track")
    track.scroll_into_view_if_needed()
    before = bench.pixels().mean()
    at = track.bounding_box()
    assert at is not None
    y = at["y"] + at["height"] / 2
    page.mouse.move(at["x"] + at["width"] * 0.96, y)
    page.mouse.down()
    page.mouse.move(at["x"] + at["width"] * 0.3, y, steps=6)
    page.wait_for_timeout(300)
    bench.settled()
    tried = bench.pixels().mean()
    assert abs(tried - before) > 0.2
    assert bench.shot["revision"] == revision
    page.mouse.up()
    bench.last_done("Changed key")
    bench.settled()
    assert bench.shot["revision"] == revision + 1
    assert subject(bench)["key"]["high"] < 0.5
    assert bench.pixels().mean() == pytest.approx(tried, abs=0.3)


def test_clean_up_steps_are_turned_on_and_off_and_keep_their_amounts(open_shot: Open) -> None:
    bench = keyed(open_shot)
    page = bench.page
    grow = page.get_by_label("Shrink or grow", exact=True)
    grow.scroll_into_view_if_needed()
    before = bench.pixels().mean()
    grow.click()
    bench.last_done("Changed clean-up")
    field = page.get_by_label("Shrink or grow, amount", exact=True)
    field.fill("-6")
    field.press("Enter")
    bench.shows(3)
    bench.settled()
    assert bench.pixels().mean() < before - 1
    grow.click()
    bench.shows(4)
    bench.settled()
    assert bench.pixels().mean() == pytest.approx(before, abs=0.1)
    assert subject(bench)["clean_up"]["grow"] == {"on": False, "amount": -6}


def test_a_drawn_cover_becomes_garbage_and_is_told_of_where_it_cuts(open_shot: Open) -> None:
    bench = keyed(open_shot)
    page = bench.page
    bench.press("b")
    bench.drag((20, 140), (520, 700))  # far too large: over the stand, but over her book as well
    bench.last_done("Drew Cover")
    page.get_by_test_id("card-Subject").click()
    page.get_by_role("button", name="Core and garbage", exact=True).click()
    page.get_by_label("Add to garbage").click()
    page.get_by_role("option", name="Cover", exact=True).click()
    bench.last_done("Changed garbage mattes")
    bench.settled()
    assert bench.pixel(*STAND) == [0, 0, 0]
    expect(page.get_by_test_id("card-Cover")).to_contain_text("garbage of Subject")
    page.get_by_role("button", name="Look for it").click()
    expect(page.get_by_test_id("near")).to_contain_text("6 cut")
    expect(page.locator("[data-testid=pin][data-frame='1003']")).to_be_visible()


def test_holding_a_key_shows_the_plate_and_looks_tell_the_state_and_the_values(open_shot: Open) -> None:
    bench = keyed(open_shot)
    page = bench.page
    page.get_by_label("Style of the matte").click()
    page.get_by_role("option", name="State").click()
    bench.settled()
    tones = [bench.pixel(*place) for place in (CLEAR, BODY)]
    assert alike(tones[0], [0x20, 0x30, 0x3A])
    assert alike(tones[1], [0xEF, 0xEA, 0xDB])
    page.mouse.move(*bench.place(*BODY))
    expect(page.get_by_test_id("values")).to_contain_text("1.000")
    page.keyboard.down("v")
    page.wait_for_timeout(200)
    bench.settled()
    red, green, _ = bench.pixel(*CLEAR)
    assert green > red + 40
    page.keyboard.up("v")
    page.wait_for_timeout(200)
    bench.settled()
    assert alike(bench.pixel(*CLEAR), tones[0])
    bench.press("3")
    ground = page.get_by_label("Ground of the cut-out")
    for _ in range(4):
        ground.click()
    bench.settled()
    assert alike(bench.pixel(*CLEAR), [0xC8, 0x1E, 0x5A])


def test_what_is_not_of_the_colour_stays_in_front_of_a_pane_in_one_action(open_shot: Open) -> None:
    bench = open_shot("Presented", fresh=True)
    page = bench.page
    bench.press("n")
    for corner in ((250, 120), (1050, 120), (1050, 650), (250, 650)):
        bench.click(*corner)
    bench.last_done("Placed Pane")
    page.get_by_role("button", name="Hold out by colour").click()
    bench.drag(*BACKING)
    bench.last_done("Made Holdout")
    bench.settled()
    made = subject(bench)
    assert made["pane"] == bench.elements("pane")[0]["id"]
    plate = keyed_plate(bench)
    assert alike(bench.pixel(1150, 400), plate(1150, 400))  # outside the pane nothing changes
    assert alike(bench.pixel(640, 600), plate(640, 600), 14)
    red, green, blue = bench.pixel(1000, 300)
    assert not (green > red + 40 and green > blue + 40)  # the chart, where the backing was


def keyed_plate(bench: Bench) -> Callable[[float, float], list[int]]:
    """Colours of the plate, as the plate look shows them; the composite comes back afterwards."""
    bench.press("1")
    bench.settled()
    seen = {place: bench.pixel(*place) for place in ((1150, 400), (640, 600))}
    bench.press("4")
    bench.settled()
    return lambda x, y: seen[int(x), int(y)]


def test_a_clip_is_put_over_the_plate_keyed_and_moved(open_shot: Open, footage: Path, tmp_path: Path) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    page.get_by_test_id("subject-files").set_input_files(write_presented(footage, tmp_path / "visitor.mp4"))
    card = page.get_by_test_id("card-Presented")  # it is known by that name: the very same clip was taken in before
    expect(card).to_contain_text("not keyed yet", timeout=180_000)
    bench.press("4", "y")
    bench.drag(*BACKING)
    bench.last_done("1 samples of the backing")
    bench.press("s", "2")
    bench.settled()
    assert bench.pixel(*BODY) == [255, 255, 255]
    assert bench.pixel(*CLEAR) == [0, 0, 0]
    bench.drag((900, 600), (1200, 600))
    bench.last_done("Moved whole")
    bench.settled()
    assert bench.pixel(BODY[0] + 300, BODY[1]) == [255, 255, 255]
    assert bench.pixel(450, 700) == [0, 0, 0]
    left, top = subject(bench)["keys"][0]["corners"][0]
    assert (left, top) == pytest.approx((300, 0), abs=2)
    bench.press("4")
    bench.settled()
    whole = bench.pixel(BODY[0] + 300, BODY[1])
    field = page.get_by_label("Opacity", exact=True)
    with bench.one_change():
        field.fill("50")
        field.press("Enter")
    bench.settled()
    half = bench.pixel(BODY[0] + 300, BODY[1])
    with bench.one_change():
        field.fill("0")
        field.press("Enter")
    bench.settled()
    none = bench.pixel(BODY[0] + 300, BODY[1])
    assert max(abs(a - b) for a, b in zip(whole, none, strict=True)) > 20
    assert all(min(a, c) - 3 <= b <= max(a, c) + 3 for a, b, c in zip(whole, half, none, strict=True))
    with bench.one_change():
        page.get_by_label("Begins at").fill("1003")
        bench.press("Enter")
    assert subject(bench)["start"] == 1003
    expect(page.get_by_label("Details")).to_contain_text("The clip has pictures for frames 1003 to")


def test_what_differs_from_the_clean_pane_is_held_out_on_the_frames_that_are_kept(open_shot: Open) -> None:
    bench = open_shot()
    page = bench.page
    page.get_by_test_id("card-Panel screen").click()
    bench.frame(1045)
    before = bench.shot["revision"]
    page.get_by_role("button", name="Hold out by difference").click()  # the clean pane is made first
    bar = page.get_by_test_id("proposal")
    expect(bar).to_contain_text("of Panel screen is covered here", timeout=180_000)
    expect(page.get_by_test_id("differing").locator("path").first).to_have_attribute("d", re.compile("M.+Z"))
    assert bench.shot["revision"] == before  # nothing is changed by looking at it
    bench.press("a")
    bar.get_by_role("button", name="Not before").click()
    bench.press("d", "d", "d")
    bar.get_by_role("button", name="Not after").click()
    bench.press("a")
    bar.get_by_role("button", name="Leave out 1046").click()
    expect(bar).to_contain_text("3 of 100 frames")
    bench.press("Enter")
    bench.last_done("Made Holdout")
    expect(page.get_by_test_id("card-Holdout")).to_be_visible()
    (made,) = bench.elements("subject")
    assert made["key"]["matte"]
    for cover in bench.elements("cover"):
        page.get_by_test_id(f"card-{cover['name']}").get_by_role("button", name="Hide").click()
    bench.press("2")
    bench.settled()
    hand, bare = (800.0, 400.0), (480.0, 300.0)
    bench.frame(1045)
    bench.settled()
    assert [bench.pixel(*hand)[0], bench.pixel(*bare)[0]] == [255, 0]
    bench.frame(1046)  # left out
    bench.settled()
    assert bench.pixel(*hand)[0] == 0
    for _ in range(bench.shot["revision"] - before):
        with bench.one_change():
            bench.press("Control+z")
    assert bench.elements("subject") == []
