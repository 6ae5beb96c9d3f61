"""From a plate to a holdout: the whole job by mouse and keys, through a reload and a restart to the zip."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import OpenEXR
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.builders import ffmpeg, numbered_picture, write_movie, write_sequence
from tests.e2e.bench import Bench
from tests.e2e.stage import Server
from wiseglove.core.compositing.pane import FINAL
from wiseglove.demo import drawing, scene
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.render import FrameScene
from wiseglove.store.pictures import ExactPictures

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]
FINGER_KEYS = (1041, 1047)
PANE_KEYS = (1038, 1041, 1044, 1047)


def lay_corner(bench: Bench, frame: int, corner: int) -> None:
    """Drag a corner of the pane onto the screen's corner in the plate."""
    now = (whole := bench.whole).corners_at(whole.panes[0], frame)[corner]
    true = scene.screen_corners(frame - 1001)[corner]
    if np.abs(now - true).max() > 0.4:
        with bench.one_change():
            bench.drag(tuple(now), tuple(true), via=(30, 20))


def test_the_whole_path(open_shot: Open, server: Server, tmp_path: Path) -> None:
    bench = open_shot(fresh=True)
    page = bench.page

    # The pane, keyed by hand on some frames.
    bench.frame(1038)
    bench.press("n")
    for corner in scene.screen_corners(37):
        bench.click(*corner)
    bench.last_done("Placed Pane, frame 1038")
    for frame in PANE_KEYS[1:]:
        bench.frame(frame)
        for corner in range(4):
            lay_corner(bench, frame, corner)
    assert [k["frame"] for k in bench.elements("pane")[0]["keys"]] == list(PANE_KEYS)

    # The finger, drawn smooth with the pen on one frame and reshaped on another.
    bench.frame(1041)
    bench.press("p")
    for x, y, _, _, dx, dy, *_ in drawing.finger(40)[::2]:
        bench.drag((x, y), (x + dx, y + dy), steps=3)
    bench.press("Enter")
    bench.last_done("Drew Cover, frame 1041")
    bench.frame(1047)
    moved = drawing.finger(46)[::2]
    before = bench.whole
    outline = next(o for c in before.covers for o in before.outlines_of(c))
    shift = moved[:, :2].mean(axis=0) - np.array(outline.keys[0].points)[:, :2].mean(axis=0)
    middle = np.array(outline.keys[0].points)[:, :2].mean(axis=0)
    if np.abs(shift).max() > 3:
        bench.drag(tuple(middle), tuple(middle + shift))
    else:
        bench.press("k")
    bench.last_done("frame 1047")

    # The insert lies on the pane and the glove stays in front of it.
    bench.frame(1041)
    bench.settled()
    plate_inside = bench.pixel(*middle)
    bench.press("4")
    bench.settled()
    assert np.abs(np.subtract(bench.pixel(*middle), plate_inside)).max() <= 6
    beside = scene.screen_corners(40).mean(axis=0)
    chart = bench.pixel(*beside)
    page.get_by_label("Looks").get_by_role("button", name="Plate").click()
    bench.settled()
    looked = {"1": bench.pixels()}
    for key in "234":
        bench.press(key)
        bench.settled()
        looked[key] = bench.pixels()
    assert len({hashlib.sha256(p.tobytes()).hexdigest() for p in looked.values()}) == 4
    assert chart != looked["1"][10, 10].tolist()

    # Undo and redo, after a reload and after a restart of the server.
    done = bench.shot["elements"]
    page.reload()
    bench.settled()
    steps = 4
    for _ in range(steps):
        with bench.one_change():
            bench.press("Control+z")
    assert bench.shot["elements"] != done
    server.stop()
    server.start()
    page.reload()
    bench.settled()
    for _ in range(steps):
        with bench.one_change():
            bench.press("Control+Shift+z")
    assert bench.shot["elements"] == done

    # Deliver, download, and compare with the core's own pixels.
    page.get_by_role("link", name="Deliver").click()
    page.get_by_label("First frame").fill("1036")
    page.get_by_label("Last frame").fill("1050")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Render").click()
    delivery = page.get_by_test_id("delivery").first
    link = delivery.get_by_role("link")
    expect(link).to_be_visible(timeout=240_000)
    with page.expect_download() as download:
        link.click()
    download.value.save_as(tmp_path / "out.zip")
    shot = Bench(page).whole
    check_package(tmp_path / "out.zip", shot, server)


