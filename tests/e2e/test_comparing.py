"""Two pictures compared, colours that stand in, and pictures that are rendered ahead."""

from __future__ import annotations

import json
import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.bench import Bench
from tests.e2e.test_sitting import FACE, with_pane

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]
BESIDE = (90.0, 640.0)
"""A place of the plate off the pane."""
COMPARED = '[data-testid=picture][data-settled="true"][data-compared="true"]'


@pytest.fixture
def ahead(request: pytest.FixtureRequest) -> str:
    return "on" if "ahead" in request.node.name else "off"


def post_edit(page: Page, **what: object) -> None:
    """An edit by somebody else."""
    address = "/api/shots/" + page.url.split("/shots/")[1].split("#")[0]
    revision = page.request.get(address).json()["revision"]
    answer = page.request.post(f"{address}/edits", data={"revision": revision, "edit": what})
    assert answer.ok, answer.text()


def pane_of(bench: Bench) -> str:
    return str(bench.elements("pane")[0]["id"])


def test_a_version_is_compared_with_what_is_there_now(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    bench.settled()
    as_kept = bench.pixel(*FACE)
    address = "/api/shots/" + page.url.split("/shots/")[1].split("#")[0]
    made = page.request.post(f"{address}/versions", data={"name": "Bright", "frame": 1001})
    assert made.ok
    post_edit(page, type="set-pane", pane=pane_of(bench), opacity=0.0)
    bench.press("u")
    page.get_by_label("Look beyond the divider").select_option(label="v001 Bright")
    page.wait_for_selector(COMPARED)

    page.get_by_label("How they are compared").select_option(label="differ × 4")
    page.wait_for_selector(COMPARED)
    expect(page.get_by_role("button", name="Drag the divider")).to_have_count(0)
    bench.settled()
    differs, same = bench.pixel(*FACE), bench.pixel(*BESIDE)
    assert max(differs) > 60
    assert max(same) <= 1  # nothing of how pictures are compressed

    page.keyboard.down("v")
    page.wait_for_selector('[data-testid=picture][data-settled="true"]')
    bench.settled()
    assert max(abs(p - q) for p, q in zip(bench.pixel(*FACE), as_kept, strict=True)) < 12
    page.keyboard.up("v")
    bench.press("u")
    bench.settled()
    assert max(abs(p - q) for p, q in zip(bench.pixel(*FACE), as_kept, strict=True)) > 20  # the pane is gone now


def test_a_colour_stands_in_for_the_insert_and_for_the_plate(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    bench.press("4")
    bench.settled()
    page.get_by_role("button", name="Stand-ins").click()
    page.get_by_role("group", name="Instead of the insert").get_by_label("Insert in #1e6fd0").click()
    bench.settled()
    assert max(abs(p - q) for p, q in zip(bench.pixel(*FACE), (0x1E, 0x6F, 0xD0), strict=True)) < 12
    page.get_by_role("group", name="Instead of the plate").get_by_label("Plate in #c81e5a").click()
    bench.settled()
    assert max(abs(p - q) for p, q in zip(bench.pixel(*BESIDE), (0xC8, 0x1E, 0x5A), strict=True)) < 12


def test_pictures_are_rendered_ahead_and_an_edit_takes_only_what_it_touched(open_shot: Open) -> None:
    bench = with_pane(open_shot)
    page = bench.page
    bench.frame(1001)
    page.get_by_role("button", name="Loop from here").click()
    bench.frame(1030)
    page.get_by_role("button", name="to here", exact=True).click()
    bench.frame(1010)
    bench.press("4")
    ready = page.get_by_test_id("ready")
    expect(ready).to_have_attribute("data-runs", re.compile(r"^\[\[1001,10(3\d|4\d)\]"), timeout=120_000)

    asked: list[int] = []
    page.on("request", lambda r: asked.extend(int(n) for n in re.findall(r"/looks/composite/(\d+)", r.url)))
    piece = {"id": "flash", "name": "Flash", "source": "solid", "first": 1024, "last": 1026, "fade_in": 0}
    with page.expect_event("requestfinished", lambda r: "/looks/composite/1026" in r.url, timeout=120_000):
        post_edit(page, type="set-pane", pane=pane_of(bench), pieces=[piece])
    expect(ready).to_have_attribute("data-runs", re.compile(r"^\[\[1001,10(3\d|4\d)\]"), timeout=120_000)
    assert set(asked) == {1024, 1025, 1026}

    # Whoever comes later finds them on the server's disk.
    page.reload()
    bench.settled()
    bench.press("4")
    expect(ready).to_have_attribute("data-runs", re.compile(r"^\[\[1001,10(3\d|4\d)\]"))
    runs = json.loads(ready.get_attribute("data-runs") or "[]")
    assert runs[0][0] == 1001


def test_what_will_not_be_seen_is_dimmed_and_the_delivery_may_leave_it_out(open_shot: Open, page: Page) -> None:
    bench = open_shot("Panel tap", fresh=True)
    inside, outside = (640.0, 360.0), (640.0, 40.0)
    before = bench.pixel(*inside), bench.pixel(*outside)
    page.get_by_role("button", name="Crop: Whole plate").click()
    page.get_by_role("option", name="2.39:1").click()
    bench.last_done("Cropped to 1280 x 536")
    bench.settled()
    assert bench.pixel(*inside) == before[0]
    assert max(bench.pixel(*outside)) < max(before[1]) * 0.6
    bottom = page.get_by_label("Crop bottom")
    bottom.fill("700")
    bottom.press("Enter")
    bench.last_done("Cropped to 1280 x 608")
    expect(page.get_by_role("button", name="Crop: By hand")).to_be_visible()
    page.keyboard.press("Control+z")
    bench.settled()
    expect(page.get_by_role("button", name="Crop: 2.39:1")).to_be_visible()

    page.get_by_role("link", name="Deliver").click()
    page.get_by_role("button", name="Picture: Whole plate").click()
    page.get_by_role("option", name="The crop, 1280 x 536").click()
    with page.expect_request(
        lambda r: r.method == "POST" and "1280" not in r.url and '"crop":[0,92,1280,628]' in (r.post_data or "")
    ):
        page.get_by_label("Handles").fill("1")
        page.get_by_label("Handles").press("Enter")
