"""Keys, reach over a range, carrying on, thinning out, copies, groups, and two pages on one shot."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import pytest
from playwright.sync_api import Browser, Locator, expect

from tests.e2e.bench import Bench
from tests.e2e.stage import Server
from tests.e2e.test_shaping import draw_square

Open = Callable[..., Bench]


def keys(bench: Bench, outline: int = 0) -> list[int]:
    return [k["frame"] for k in bench.elements("outline")[outline]["keys"]]


def lefts(bench: Bench) -> np.ndarray:
    (outline,) = bench.elements("outline")
    return np.array([min(p[0] for p in k["points"]) for k in outline["keys"]])


def set_keys(bench: Bench, *frames: int) -> None:
    for frame in frames:
        bench.frame(frame)
        with bench.one_change():
            bench.press("k")


def drag_key(bench: Bench, frame: int, to: int) -> None:
    strip = bench.page.get_by_test_id("ruler").bounding_box()
    assert strip
    x, y = bench.key_place(frame)
    step = strip["width"] / 100
    bench.page.mouse.move(x, y)
    bench.page.mouse.down()
    bench.page.mouse.move(x + (to - frame) * step, y, steps=6)
    bench.page.mouse.up()


def test_keys_are_swept_copied_and_stretched_on_the_strip(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    set_keys(bench, 1011, 1021)
    page = bench.page
    with bench.one_change():
        page.keyboard.down("Control")
        drag_key(bench, 1021, 1031)
        page.keyboard.up("Control")
    assert keys(bench) == [1001, 1011, 1021, 1031]
    x, y = bench.key_place(1011)
    last, _ = bench.key_place(1031)
    page.mouse.move(x - 10, y)  # over nothing: a sweep chooses what lies in it
    page.mouse.down()
    page.mouse.move(last + 6, y, steps=5)
    page.mouse.up()
    with bench.one_change():
        page.keyboard.down("Alt")
        drag_key(bench, 1031, 1051)
        page.keyboard.up("Alt")
    assert keys(bench) == [1001, 1011, 1031, 1051]
    with bench.one_change():
        bench.press("Delete")
    assert keys(bench) == [1001]


def test_an_edit_dies_away_beyond_a_range(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    set_keys(bench, 1011, 1021, 1031, 1041, 1061)
    page = bench.page
    page.get_by_role("button", name="Range", exact=True).click()
    for label, value in (("Range from", 1015), ("Range to", 1025), ("Soft frames", 19)):
        page.get_by_label(label).fill(str(value))
        bench.press("Enter")
    bench.frame(1021)
    start = lefts(bench)
    with bench.one_change():
        bench.press("Shift+ArrowRight")
    moved = lefts(bench) - start
    assert moved[2] == pytest.approx(10)
    # Outside the range by 4, 6, 16 and 14 of 20 frames the share falls as 1 - 3t^2 + 2t^3.
    assert moved[[1, 3, 4]] == pytest.approx([8.96, 7.84, 1.04], abs=0.01)
    assert moved[[0, 5]] == pytest.approx([2.16, 0], abs=0.01)


def test_a_stretch_is_eased_by_a_curve_that_is_dragged(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.frame(1021)
    with bench.one_change():
        bench.drag((400, 300), (600, 300))
    bench.frame(1011)
    with bench.one_change():
        bench.page.get_by_role("button", name="Curve", exact=True).click()
    (outline,) = bench.elements("outline")
    assert outline["keys"][0]["curve"] == [0.42, 0, 0.58, 1]
    bench.page.get_by_test_id("curve").scroll_into_view_if_needed()
    box = bench.page.get_by_test_id("curve").bounding_box()
    assert box
    with bench.one_change():
        page = bench.page
        page.mouse.move(box["x"] + 14 + 0.42 * (box["width"] - 28), box["y"] + box["height"] - 14)
        page.mouse.down()
        page.mouse.move(box["x"] + 14 + 0.9 * (box["width"] - 28), box["y"] + box["height"] - 14, steps=5)
        page.mouse.up()
    x1 = bench.elements("outline")[0]["keys"][0]["curve"][0]
    assert x1 == pytest.approx(0.9, abs=0.03)


def test_the_way_round_is_chosen(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    set_keys(bench, 1021)
    bench.frame(1011)
    with bench.one_change():
        bench.page.get_by_role("button", name="+1").click()
    shape = bench.page.request.get(
        f"/api/shots/{bench.page.url.split('/')[-1]}/geometry?revision={bench.shot['revision']}&first=1011&last=1011"
    )
    half_turned = np.frombuffer(shape.body(), "<f4").reshape(4, 8)
    assert half_turned[0, :2] == pytest.approx([500, 400], abs=1)  # the first corner is across


def without_later_keys(bench: Bench, cover: str) -> None:
    """Take a cover's keys after frame 1052 away, as an artist who has not come further yet."""
    (its,) = (c for c in bench.elements("cover") if c["name"] == cover)
    (outline,) = (o for o in bench.elements("outline") if o["cover"] == its["id"])
    frames = [k["frame"] for k in outline["keys"] if k["frame"] > 1052]
    body = {
        "revision": bench.shot["revision"],
        "edit": {"type": "delete-keys", "element": outline["id"], "frames": frames},
    }
    with bench.one_change():
        assert bench.page.request.post(f"/api/shots/{bench.page.url.split('/')[-1]}/edits", data=body).ok