def check_package(path: Path, shot: EvaluatedShot, server: Server) -> None:
    with zipfile.ZipFile(path) as file:
        files = {n.split("/", 1)[1]: file.read(n) for n in file.namelist()}
    manifest = json.loads(files["manifest.json"])
    for entry in manifest["files"]:
        data = files[entry["name"]]
        assert (len(data), hashlib.sha256(data).hexdigest()) == (entry["size"], entry["sha256"])
    mattes = {n: d for n, d in files.items() if n.startswith("matte/")}
    assert len(mattes) == 15
    pictures = ExactPictures(server.files / "media")
    for frame in (1036, 1041, 1044, 1050):
        (name,) = [n for n in mattes if n.endswith(f".{frame}.png")]
        scene_here = FrameScene(shot, frame, pictures, 1.0, FINAL)
        seen = np.asarray(Image.open(io.BytesIO(mattes[name])))
        assert seen.dtype == np.uint8
        assert (seen == scene_here.look("matte", scene_here.whole)).all()
        assert seen.max() == 255
    (movie_name,) = [n for n in files if n.endswith(".mp4")]
    with av.open(io.BytesIO(files[movie_name])) as movie:
        frames = [f.to_ndarray(format="rgb24", src_colorspace="ITU709") for f in movie.decode(video=0)]
    assert len(frames) == 15
    scene_here = FrameScene(shot, 1041, pictures, 1.0, FINAL)
    expected = scene_here.look("composite", scene_here.whole)
    assert np.abs(frames[1041 - 1036].astype(int) - expected).mean() < 4
    (corners_name,) = [n for n in files if n.endswith(".csv")]
    rows = list(csv.DictReader(io.StringIO(files[corners_name].decode())))
    true = scene.screen_corners(40)
    row = rows[1041 - 1036]
    told = np.array([[float(row[f"{a}{i}"]) for a in "xy"] for i in (1, 2, 3, 4)])
    assert np.abs(told - true).max() < 1.0
    pictures.close()


def upload(page: Page, paths: list[Path]) -> None:
    page.goto("/")
    page.get_by_test_id("plate-files").set_input_files([str(p) for p in paths])


def test_a_movie_is_taken_in_corrected_and_opened(page: Page, tmp_path: Path) -> None:
    upload(page, [write_movie(tmp_path / "seed_tray.mp4", 30)])
    facts = page.get_by_role("main")
    for text in ("128 x 96", "h264", "25"):
        expect(facts).to_contain_text(text)
    name = page.get_by_label("Name")
    name.fill("Seed tray")
    name.press("Enter")
    first = page.get_by_label("Frame", exact=True).and_(page.locator("input"))
    first.fill("86")
    first.press("Enter")
    page.get_by_role("button", name="Take as plate").click()
    page.wait_for_url("**/shots/*", timeout=30_000)
    bench = Bench(page)
    bench.settled()
    expect(page.get_by_test_id("frame")).to_have_text("86")
    assert bench.shot["plate"]["count"] == 30
    bench.press("d", "d", "Shift+D")
    expect(page.get_by_test_id("frame")).to_have_text("98")


def test_a_sequence_with_gaps_needs_a_word_and_its_frames_are_exact(page: Page, tmp_path: Path) -> None:
    upload(page, write_sequence(tmp_path / "gap", [1001, 1002, 1003, 1006, 1007]))
    expect(page.get_by_role("main")).to_contain_text("1004")
    accept = page.get_by_role("button", name="Take as plate")
    expect(accept).to_be_disabled()
    page.get_by_role("switch").or_(page.get_by_role("checkbox")).first.click()
    accept.click()
    page.wait_for_url("**/shots/*", timeout=30_000)
    bench = Bench(page)
    bench.settled()
    bench.press("0")
    for frame, source in ((1003, 1003), (1005, 1003), (1006, 1006)):
        bench.frame(frame)
        bench.settled()
        picture = numbered_picture(source)
        for x, y in ((60, 5), (30, 25), (100, 28)):
            assert np.abs(np.subtract(bench.pixel(x + 0.5, y + 0.5), picture[y, x])).max() < 30


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("notes.mp4", b"twine, seeds, gloves\n" * 30, "cannot be read as a movie"),
        ("empty.mov", b"", "is empty"),
    ],
)
def test_what_is_no_plate_is_explained_on_the_page(
    page: Page, tmp_path: Path, name: str, content: bytes, says: str
) -> None:
    (tmp_path / name).write_bytes(content)
    upload(page, [tmp_path / name])
    expect(page.get_by_text(says)).to_be_visible()
    expect(page.get_by_test_id("shot-Panel tap").first).to_be_visible()


