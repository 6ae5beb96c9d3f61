"""Going to where an outline is off, putting it right, and saying that it looks right."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import pytest
import shapely
from playwright.sync_api import Page, expect

from tests.e2e.bench import Bench
from tests.e2e.test_reach import complaints
from wiseglove.core.geometry.bezier import flatten
from wiseglove.demo import drawing
from wiseglove.shot.keys import as_points

pytestmark = pytest.mark.browser
FINGER = "finger0"
FIRST, WRONG = 1001, 1029
SPOILT = "10(2[6-9]|3[0-2])"
"""The frames between the keys beside the wrong one: all of them are off by what that one is off."""
SPOILT_PINS = ", ".join(f"[data-frame='{frame}']" for frame in range(1026, 1033))


@pytest.fixture
def ahead() -> str:
    return "on"


def half_done(page: Page) -> None:
    """A finger's outline keyed on the truth, but for one key that is 9 px off."""
    shot = page.url.split("/shots/")[1].split("#")[0]
    address = f"/api/shots/{shot}"

    def send(**edit: object) -> None:
        revision = page.request.get(address).json()["revision"]
        answer = page.request.post(f"{address}/edits", data={"revision": revision, "edit": edit})
        assert answer.ok, answer.text()

    # Later the finger turns so fast that what is between keys is as wrong as the wrong key: there is no one worst place.
    frames = range(1013, 1034, 4)
    shapes = {f: drawing.finger(f - FIRST) for f in frames}
    shapes[WRONG][:, :2] += (6.5, 6.5)
    first = frames[0]
    outline = {"kinds": ["smooth"] * 11, "points": as_points(shapes[first])}
    send(type="add-cover", outline_id=FINGER, frame=first, outline=outline, name="Finger")
    send(type="set-keys", outline=FINGER, shapes={f: as_points(s) for f, s in shapes.items() if f != first})
    cover = page.request.get(address).json()["elements"][FINGER]["cover"]
    send(type="set-cover", cover=cover, first=first, last=frames[-1])


def error(bench: Bench) -> float:
    """How far the wrong key's outline is from the truth, in pixels, at the points round the finger's tip."""
    key = next(k for k in bench.copy_of(FINGER)["keys"] if k["frame"] == WRONG)
    line = shapely.LinearRing(flatten(drawing.finger(WRONG - FIRST), 0.2))
    return float(shapely.distance(line, shapely.points(np.array(key["points"])[2:9, :2])).mean())


def test_w_goes_to_the_worst_and_a_press_puts_it_right(page: Page, open_shot: Callable[..., Bench]) -> None:
    bench = open_shot(fresh=True)
    half_done(page)
    expect(page.locator("[data-testid=pin]").and_(page.locator(SPOILT_PINS)).first).to_be_visible(timeout=120_000)
    expect(page.get_by_test_id("to-look-at")).to_have_attribute("aria-busy", "false", timeout=120_000)
    before = error(bench)
    page.get_by_test_id("to-look-at").click()
    frame = page.get_by_test_id("playhead")
    expect(frame).to_contain_text(re.compile(SPOILT))
    page.get_by_label("Go to frame").fill("1020")
    page.keyboard.press("Enter")
    expect(frame).to_contain_text("1020")
    page.keyboard.press("w")
    expect(frame).to_contain_text(re.compile(SPOILT))
    for _ in range(3):  # the pin may stand on a frame beside the key
        if str(WRONG) not in frame.inner_text():
            page.keyboard.press("d" if int(frame.inner_text()) < WRONG else "a")
    # Its thread is on its lane, and the stretch is marked in the picture beside where its edge seems to be.
    expect(page.get_by_test_id(f"fit-{FINGER}").locator("path")).not_to_have_count(0)
    expect(page.get_by_test_id("off-mark")).not_to_have_count(0)
    here = page.get_by_test_id("fit-here")
    expect(here).to_contain_text("Off by")
    page.get_by_role("button", name="Snap", exact=True).click()
    expect(page.get_by_test_id("proposed")).to_be_visible()
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_test_id("last-done")).to_contain_text("Set key")
    assert error(bench) < 0.5 * before
    page.get_by_role("button", name=re.compile("^Undo: Set key")).click()
    expect(here).to_contain_text("Off by")
    page.get_by_role("button", name="Looks right").click()
    expect(here).to_have_text("Looks right")
    expect(page.get_by_test_id("off-mark")).to_have_count(0)
    page.get_by_role("button", name="Doubt it again").click()
    expect(here).to_contain_text("Off by")
    # From the keys on both sides that fit, in place of the one that does not.
    page.get_by_role("button", name="Between", exact=True).click()
    expect(page.get_by_text(re.compile("Carried over [0-9]+ frames between 10(21|25) and 1033"))).to_be_visible(
        timeout=60_000
    )
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_test_id("last-done")).to_contain_text(re.compile("Set [0-9]+ keys of Finger"))
    assert {1026, WRONG, 1032} <= {key["frame"] for key in bench.copy_of(FINGER)["keys"]}
    page.get_by_role("button", name=re.compile("^Undo: Set [0-9]+ keys")).click()
    expect(page.get_by_test_id("last-done")).to_contain_text("Undid")
    assert 1026 not in {key["frame"] for key in bench.copy_of(FINGER)["keys"]}