def undo_twice(bench: Bench) -> None:
    for _ in range(2):
        with bench.one_change():
            bench.press("Control+z")


def carried_on(bench: Bench, cover: str, frames: int) -> Locator:
    """Have a cover's outline carried on from frame 1052; the bar with what is proposed."""
    bench.frame(1052)
    page = bench.page
    page.get_by_test_id(f"card-{cover}").click()
    page.get_by_label("Frames to carry on").fill(str(frames))
    bench.press("Enter")
    page.get_by_role("button", name="On", exact=True).click()
    return page.get_by_test_id("proposal")


def test_carrying_on_is_kept_frame_by_frame(open_shot: Open) -> None:
    bench = open_shot()
    without_later_keys(bench, "Hand")
    bar = carried_on(bench, "Hand", 4)
    expect(bar).to_contain_text("arried on over 4 frames", timeout=60_000)
    bench.press("d", "d")
    expect(bar).to_contain_text("sure here")
    bar.get_by_role("button", name="Leave out 1054").click()
    with bench.one_change():
        bench.press("Enter")
    bench.last_done("Set 3 keys of Hand, frames 1053 to 1056")
    undo_twice(bench)


def test_how_much_may_be_in_doubt_is_set_and_it_ends_there(open_shot: Open) -> None:
    bench = open_shot()
    without_later_keys(bench, "Index finger")
    bench.page.get_by_test_id("card-Index finger").click()
    field = bench.page.get_by_label("Share of the outline that may be in doubt before it ends", exact=True)
    field.fill("0")
    bench.press("Enter")
    bar = carried_on(bench, "Index finger", 20)
    # Nothing in doubt is kept, so it ends before the frame on which its tip turns over.
    expect(bar).to_contain_text("It ends before frame", timeout=60_000)
    expect(bar).not_to_contain_text("parts are in doubt")
    bench.press("Escape")
    with bench.one_change():
        bench.press("Control+z")


def test_before_a_later_key_it_is_carried_on_from_both(open_shot: Open) -> None:
    bench = open_shot()
    bar = carried_on(bench, "Hand", 20)
    expect(bar).to_contain_text(re.compile("over 3 frames|between the keys"), timeout=60_000)
    bench.press("d")
    expect(bar).to_contain_text("sure here")
    with bench.one_change():
        bench.press("Enter")
    bench.last_done("Set 3 keys of Hand, frames 1053 to 1055")
    with bench.one_change():
        bench.press("Control+z")


def carried_in_doubt(bench: Bench) -> tuple[int, int, int, Locator]:
    """Have the index finger carried on while its tip turns over: how many frames, how many in doubt, the first of these, and its pin."""
    without_later_keys(bench, "Index finger")
    bar = carried_on(bench, "Index finger", 20)
    expect(bar).to_contain_text("parts are in doubt", timeout=60_000)
    told = re.search(r"over (\d+) frames; on (\d+) of them, from (\d+)", bar.inner_text())
    assert told
    frames, doubtful, first = map(int, told.groups())
    return frames, doubtful, first, bench.page.locator(f'[data-testid="pin"][data-frame="{first}"]')


