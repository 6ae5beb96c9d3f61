"""Whether everything can be reached and read: axe-core's rules on every view, and the work done by keys alone."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.builders import ffmpeg, write_movie
from tests.e2e.bench import Bench
from tests.e2e.stage import ROOT

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"


EQUIVALENT = "[data-testid=strip] [role=slider]"
"""In and out as marks on the strip lie where their frame is, as near to each other as frames are; the same can be typed
and dragged in the details, which the guidelines' criterion of target size (2.5.8, "Equivalent") takes as enough."""


def complaints(page: Page) -> list[str]:
    """What axe-core finds that is serious or worse (Web Content Accessibility Guidelines 2.2, A and AA)."""
    page.evaluate(AXE.read_text())  # not as a script tag, which the page forbids
    rules = "runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']"
    runs: list[dict[str, Any]] = [
        page.evaluate(f"() => axe.run({{{rules}, rules: {{'target-size': {{enabled: false}}}}}})"),
        page.evaluate(
            f"() => axe.run({{exclude: [{EQUIVALENT!r}]}}, {{runOnly: {{type: 'rule', values: ['target-size']}}}})"
        ),
    ]
    assert len(runs[0]["passes"]) > 10  # it has looked at something
    return [
        f"{v['id']}: {v['help']}: {node['html'][:160]} {node['failureSummary'][:300]}"
        for found in runs
        for v in found["violations"]
        if v["impact"] in ("serious", "critical")
        for node in v["nodes"][:3]
    ]


@pytest.mark.parametrize("room", ["light", "dim"])
def test_the_list_and_the_sheet_of_keys(page: Page, room: str) -> None:
    page.goto("/")
    page.get_by_test_id("shot-Panel tap").first.wait_for()
    if room == "dim":
        page.get_by_role("button", name="Dim room").click()
    assert "\n".join(complaints(page)) == ""


@pytest.mark.parametrize("chosen", [None, "Index finger", "Panel screen"])
@pytest.mark.parametrize("room", ["light", "dim"])
def test_the_workbench(open_shot: Open, room: str, chosen: str | None) -> None:
    bench = open_shot()
    if room == "dim":
        bench.page.get_by_role("button", name="Dim room").click()
    if chosen:
        bench.page.locator("[data-testid^=card-]").filter(has_text=chosen).first.click()
    bench.settled()
    assert "\n".join(complaints(bench.page)) == ""


def test_the_sheet_of_keys(open_shot: Open) -> None:
    bench = open_shot()
    bench.press("?")
    bench.page.get_by_text("Keys and gestures").first.wait_for()
    assert "\n".join(complaints(bench.page)) == ""


def test_delivery(open_shot: Open) -> None:
    page = open_shot().page
    page.get_by_role("link", name="Deliver").click()
    page.get_by_role("button", name="Render").wait_for()
    assert "\n".join(complaints(page)) == ""


def test_intake_offers_the_standard_rate_that_is_nearest_to_an_odd_one(page: Page, tmp_path: Path) -> None:
    even = write_movie(tmp_path / "even.mp4", 40)
    odd = tmp_path / "odd.mp4"
    ffmpeg("-r", "456000/15217", "-i", even, "-an", "-c:v", "libx264", "-video_track_timescale", "456000", odd)
    page.goto("/")
    page.locator("input[type=file]").first.set_input_files(odd)
    take = page.get_by_role("button", name="Take 29.97 instead")
    take.wait_for()
    expect(page.get_by_text("the last frame is then 0.005 frames off")).to_be_visible()
    assert "\n".join(complaints(page)) == ""
    take.click()
    expect(take).to_have_count(0)
    expect(page.get_by_role("button", name="29.97")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="Discard").click()


def focus_by_tab(page: Page, name: str, most: int = 120) -> None:
    """Press Tab until something of that name has the focus."""
    for _ in range(most):
        page.keyboard.press("Tab")
        focused = "() => document.activeElement?.ariaLabel ?? document.activeElement?.innerText ?? ''"
        if page.evaluate(focused).startswith(name):
            return
    pytest.fail(f"{name} cannot be reached by Tab")