def test_the_page_of_the_shot_leads_to_the_worst_place(page: Page, open_shot: Callable[..., Bench]) -> None:
    open_shot(fresh=True)
    half_done(page)
    page.get_by_role("link", name="Where to look").click()
    worst = page.get_by_test_id("worst").first
    expect(worst).to_contain_text(re.compile(f"Finger, frame {SPOILT}"), timeout=120_000)
    expect(page.get_by_role("img", name=re.compile("px off, on frame"))).to_be_visible()
    worst.get_by_role("link").click()
    expect(page.get_by_test_id("fit-here")).to_contain_text("Off by")
    expect(page.get_by_test_id("playhead")).to_contain_text(re.compile(SPOILT))


def test_a_quiet_line_says_what_is_missing_begins_it_and_can_be_put_away(
    page: Page, open_shot: Callable[..., Bench]
) -> None:
    open_shot(fresh=True)
    line = page.get_by_test_id("next")
    expect(line).to_contain_text("Nothing is held out yet")
    line.get_by_role("button").first.click()
    expect(page.get_by_role("button", name="Draw a cover with the pen")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Escape")
    line.get_by_role("button", name="Put this hint away").click()
    expect(line).to_contain_text("There is no pane yet")
    page.reload()
    expect(line).to_contain_text("There is no pane yet")


def test_the_guide_is_opened_from_the_sheet_of_keys_and_read_page_by_page(page: Page) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="Shots")).to_be_visible()
    page.keyboard.press("?")
    page.get_by_role("link", name="The guide, step by step").click()
    expect(page.get_by_role("heading", name="Taking in a plate")).to_be_visible()
    assert complaints(page) == []
    page.get_by_role("link", name="drawing covers", exact=True).click()
    expect(page.get_by_role("heading", name="Drawing covers and following them")).to_be_visible()
    expect(page.get_by_role("link", name="Drawing covers and following them")).to_have_attribute("aria-current", "page")


def test_covers_are_begun_with_the_hand_that_is_found_and_kept_in_one_go(open_shot: Callable[..., Bench]) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    bench.frame(1034)
    bench.settled()
    bench.press("i")
    bar = page.get_by_test_id("proposal")
    expect(bar).to_contain_text("Begin with", timeout=60_000)
    assert bench.elements("cover") == []
    bar.get_by_role("button", name="Thumb").click()
    expect(bar.get_by_role("button", name="Thumb")).to_have_attribute("aria-pressed", "false")
    expect(bar.get_by_role("button", name="Hand")).to_have_attribute("aria-pressed", "true")
    bench.press("Enter")
    bench.last_done("Began with")
    kept = {c["name"] for c in bench.elements("cover")}
    assert "Hand" in kept
    assert "Thumb" not in kept
    hand = next(
        o
        for o in bench.elements("outline")
        if o["cover"] == next(c["id"] for c in bench.elements("cover") if c["name"] == "Hand")
    )
    line = shapely.Polygon(flatten(np.array(hand["keys"][0]["points"]), 0.3))
    index = flatten(drawing.finger(1034 - FIRST), 0.5)
    assert line.buffer(6).contains(shapely.Point(*index.mean(axis=0)))
    bench.press("Control+z")
    bench.last_done("Undid")
    assert bench.elements("cover") == []
    bench.press("i")
    expect(bar).to_contain_text("Begin with", timeout=60_000)
    bench.press("Escape")
    expect(bar).to_have_count(0)