def test_carrying_on_goes_on_where_a_part_is_in_doubt_and_marks_it(open_shot: Open) -> None:
    bench = open_shot()
    frames, doubtful, first, pin = carried_in_doubt(bench)
    assert frames >= 6  # it used to end at the first doubtful stretch
    assert 1 <= doubtful <= frames
    ring, marked = bench.page.get_by_test_id("lost"), bench.page.get_by_test_id("doubtful").locator("path")
    expect(ring).to_have_count(0)
    bench.frame(first)
    expect(ring).to_be_visible()
    expect(marked.first).to_be_attached()
    (finger,) = (c for c in bench.elements("cover") if c["name"] == "Index finger")
    (outline,) = (o for o in bench.elements("outline") if o["cover"] == finger["id"])
    key = min(outline["keys"], key=lambda k: abs(k["frame"] - first))
    box = ring.bounding_box()
    assert box
    middle = np.array([box["x"] + box["width"] / 2, box["y"] + box["height"] / 2])
    near = [np.hypot(*(middle - bench.place(*p[:2]))) for p in key["points"]]
    assert min(near) < 60  # it lies on the finger
    expect(pin).to_be_visible()
    bench.press("Escape")
    expect(ring).to_have_count(0)
    with bench.one_change():
        bench.press("Control+z")


def test_what_is_in_doubt_stays_pinned_when_it_is_kept_until_it_is_said_to_be_right(open_shot: Open) -> None:
    bench = open_shot()
    _, _, first, pin = carried_in_doubt(bench)
    with bench.one_change():
        bench.press("Enter")
    bench.frame(first)
    expect(pin).to_be_visible()
    expect(bench.page.get_by_test_id("off-mark").first).to_be_attached()
    with bench.one_change():
        bench.page.get_by_role("button", name="Looks right", exact=True).click()
    expect(bench.page.get_by_test_id("fit-here")).to_have_text("Looks right")
    expect(pin).to_have_count(0)
    for _ in range(3):
        with bench.one_change():
            bench.press("Control+z")