def test_the_order_in_depth_is_changed_by_keys_alone(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    for x, name in ((300, "Cover"), (600, "Cover 2")):
        bench.press("c")
        bench.drag((x, 200), (x + 100, 300))
        bench.last_done(f"Drew {name}, frame")
    order = bench.page.locator("[data-testid^=card-]")
    before = order.evaluate_all("cards => cards.map(c => c.dataset.testid)")
    assert before == ["card-Cover 2", "card-Cover"]
    below = next(c["id"] for c in bench.elements("cover") if c["name"] == "Cover")
    focus_by_tab(bench.page, "Cover 2")
    said = bench.page.locator("[id^=DndLiveRegion]")
    bench.page.keyboard.press("Space")
    expect(said).to_contain_text("over droppable area")
    # The library hears arrows from a moment after the card was lifted, sooner than any hand presses the next key; farther
    # down than the last card one does not get.
    for _ in range(20):
        bench.page.keyboard.press("ArrowDown")
        try:
            expect(said).to_contain_text(f"over droppable area {below}", timeout=1000)
            break
        except AssertionError:
            continue
    expect(said).to_contain_text(f"over droppable area {below}")
    bench.page.keyboard.press("Space")
    expect(order.first).not_to_have_attribute("data-testid", before[0])
    bench.press("Control+z")
    expect(order.first).to_have_attribute("data-testid", before[0])


def make(bench: Bench, **edit: Any) -> None:
    """An edit as another page would make it."""
    shot = bench.shot
    answer = bench.page.request.post(
        f"/api/shots/{shot['id']}/edits", data={"revision": shot["revision"], "edit": edit}
    )
    assert answer.ok, answer.text()


def test_keys_of_a_lane_and_in_and_out_are_set_by_keys_alone(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    bench.press("c")
    bench.drag((300, 200), (400, 300))
    bench.last_done("Drew Cover, frame")
    outline = bench.elements("outline")[0]["id"]
    make(bench, type="set-key", element=outline, frame=1011)
    lane = bench.page.get_by_test_id("lane-Cover")
    expect(lane).to_have_attribute("aria-label", "Keys of Cover: 1001, 1011")
    focus_by_tab(bench.page, "Keys of Cover")
    bench.page.keyboard.press("ArrowRight")
    expect(bench.page.locator("[data-testid=picture][data-frame='1011']")).to_be_visible()
    bench.page.keyboard.press("Alt+ArrowRight")
    expect(lane).to_have_attribute("aria-label", "Keys of Cover: 1001, 1012")
    bench.page.keyboard.press("ArrowLeft")
    expect(bench.page.locator("[data-testid=picture][data-frame='1001']")).to_be_visible()
    focus_by_tab(bench.page, "In of Cover")
    bench.page.keyboard.press("Shift+ArrowRight")
    expect(bench.page.get_by_role("slider", name="In of Cover")).to_have_attribute("aria-valuenow", "1011")
    focus_by_tab(bench.page, "Out of Cover")
    bench.page.keyboard.press("ArrowLeft")
    expect(bench.page.get_by_role("slider", name="Out of Cover")).to_have_attribute("aria-valuenow", "1099")
    (cover,) = bench.elements("cover")
    assert (cover["first"], cover["last"]) == (1011, 1099)


def test_a_group_is_chosen_and_renamed_by_keys_alone(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    for x, name in ((300, "Cover"), (600, "Cover 2")):
        bench.press("c")
        bench.drag((x, 200), (x + 100, 300))
        bench.last_done(f"Drew {name}, frame")
    make(bench, type="group-covers", covers=[c["id"] for c in bench.elements("cover")], name="Hands")
    expect(bench.page.get_by_role("button", name="Hands 2 covers")).to_be_visible()
    focus_by_tab(bench.page, "Hands")
    bench.page.keyboard.press("Enter")
    bench.page.keyboard.press("F2")
    field = bench.page.get_by_label("Group name")
    expect(field).to_be_visible()
    field.focus()
    bench.page.keyboard.press("Control+a")
    bench.page.keyboard.type("Gloves")
    bench.page.keyboard.press("Enter")
    bench.last_done("Gloves")
    assert [g["name"] for g in bench.elements("group")] == ["Gloves"]


def test_things_commands_rows_and_frames_are_found_by_typing(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    finder, typed = page.get_by_test_id("finder"), page.get_by_label("Find a thing, a command, a row or a frame")

    def find(words: str, first: str) -> None:
        page.keyboard.press("Control+k")
        expect(typed).to_be_focused()
        page.keyboard.type(words)
        expect(finder.get_by_role("option").first).to_contain_text(first)

    find("1047", "Frame 1047")
    assert "\n".join(complaints(page)) == ""
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("frame")).to_have_text("1047")
    expect(finder).to_have_count(0)
    find("ellip", "Ellipse")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Ellipse")).to_have_attribute("aria-pressed", "true")
    bench.drag((500, 300), (700, 460))
    bench.last_done("Drew Cover")
    page.keyboard.press("Escape")
    find("cover", "Cover")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=re.compile("^Cover"))).to_be_visible()
    find("name", "Name")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Name", exact=True)).to_be_focused()
    page.keyboard.press("Control+k")  # also from within a field
    expect(typed).to_be_focused()
    page.keyboard.type("qqqq")
    expect(finder).to_contain_text("Nothing here is called that")
    page.keyboard.press("Escape")
    expect(finder).to_have_count(0)
