"""Drawing, shaping and keying with mouse and keys."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.e2e.bench import Bench
from wiseglove.core.geometry.bezier import places_at, signed_area

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]


def points(bench: Bench, key: int = 0) -> np.ndarray:
    (outline,) = bench.elements("outline")
    return np.array(outline["keys"][key]["points"])


def draw_square(bench: Bench) -> None:
    """Four corners with the pen, closed with Enter."""
    bench.press("p")
    for corner in ((300, 200), (500, 200), (500, 400), (300, 400)):
        bench.click(*corner)
    with bench.one_change():
        bench.press("Enter")
    bench.last_done("Drew Cover")


def test_the_pen_makes_corners_by_clicks_smooth_points_by_drags_and_closes_on_the_first_point(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    bench.press("p")
    expect(bench.page.get_by_text("Click for a corner · drag for a smooth point")).to_be_visible()
    bench.click(300, 200)
    bench.drag((500, 200), (540, 230))
    bench.click(480, 420)
    bench.drag((320, 400), (290, 380))
    bench.click(302, 201)
    bench.last_done("Drew Cover, frame 1001")
    (outline,) = bench.elements("outline")
    assert outline["kinds"] == ["corner", "smooth", "corner", "smooth"]
    drawn = points(bench)
    assert np.abs(drawn[:, :2] - [(300, 200), (500, 200), (480, 420), (320, 400)]).max() < 1
    assert np.abs(drawn[1, 4:6] - (40, 30)).max() < 1.5
    assert np.allclose(drawn[1, 2:4], -drawn[1, 4:6])
    assert bench.page.get_by_test_id("card-Cover").is_visible()


def test_a_stroke_can_be_taken_back_point_by_point_and_given_up(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    bench.press("p")
    for corner in ((300, 200), (500, 200), (520, 520), (500, 400)):
        bench.click(*corner)
    bench.press("Backspace", "Control+z")
    bench.click(300, 420)
    bench.press("Enter")
    bench.last_done("Drew Cover")
    assert np.abs(points(bench)[:, :2] - [(300, 200), (500, 200), (300, 420)]).max() < 1
    bench.press("p")
    bench.click(700, 300)
    bench.press("Enter")
    expect(bench.page.get_by_text("An outline needs at least three points.")).to_be_visible()
    bench.press("Escape", "s")
    assert len(bench.elements("outline")) == 1


def test_points_handles_and_the_whole_outline_move(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.drag((300, 200), (280, 180))
    bench.last_done("Moved 1 point of Cover")
    assert np.abs(points(bench)[0, :2] - (280, 180)).max() < 1
    bench.double_click(500, 200)
    bench.last_done("Made smooth")
    smooth = points(bench)[1]
    assert np.hypot(*smooth[4:6]) > 20
    bench.click(500, 200)
    tip = smooth[:2] + smooth[4:6]
    bench.drag(tuple(tip), (tip[0] + 30, tip[1] + 10))
    bench.last_done("Moved 1 point of Cover")
    turned = points(bench)[1]
    assert np.abs(turned[4:6] - smooth[4:6] - (30, 10)).max() < 1.5
    cross = turned[2] * turned[5] - turned[3] * turned[4]
    assert abs(cross) / np.hypot(*turned[2:4]) / np.hypot(*turned[4:6]) < 1e-6  # the other handle stays in line
    before = points(bench)
    bench.drag((400, 330), (460, 300))
    bench.last_done("Moved whole Cover")
    assert np.abs(points(bench)[:, :2] - before[:, :2] - (60, -30)).max() < 1
    assert np.allclose(points(bench)[:, 2:], before[:, 2:])


def test_arrows_nudge_by_a_pixel_ten_and_a_tenth(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.click(300, 200)
    start = points(bench)
    for key, step in (("ArrowRight", (1, 0)), ("Shift+ArrowDown", (0, 10)), ("Alt+ArrowLeft", (-0.1, 0))):
        with bench.one_change():
            bench.press(key)
        moved = points(bench)
        assert np.allclose(moved[0, :2] - start[0, :2], step)
        assert np.allclose(moved[1:], start[1:])
        start = moved


def test_a_box_chooses_points_and_delete_takes_them_out(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.double_click(400, 200)  # on the curve: a point comes in
    bench.last_done("Added a point to Cover")
    area = signed_area(points(bench))
    assert abs(area) == pytest.approx(200 * 200, rel=0.01)
    bench.click(900, 600)
    bench.page.get_by_test_id("card-Cover").click()
    bench.drag((380, 150), (420, 250))
    expect(bench.page.get_by_text("1 chosen")).to_be_visible()
    bench.press("Delete")
    bench.last_done("Removed 1 point from Cover")
    assert len(points(bench)) == 4


def test_a_double_click_adds_a_point_where_handles_come_up_under_it(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    bench.press("g")
    bench.drag((400, 300), (600, 300))
    bench.last_done("Drew Index finger")
    finger = points(bench)
    # A place on the curve, away from its points, next to a handle that the first click will show.
    segments, t = np.repeat(np.arange(len(finger)), 60), np.tile(np.linspace(0.2, 0.8, 60), len(finger))
    places, _ = places_at(finger, segments, t)
    handles = finger[segments, :2] + finger[segments, 4:6]
    away = np.linalg.norm(places - handles, axis=1)
    away[np.linalg.norm(places[:, None] - finger[:, :2], axis=2).min(axis=1) < 16] = np.inf
    assert away.min() < 5
    out = tuple(places[away.argmin()])
    bench.double_click(*out)
    bench.last_done("Added a point to Index finger")
    assert len(points(bench)) == len(finger) + 1


def test_a_change_on_another_frame_makes_a_key_and_frames_between_are_in_betweened(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.frame(1021)
    bench.drag((400, 300), (600, 320))
    bench.last_done("Moved whole Cover, frame 1021")
    (outline,) = bench.elements("outline")
    assert [k["frame"] for k in outline["keys"]] == [1001, 1021]
    bench.frame(1011)
    bench.press("2")
    bench.settled()
    assert bench.pixel(500, 310) == [255, 255, 255]  # half way
    assert bench.pixel(330, 310) == [0, 0, 0]
    bench.press("q")
    expect(bench.page.get_by_test_id("frame")).to_have_text("1001")
    bench.press("e")
    expect(bench.page.get_by_test_id("frame")).to_have_text("1021")


def test_keys_are_dragged_chosen_and_deleted_on_the_strip(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    for frame, x in ((1021, 600), (1041, 650)):
        bench.frame(frame)
        current = np.array(bench.elements("outline")[0]["keys"][-1]["points"])[:, :2].mean(axis=0)
        bench.drag(tuple(current), (x, 320))
        bench.last_done(f"frame {frame}")
    lane = bench.page.get_by_test_id("lane-Cover").bounding_box()
    assert lane
    x, y = bench.key_place(1021)
    bench.page.mouse.move(x, y)
    bench.page.mouse.down()
    bench.page.mouse.move(x + 7 * lane["width"] / 100, y, steps=5)
    bench.page.mouse.up()
    bench.last_done("Moved key 1021 by +7")
    assert [k["frame"] for k in bench.elements("outline")[0]["keys"]] == [1001, 1028, 1041]
    bench.page.mouse.click(*bench.key_place(1028))
    bench.page.keyboard.down("Shift")
    bench.page.mouse.click(*bench.key_place(1041))
    bench.page.keyboard.up("Shift")
    bench.press("Delete")
    bench.last_done("Deleted 2 keys")
    assert [k["frame"] for k in bench.elements("outline")[0]["keys"]] == [1001]
    bench.press("Control+z")
    bench.last_done("Undid: Deleted 2 keys")
    bench.page.mouse.click(*bench.key_place(1028))
    bench.page.get_by_role("button", name="Hold", exact=True).click()
    bench.last_done("Eased to hold")
    assert [k["ease"] for k in bench.elements("outline")[0]["keys"]] == ["smooth", "hold", "smooth"]


def test_name_colour_show_lock_in_and_out(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    page = bench.page
    name = page.get_by_label("Name")
    name.fill("Thumb")
    name.press("Enter")
    bench.last_done("Renamed Cover to Thumb")
    page.get_by_label("Colour #d55e00").click()
    bench.last_done("Changed colour of Thumb")
    bench.press("2")
    bench.settled()
    assert bench.pixel(400, 300) == [255, 255, 255]
    card = page.get_by_test_id("card-Thumb")
    card.get_by_role("button", name="Hide").click()
    bench.last_done("Hid Thumb")
    bench.settled()
    assert bench.pixel(400, 300) == [0, 0, 0]
    card.get_by_role("button", name="Show").click()
    card.get_by_role("button", name="Lock").click()
    bench.last_done("Locked Thumb")
    revision = bench.shot["revision"]
    bench.drag((400, 300), (450, 300))
    expect(page.get_by_text("“Thumb” is locked. Unlock it")).to_be_visible()
    assert bench.shot["revision"] == revision
    card.get_by_role("button", name="Unlock").click()
    bench.last_done("Unlocked Thumb")
    page.get_by_role("button", name="Matte and span").click()
    out = page.get_by_label("Out", exact=True).and_(page.locator("input"))
    out.fill("1010")
    out.press("Enter")
    bench.last_done("Changed out of Thumb")
    (cover,) = bench.elements("cover")
    assert (cover["colour"], cover["last"]) == ("#d55e00", 1010)
    bench.frame(1011)
    bench.settled()
    assert bench.pixel(400, 300) == [0, 0, 0]


def test_clicking_a_thing_in_the_depth_list_the_strip_or_the_picture_selects_it(open_shot: Open) -> None:
    bench = open_shot()
    page = bench.page
    heading = page.get_by_label("Details").get_by_role("heading")
    for name, choose in (
        ("Index finger", lambda: page.get_by_test_id("card-Index finger").get_by_text("Index finger").click()),
        (
            "Panel screen",
            lambda: page.get_by_label("Frame strip").get_by_role("button", name="Panel screen", exact=True).click(),
        ),
        ("Hand", lambda: page.get_by_test_id("lane-Hand").click(position={"x": 8, "y": 5})),
    ):
        choose()
        expect(heading).to_contain_text(name)
    bench.click(6, 6)
    expect(heading).to_contain_text("Panel tap")


def test_dragging_a_card_changes_what_hides_what(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.press("n")
    for corner in ((250, 150), (700, 160), (690, 500), (260, 490)):
        bench.click(*corner)
    bench.last_done("Placed Pane")
    bench.press("4")
    bench.settled()
    covered = bench.pixel(400, 300)
    bench.drag_row("card-Pane", "card-Cover")
    bench.last_done("Changed the depth order")
    bench.settled()
    assert bench.pixel(400, 300) != covered
    names = [bench.shot["elements"][i]["name"] for i in bench.shot["elements"]["settings"]["depth"]]
    assert names == ["Pane", "Cover"]


def test_a_hole_is_cut_into_a_cover(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    bench.page.get_by_role("button", name="Cut a hole").click()
    for corner in ((360, 260), (440, 260), (440, 340), (360, 340)):
        bench.click(*corner)
    bench.press("Enter")
    bench.last_done("Drew an outline that cuts")
    bench.press("2")
    bench.settled()
    assert bench.pixel(400, 300) == [0, 0, 0]
    assert bench.pixel(320, 300) == [255, 255, 255]
    assert len(bench.elements("cover")) == 1


def test_holding_h_hides_the_drawing(open_shot: Open) -> None:
    bench = open_shot()
    drawing = bench.page.get_by_test_id("drawing")
    expect(drawing).to_be_visible()
    bench.page.keyboard.down("h")
    expect(drawing).to_have_count(0)
    bench.page.keyboard.up("h")
    expect(drawing).to_be_visible()


def test_two_pages_on_one_shot_follow_each_other(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    other = bench.page.context.new_page()
    other.goto(bench.page.url)
    other.get_by_test_id("picture").wait_for()
    draw_square(bench)
    expect(other.get_by_test_id("card-Cover")).to_be_visible(timeout=5000)
    expect(other.get_by_test_id("last-done")).to_contain_text("Changed in another page")
    second = Bench(other)
    second.drag((400, 300), (420, 300))
    second.last_done("Moved whole Cover")
    expect(bench.page.get_by_test_id("last-done")).to_contain_text("Changed in another page")
    bench.press("Control+z")
    bench.last_done("Undid: Moved whole Cover")


def test_the_sheet_of_keys_opens_and_closes(open_shot: Open) -> None:
    bench = open_shot()
    bench.press("?")
    sheet = bench.page.get_by_role("dialog")
    expect(sheet).to_contain_text("Keys and gestures")
    for key in ("A", "Q", "Space", "P", "N", "F"):
        expect(sheet.locator("dt").filter(has_text=re.compile(rf"\b{key}\b")).first).to_be_visible()
    bench.press("Escape")
    expect(sheet).to_have_count(0)


def test_a_finger_an_ellipse_and_a_box_are_made_by_one_drag_each(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    bench.press("g")
    page.mouse.move(*bench.place(400, 300))
    page.mouse.down()
    page.mouse.move(*bench.place(600, 300), steps=6)
    page.mouse.wheel(0, -400)
    page.mouse.up()
    bench.last_done("Drew Index finger")
    finger = points(bench)
    assert len(finger) == 7
    assert abs(finger[:, 0].max() - 600) < 1
    width = float(np.ptp(finger[:, 1]))
    assert 200 * 0.3 * 1.2 < width < 200 * 0.9  # the wheel made it wider than the 60 px it begins with
    expect(page.get_by_label("Tools").get_by_role("button", name="Select")).to_have_attribute("aria-pressed", "true")
    bench.press("c")
    bench.drag((700, 200), (800, 260))
    bench.last_done("Drew Cover")
    bench.press("b")
    page.keyboard.down("Shift")
    bench.drag((700, 400), (800, 430))
    page.keyboard.up("Shift")
    bench.last_done("Drew Cover 2")
    kinds = {o["id"]: o["kinds"] for o in bench.elements("outline")}
    assert sorted(len(k) for k in kinds.values()) == [4, 4, 7]
    (box,) = [o for o in bench.elements("outline") if set(o["kinds"]) == {"corner"}]
    assert np.ptp(np.array(box["keys"][0]["points"])[:, :2], axis=0) == pytest.approx([100, 100], abs=1)
    bench.press("s", "2")
    bench.settled()
    assert bench.pixel(590, 300) == [255, 255, 255]
    assert bench.pixel(750, 230) == [255, 255, 255]


def test_reach_moves_all_keys_or_those_from_here_on(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    draw_square(bench)
    for frame in (1021, 1041):
        bench.frame(frame)
        with bench.one_change():
            bench.press("k")

    def lefts() -> list[float]:
        (outline,) = bench.elements("outline")
        return [float(np.array(k["points"])[:, 0].min()) for k in outline["keys"]]

    start = np.array(lefts())
    bench.frame(1021)
    bench.page.get_by_role("button", name="From here on").click()
    with bench.one_change():
        bench.drag((400, 300), (440, 300))
    bench.last_done("frame 1021 on")
    assert np.allclose(lefts() - start, [0, 40, 40], atol=1)
    start = np.array(lefts())
    bench.press("r", "r", "r")
    expect(bench.page.get_by_role("button", name="All keys")).to_have_attribute("aria-pressed", "true")
    with bench.one_change():
        bench.press("Shift+ArrowRight")
    assert np.allclose(lefts() - start, [10, 10, 10])


def test_onion_skin_shows_the_keys_around(open_shot: Open) -> None:
    bench = open_shot()
    bench.page.get_by_test_id("card-Index finger").click()
    bench.frame(1044)
    assert bench.page.get_by_test_id("onion").count() == 0
    bench.press("o")
    expect(bench.page.get_by_test_id("onion").locator("g")).to_have_count(2)
    bench.press("o")
    expect(bench.page.get_by_test_id("onion")).to_have_count(0)


def test_a_loop_drawn_by_hand_becomes_an_outline_with_few_points(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    page = bench.page
    bench.press("l")
    expect(page.get_by_text("Drag a loop around the thing")).to_be_visible()
    angles = np.linspace(0, 2 * np.pi, 80)
    page.mouse.move(*bench.place(700, 350))
    page.mouse.down()
    for angle in angles[1:]:
        page.mouse.move(*bench.place(600 + 100 * np.cos(angle), 350 + 70 * np.sin(angle)))
    page.mouse.up()
    bench.last_done("Drew Cover")
    drawn = points(bench)
    assert 3 <= len(drawn) <= 12
    assert abs(abs(signed_area(drawn)) / (np.pi * 100 * 70) - 1) < 0.03
    bench.press("l")
    bench.drag((200, 600), (500, 600), steps=20)
    expect(page.get_by_text("That line holds no area.")).to_be_visible()
    assert len(bench.elements("cover")) == 1