def test_thinning_out_shows_what_stays_and_then_does_it(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.frame(1031)
    with bench.one_change():
        bench.drag((400, 300), (520, 300))
    set_keys(bench, 1006, 1011, 1016, 1021, 1026)
    page = bench.page
    page.get_by_role("button", name="Thin out").click()
    bar = page.get_by_test_id("proposal")
    expect(bar).to_contain_text("2 of 7 keys stay")
    assert len(keys(bench)) == 7
    with bench.one_change():
        bar.get_by_role("button", name="Keep").click()
    assert keys(bench) == [1001, 1031]
    bench.last_done("Thinned out from 7 to 2 keys")


def test_covers_are_copied_to_another_shot_duplicated_and_mirrored(open_shot: Open) -> None:
    bench = open_shot()
    page = bench.page
    page.get_by_test_id("card-Index finger").click()
    bench.press("Control+c")
    expect(page.get_by_text("Copied Index finger")).to_be_visible()
    bench = open_shot("Large tap", fresh=True)
    bench.frame(1011)
    with bench.one_change():
        bench.press("Control+v")
    bench.last_done("Pasted Index finger")
    frames = keys(bench)
    assert frames[0] == 1011
    assert frames[-1] <= 1040  # what lies beyond this plate's last frame is left out
    with bench.one_change():
        bench.press("Control+d")
    bench.last_done("Duplicated Index finger as Index finger 2")
    before = np.array(bench.elements("outline")[0]["keys"][0]["points"])
    page.get_by_test_id("card-Index finger").click()
    with bench.one_change():
        page.get_by_role("button", name="Upside down").click()
    shapes = [np.array(o["keys"][0]["points"]) for o in bench.elements("outline")]
    assert any(np.abs(s - before).max() > 1 for s in shapes)
    with bench.one_change():
        page.get_by_role("button", name="Paste here").click()
    bench.last_done("Pasted 1 outline into Index finger")
    draw_square(bench)
    bench.press("Control+Shift+v")
    expect(page.get_by_text("11 points, this outline has 4")).to_be_visible()


def test_covers_are_grouped_folded_hidden_moved_and_taken_apart(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench, 200)
    draw_square(bench, 500)
    page = bench.page
    page.get_by_test_id("card-Cover").click()
    page.get_by_test_id("card-Cover 2").click(modifiers=["Shift"])
    with bench.one_change():
        bench.press("Control+g")
    group = page.get_by_test_id("group-Group")
    expect(group).to_contain_text("2 covers")
    start = [np.array(o["keys"][0]["points"])[0, 0] for o in bench.elements("outline")]
    with bench.one_change():
        bench.press("Shift+ArrowRight")
    assert [np.array(o["keys"][0]["points"])[0, 0] for o in bench.elements("outline")] == [s + 10 for s in start]
    group.get_by_role("button", name="Hide the group").click()
    bench.last_done("Hid Group")
    bench.press("2")
    bench.settled()
    assert bench.pixel(300, 300)[0] == 0
    group.get_by_role("button", name="Show the group").click()
    bench.last_done("Showed Group")
    bench.settled()
    assert bench.pixel(300, 300)[0] == 255
    group.get_by_role("button", name="Lock the group").click()
    bench.last_done("Locked Group")
    bench.press("ArrowRight")
    expect(page.get_by_text("The group “Group” is locked")).to_be_visible()
    group.get_by_role("button", name="Fold", exact=True).click()
    bench.last_done("Folded Group")
    expect(page.get_by_test_id("card-Cover 2")).to_be_hidden()
    group.hover()
    group.get_by_role("button", name="Take the group apart").click()
    bench.last_done("Took Group apart")
    expect(page.get_by_test_id("card-Cover 2")).to_be_visible()


def test_a_group_is_dragged_in_the_depth_list_as_a_whole(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    for x in (200, 350, 500):
        draw_square(bench, x)
    page = bench.page
    page.get_by_test_id("card-Cover").click()
    page.get_by_test_id("card-Cover 2").click(modifiers=["Shift"])
    with bench.one_change():
        bench.press("Control+g")

    def order() -> list[str]:
        elements = bench.shot["elements"]
        return [elements[i]["name"] for i in elements["settings"]["depth"]]

    members = ["Cover 2", "Cover"]
    assert order() == ["Cover 3", *members]
    bench.drag_row("group-Group", "card-Cover 3")
    assert order() == [*members, "Cover 3"]
    page.get_by_test_id("group-Group").get_by_role("button", name="Fold", exact=True).click()
    bench.last_done("Folded Group")
    bench.drag_row("group-Group", "card-Cover 3")
    assert order() == ["Cover 3", *members]
    bench.press("Control+z")
    bench.last_done("Undid: Changed the depth order")
    assert order() == [*members, "Cover 3"]


def test_solo_and_the_scope_say_what_the_matte_shows(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench, 200)
    draw_square(bench, 500)
    page = bench.page
    bench.press("2")
    bench.settled()
    assert [bench.pixel(x, 300)[0] for x in (300, 600)] == [255, 255]
    page.get_by_test_id("card-Cover").click()
    page.get_by_label("Looks").get_by_role("button", name="Cover", exact=True).click()
    bench.settled()
    assert [bench.pixel(x, 300)[0] for x in (300, 600)] == [255, 0]
    page.get_by_role("button", name="All", exact=True).click()
    card = page.get_by_test_id("card-Cover 2")
    card.hover()
    card.get_by_role("button", name="Solo").click()
    bench.settled()
    assert [bench.pixel(x, 300)[0] for x in (300, 600)] == [0, 255]
    page.get_by_role("button", name="1 solo, show all").click()
    bench.press("3")
    page.get_by_role("button", name="Ground of the cut-out").click()
    bench.settled()
    assert bench.pixel(100, 600) == [128, 128, 128]


def test_two_pages_on_one_shot_keep_each_others_work(open_shot: Open, browser: Browser, server: Server) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench, 200)
    draw_square(bench, 500)
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address)
    other = Bench(context.new_page())
    other.page.goto(bench.page.url)
    other.settled()
    # This page is in the middle of a drag when the other one moves another cover.
    page = bench.page
    page.get_by_test_id("card-Cover").click()
    page.mouse.move(*bench.place(300, 300))
    page.mouse.down()
    page.mouse.move(*bench.place(300, 340), steps=4)
    other.page.get_by_test_id("card-Cover 2").click()
    with other.one_change():
        other.press("ArrowRight")
    expect(page.get_by_text("Another page has changed this shot")).to_be_visible()
    page.mouse.move(*bench.place(300, 350), steps=3)
    page.mouse.up()
    bench.last_done("Moved whole Cover, frame 1001")
    tops = sorted(min(p[1] for p in o["keys"][0]["points"]) for o in bench.elements("outline"))
    assert tops == pytest.approx([200, 250], abs=1.5)
    # A draft in hand stays in hand.
    bench.press("p")
    bench.click(700, 500)
    bench.click(800, 500)
    with other.one_change():
        other.press("ArrowRight")
    page.wait_for_timeout(300)
    bench.click(800, 600)
    bench.press("Enter")
    bench.last_done("Drew Cover 3")
    context.close()
