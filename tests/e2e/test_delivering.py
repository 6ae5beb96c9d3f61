"""What leaves and what comes in, by the page."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import expect

from tests.e2e.bench import Bench

Open = Callable[..., Bench]


def test_a_delivery_is_put_together_line_by_line_and_holds_what_the_list_said(open_shot: Open) -> None:
    bench = open_shot("Panel tap")
    page = bench.page
    page.get_by_role("link", name="Deliver").click()
    page.get_by_role("button", name="Begin with").click()
    page.get_by_role("option", name="Compositing").click()
    files = page.get_by_label("Files").locator("li")
    expect(files.first).to_contain_text("holdout_")
    for _ in range(3):
        page.get_by_role("button", name="Leave out").last.click()
    page.get_by_role("button", name="Add").click()
    page.get_by_role("button", name="What, 2").click()
    page.get_by_role("option", name="Outlines").click()
    page.get_by_role("button", name="Form, 2").click()
    page.get_by_role("option", name="Lottie").click()
    last = page.get_by_label("Last frame")
    last.fill("1003")
    last.press("Enter")
    expect(page.get_by_test_id("estimate")).to_contain_text("5 files, 3 frames")
    pattern = page.get_by_label("Pattern of names")
    pattern.fill("{what}.{ext}")
    pattern.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("{frame:04d}")
    expect(page.get_by_role("button", name="Render delivery")).to_be_disabled()
    pattern.fill("{shot}/{what}.{frame:04d}.{ext}")
    pattern.press("Enter")
    expect(files.first).to_contain_text("Panel_tap/holdout_")
    expect(files.first).to_contain_text(".[1001-1003].exr")
    listed = files.all_inner_texts()
    page.get_by_role("button", name="Render delivery").click()
    delivery = page.get_by_test_id("delivery").first
    expect(delivery.get_by_text("read back and whole")).to_be_visible(timeout=120_000)
    url = delivery.get_by_role("link").get_attribute("href")
    with zipfile.ZipFile(io.BytesIO(page.request.get(str(url)).body())) as package:
        held = [name.split("/", 1)[1] for name in package.namelist()]
    wanted = [line.replace("[1001-1003]", str(f)) for line in listed for f in (1001, 1002, 1003)]
    assert sorted(set(wanted)) == sorted(held)
    expect(page.get_by_test_id("estimate")).to_contain_text("about")


def test_outlines_of_a_file_come_in_and_one_undo_takes_them_back(open_shot: Open, tmp_path: Path) -> None:
    bench = open_shot("Panel tap", fresh=True)
    before = len(bench.whole.covers)
    (tmp_path / "leaf.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1280 720"><circle id="Leaf" cx="300" cy="200" r="80"/></svg>'
    )
    bench.press("Escape")
    bench.page.get_by_test_id("bring-in").set_input_files(tmp_path / "leaf.svg")
    expect(bench.page.locator("[data-testid^=card-]").filter(has_text="Leaf")).to_be_visible()
    assert len(bench.whole.covers) == before + 1
    bench.press("Control+z")
    expect(bench.page.locator("[data-testid^=card-]").filter(has_text="Leaf")).to_have_count(0)
    (tmp_path / "wrong.json").write_text(json.dumps({"nothing": 1}))
    bench.page.get_by_test_id("bring-in").set_input_files(tmp_path / "wrong.json")
    expect(bench.page.get_by_text("no JSON that is known here")).to_be_visible()


def test_a_preset_is_kept_under_a_name_and_there_when_the_page_is_opened_again(open_shot: Open) -> None:
    bench = open_shot("Panel tap")
    page = bench.page
    page.get_by_role("link", name="Deliver").click()
    keep = page.get_by_role("button", name="Keep", exact=True)
    expect(keep).to_be_disabled()  # the first preset's own name
    name = page.get_by_label("Name of the preset")
    name.fill("Mattes only")
    name.press("Enter")
    page.get_by_role("button", name="Leave out").last.click()
    keep.click()
    expect(page.get_by_role("button", name="Forget Mattes only")).to_be_visible()
    page.reload()
    page.get_by_role("button", name="Begin with").click()
    page.get_by_role("option", name="Mattes only").click()
    expect(page.get_by_role("button", name="Leave out")).to_have_count(2)
    page.get_by_role("button", name="Forget Mattes only").click()
    expect(page.get_by_role("button", name="Forget Mattes only")).to_have_count(0)


def test_mattes_become_a_cover(open_shot: Open, tmp_path: Path) -> None:
    bench = open_shot("Panel tap", fresh=True)
    pictures = []
    for frame in (1001, 1002, 1003):
        matte = np.zeros((720, 1280), np.uint8)
        cv2.circle(matte, (300 + 20 * (frame - 1001), 300), 120, 255, -1, cv2.LINE_AA)
        pictures.append(tmp_path / f"pot.{frame}.png")
        cv2.imwrite(str(pictures[-1]), matte)
    bench.press("Escape")
    bench.page.get_by_test_id("mattes-files").set_input_files(pictures)
    expect(bench.page.locator("[data-testid^=card-]").filter(has_text="pot")).to_be_visible(timeout=90_000)