def test_decoding_shows_progress_and_can_be_cancelled(page: Page, server: Server, tmp_path: Path) -> None:
    long = tmp_path / "long_walk.mp4"
    ffmpeg("-stream_loop", "5", "-i", server.files / "large.mp4", "-c", "copy", long)
    upload(page, [long])
    page.get_by_role("button", name="Take as plate").click()
    progress = page.get_by_role("progressbar").first
    expect(progress).to_be_visible()
    page.get_by_role("button", name="Cancel").first.click()
    expect(page.get_by_role("button", name="Take as plate")).to_be_visible(timeout=10_000)
    page.get_by_role("button", name="Discard").click()
    expect(page.get_by_test_id("shot-long_walk")).to_have_count(0)


def test_a_still_is_given_to_a_pane_as_insert(open_shot: Open, tmp_path: Path) -> None:
    bench = open_shot(fresh=True)
    bench.press("n")
    for corner in ((200, 150), (900, 150), (900, 600), (200, 600)):
        bench.click(*corner)
    bench.last_done("Placed Pane")
    bench.press("4")
    bench.settled()
    Image.new("RGB", (64, 48), (40, 200, 90)).save(tmp_path / "leaf.png")
    bench.page.get_by_test_id("insert-files").set_input_files(str(tmp_path / "leaf.png"))
    bench.last_done("Changed insert of Pane")
    bench.settled()
    assert np.abs(np.subtract(bench.pixel(500, 300), (40, 200, 90))).max() <= 8
    media = write_movie(tmp_path / "clip.mp4", 10)
    bench.page.get_by_test_id("insert-files").set_input_files(str(media))
    expect(bench.page.get_by_text("r3", exact=False).first).to_be_visible(timeout=15_000)
    assert bench.elements("pane")[0]["insert"]["start"] == 1001
    layers = {f"{name}{c}": np.full((48, 64), v, np.float32) for name, c, v in LAYERED}
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    OpenEXR.File(header, layers).write(str(tmp_path / "lamps.exr"))
    bench.page.get_by_test_id("insert-files").set_input_files(str(tmp_path / "lamps.exr"))
    asked = bench.page.get_by_test_id("which-layer")
    asked.get_by_role("button", name="Layer: Plain colours").click()
    bench.page.get_by_role("option", name="lamp").click()
    with bench.one_change():
        asked.get_by_role("button", name="Take it in").click()
    bench.settled()
    assert np.abs(np.subtract(bench.pixel(500, 300), (188, 0, 0))).max() <= 8  # 0.5 of linear red, IEC 61966-2-1


LAYERED = [("", c, 0.1) for c in "RGB"] + [("lamp.", "R", 0.5), ("lamp.", "G", 0.0), ("lamp.", "B", 0.0)]


def test_the_clean_pane_is_made_from_all_frames_and_shown_in_the_pane(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    bench.press("n")
    for corner in ((200, 100), (500, 100), (500, 300), (200, 300)):
        bench.click(*corner)
    bench.last_done("Placed Pane")
    bench.page.get_by_role("button", name="Make the clean pane").click()
    expect(bench.page.get_by_text("Changed insert of Pane").first).to_be_visible(timeout=120_000)
    expect(bench.page.get_by_role("button", name="Clean Pane of")).to_be_visible()
    insert = bench.elements("pane")[0]["insert"]
    clips = bench.page.request.get(f"{bench.page.url.split('/shots/')[0]}/api/shots/{bench.shot['id']}/clips").json()
    assert [c["id"] for c in clips] == [insert["media"]]
    assert (clips[0]["info"]["width"], clips[0]["info"]["height"]) == (300, 200)