def test_holes_are_looked_for_pinned_and_become_covers(open_shot: Callable[..., Bench]) -> None:
    page = open_shot().page
    page.get_by_role("link", name="Where to look").click()
    holes = page.get_by_test_id("holes")
    expect(holes).to_contain_text("Not looked for yet", timeout=60_000)
    holes.get_by_role("button", name="Look for holes").click()
    found = page.get_by_test_id("found-hole").filter(has_text="something is there that nothing holds out").first
    expect(found).to_be_visible(timeout=300_000)
    found.get_by_role("link").click()
    missed = page.get_by_test_id("missed")
    expect(missed).to_contain_text("Something is there that nothing holds out", timeout=60_000)
    expect(page.get_by_test_id("hole")).not_to_have_count(0)
    missed.get_by_role("button", name="Begin a cover").click()
    expect(page.get_by_test_id("starting")).to_be_visible()
    bench = Bench(page)
    before = len(bench.elements("cover"))
    bench.press("Enter")
    bench.last_done("Began with")
    assert len(bench.elements("cover")) == before + 1
    expect(missed).to_have_count(0)  # it is held out now, whatever the picture says
    bench.press("Control+z")
    expect(missed).to_be_visible(timeout=60_000)


def test_what_is_judged_later_moves_nothing_away_from_under_the_pointer(
    page: Page, open_shot: Callable[..., Bench]
) -> None:
    bench = open_shot(fresh=True)
    judging = re.compile("/review")
    page.route(judging, lambda route: route.abort())
    half_done(page)
    bench.frame(WRONG)
    page.get_by_role("button", name="Finger", exact=True).click()
    here = page.get_by_test_id("fit-here")
    expect(here).to_have_text("Not judged yet")
    expect(page.get_by_role("button", name="Snap", exact=True)).to_be_disabled()
    cut = page.get_by_role("button", name="Cut a hole")
    cut.scroll_into_view_if_needed()
    before = cut.bounding_box()
    page.unroute(judging)
    expect(here).to_contain_text("Off by", timeout=120_000)
    expect(page.get_by_test_id("matters")).to_have_text("1013 to 1033", timeout=60_000)
    assert cut.bounding_box() == before
    page.get_by_role("button", name="Looks right").click()
    expect(here).to_have_text("Looks right")
    assert cut.bounding_box() == before


def test_where_an_outline_matters_is_shown_and_sets_in_and_out(page: Page, open_shot: Callable[..., Bench]) -> None:
    bench = open_shot(fresh=True)
    half_done(page)
    bench.frame(1020)
    page.get_by_role("button", name="Finger", exact=True).click()
    matters = page.get_by_test_id("matters")
    expect(matters).to_have_text("1013 to 1033", timeout=60_000)  # with nothing behind it all of it counts
    expect(page.get_by_test_id("matters-run")).to_have_count(1)
    expect(page.get_by_test_id("over")).to_have_count(1)
    shot = page.url.split("/shots/")[1].split("#")[0]
    corners = [[900, 0], [1280, 0], [1280, 720], [900, 720]]
    revision = page.request.get(f"/api/shots/{shot}").json()["revision"]
    pane = {"type": "add-pane", "frame": 1013, "corners": corners, "name": "Side"}
    assert page.request.post(f"/api/shots/{shot}/edits", data={"revision": revision, "edit": pane}).ok
    expect(matters).to_have_text("Nowhere: it may be rough", timeout=60_000)
    expect(page.get_by_test_id("over")).to_have_count(0)
