"""Pictures of the main views, made from the demo, for docs/screenshots: run `make screenshots`."""

from __future__ import annotations

import logging
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from playwright.sync_api import Page  # noqa: E402

from tests.builders import ffmpeg  # noqa: E402
from tests.e2e.bench import Bench  # noqa: E402
from tests.e2e.stage import chromium, staged  # noqa: E402
from wiseglove.demo import keyed_shots, sat_shots, solved_shots  # noqa: E402
from wiseglove.demo.install import MOVIE  # noqa: E402
from wiseglove.settings import Settings  # noqa: E402
from wiseglove.store.cluster import temporary_cluster  # noqa: E402
from wiseglove.store.database import Database  # noqa: E402

OUT = ROOT / "docs" / "screenshots"


def workbench(page: Page, look: str, frame: int, card: str | None) -> Bench:
    bench = Bench.open(page)
    bench.frame(frame)
    bench.press(look)
    if card:
        page.get_by_test_id(f"card-{card}").click()
    bench.settled()
    page.mouse.move(640, 8)
    page.wait_for_timeout(600)
    return bench


def shots(page: Page) -> None:
    page.goto("/")
    page.get_by_test_id("shot-Panel tap").wait_for()
    page.wait_for_function("() => [...document.images].every(i => i.complete)", timeout=120_000)
    page.wait_for_timeout(500)


def server_state(page: Page) -> None:
    page.goto("/server")
    page.get_by_text("All is well.").wait_for()
    page.wait_for_timeout(300)


def intake(page: Page) -> None:
    page.goto("/")
    with tempfile.TemporaryDirectory() as folder:
        pattern = Path(folder) / "panel_tap.%04d.png"
        ffmpeg("-i", ROOT / ".run" / "footage" / MOVIE, "-frames:v", "20", "-start_number", "1031", pattern)
        paths = [
            p for p in sorted(Path(folder).iterdir()) if p.name not in ("panel_tap.1043.png", "panel_tap.1044.png")
        ]
        page.get_by_test_id("plate-files").set_input_files([str(p) for p in paths])
        page.get_by_role("button", name="Take as plate").wait_for()
    page.wait_for_timeout(500)


def matte(page: Page) -> None:
    workbench(page, "2", 1047, "Hand")


def beginning(page: Page) -> None:
    """The hand that is found on a frame, as covers to begin with."""
    bench = Bench.open(page, fresh=True)
    bench.frame(1058)
    bench.settled()
    bench.press("i")
    page.get_by_test_id("starting").wait_for(timeout=60_000)
    page.wait_for_timeout(1500)


def composite(page: Page) -> None:
    """The finished tap, on the frame on which its dashboard answers the finger."""
    bench = Bench.open(page, sat_shots.NAME)
    bench.frame(1054)
    bench.press("4")
    page.get_by_test_id("card-Panel screen").click()
    page.get_by_test_id("sit-grain").scroll_into_view_if_needed()
    bench.settled()
    page.mouse.move(640, 8)
    page.wait_for_timeout(12_000)  # frames are rendered meanwhile


def review(page: Page) -> None:
    """A version on its own page, with a note pinned to the thumb."""
    bench = Bench.open(page)
    shot = bench.shot["id"]
    api = f"{page.url.split('/shots/')[0]}/api/shots/{shot}"
    made = {"name": "First pass", "comment": "The glove is rough from 1060 on.", "frame": 1047}
    page.request.post(f"{api}/versions", data=made)
    for frame, text, x, y in ((1047, "The thumb boils here.", 715, 390), (1062, "Soft edge too wide.", None, None)):
        page.request.post(f"{api}/notes", data={"frame": frame, "text": text, "x": x, "y": y, "version": 1})
    page.goto(f"/shots/{shot}/review/1")
    page.get_by_text("The thumb boils here.").click()
    page.wait_for_timeout(1500)


def drawing(page: Page) -> None:
    bench = Bench.open(page, fresh=True)
    bench.frame(1047)
    bench.press("p")
    bench.click(520, 330)
    bench.drag((600, 300), (640, 310))
    bench.drag((660, 380), (665, 420))
    page.mouse.move(*bench.place(600, 470))
    page.wait_for_timeout(400)


def tracing(page: Page) -> None:
    bench = Bench.open(page, fresh=True)
    bench.frame(1041)
    bench.press("t")
    page.mouse.move(*bench.place(700, 300))
    page.wait_for_timeout(1200)
    tips = ((612, 331), (631, 301), (678, 313), (756, 306), (813, 334), (852, 401), (770, 422))
    for x, y in tips:
        page.mouse.move(*bench.place(x, y), steps=10)
        page.wait_for_timeout(250)
        page.mouse.down()
        page.mouse.up()
    page.mouse.move(*bench.place(764, 480), steps=10)
    page.wait_for_timeout(500)


def soft(page: Page) -> None:
    bench = workbench(page, "2", 1041, "Index finger")
    page.get_by_label("Soft edge outwards").fill("7")
    bench.press("Enter")
    page.get_by_label("Soft edge inwards").fill("4")
    bench.press("Enter", "x")
    page.get_by_role("button", name="Tint").click()
    zoom_on(bench, 690, 350)


def carrying(page: Page) -> None:
    bench = workbench(page, "1", 1052, "Hand")
    page.get_by_role("button", name="On", exact=True).click()
    page.get_by_label("Proposed 1055").wait_for()
    bench.press("d", "d", "d")
    bench.settled()
    page.wait_for_timeout(400)


def looking(page: Page) -> None:
    """All of the demo shot judged, on one page."""
    Bench.open(page)
    page.get_by_role("link", name="Where to look").click()
    page.get_by_test_id("worst").first.wait_for(timeout=120_000)
    page.get_by_text("shapes judged so far").wait_for(state="detached", timeout=240_000)
    page.wait_for_timeout(500)


def off(page: Page) -> None:
    """One of the places that are off most, marked, with what can be done about it."""
    looking(page)
    page.get_by_test_id("worst").nth(1).get_by_role("link").click()
    mark = page.get_by_test_id("off-mark").first
    mark.wait_for(timeout=60_000)
    page.get_by_test_id("fit-here").scroll_into_view_if_needed()
    for _ in range(3):
        box = mark.bounding_box()
        assert box
        page.mouse.move(box["x"] + box["width"] / 2, min(box["y"] + box["height"] / 2, 560))
        page.mouse.wheel(0, -240)
        page.wait_for_timeout(300)
    page.wait_for_timeout(800)


def solving(page: Page) -> None:
    """A carrier on the housing, solved over the loop, with the pane riding on it."""
    bench = Bench.open(page)
    bench.frame(1001)
    bench.press("m")
    bench.drag((262, 92), (884, 516))
    bench.last_done("Drew Carrier")
    bench.frame(1060)
    page.get_by_title("Loop up to this frame").click()
    details = page.get_by_label("Details")
    details.get_by_role("button", name="1001 to 1060").click()
    page.wait_for_function("() => document.body.innerText.includes('Solved Carrier')", timeout=120_000)
    bench.frame(1046)
    bench.settled()
    page.mouse.move(640, 8)
    page.wait_for_timeout(500)


def eye(page: Page) -> None:
    bench = Bench.open(page)
    if not bench.elements("carrier"):
        solving(page)
    page.get_by_test_id("carrier-Carrier").get_by_role("button").first.click()
    bench.frame(1046)
    bench.press("5")
    bench.settled()
    page.wait_for_timeout(600)


def zoom_on(bench: Bench, x: float, y: float) -> None:
    bench.page.mouse.move(*bench.place(x, y))
    for _ in range(4):
        bench.page.mouse.wheel(0, -200)
    bench.settled()
    bench.page.wait_for_timeout(500)


def deliver(page: Page) -> None:
    Bench.open(page)
    page.get_by_role("link", name="Deliver").click()
    page.get_by_role("button", name="Render").click()
    page.get_by_test_id("delivery").first.get_by_role("link").wait_for(timeout=120_000)
    page.get_by_role("button", name="Render").click()
    page.get_by_text("Frame").first.wait_for()
    page.wait_for_timeout(1500)
    page.screenshot(path=OUT / "deliver.png")
    page.get_by_role("button", name="Cancel").first.click()
    page.get_by_text("Cancelled").first.wait_for()


def keys(page: Page) -> None:
    bench = workbench(page, "4", 1047, "Panel screen")
    bench.press("?")
    page.wait_for_timeout(400)


def bench_tip(bench: Bench) -> tuple[float, float]:
    outline = next(o for o in bench.elements("outline") if len(o["kinds"]) == 11)
    point = min(outline["keys"], key=lambda k: abs(k["frame"] - 1041))["points"][5]
    return point[0], point[1]


def subject(page: Page) -> None:
    bench = Bench.open(page, "Seed presenter")
    page.get_by_test_id("card-Presenter").click()
    bench.frame(1014)
    bench.press("4")
    page.get_by_label("Details").get_by_role("button", name="Key", exact=True).click()
    bench.settled()


def glass(page: Page) -> None:
    bench = Bench.open(page, "Coloured glass")
    page.get_by_test_id("card-Hand over the glass").click()
    bench.frame(1012)
    bench.press("4")
    bench.settled()


VIEWS: dict[str, Callable[[Page], None]] = {
    "shots": shots,
    "intake": intake,
    "where-to-look": looking,
    "workbench-off": off,
    "workbench-matte": matte,
    "workbench-beginning": beginning,
    "workbench-composite": composite,
    "workbench-drawing": drawing,
    "workbench-tracing": tracing,
    "workbench-soft-edges": soft,
    "workbench-carrying-on": carrying,
    "keys-and-gestures": keys,
    "workbench-keyed-subject": subject,
    "review": review,
    "workbench-coloured-glass": glass,
    "deliver": deliver,
    "server": server_state,
    "workbench-solving": solving,
    "workbench-trackers-eye": eye,
}


def keyed(database: Database, settings: Settings) -> None:
    """The demo's further shots too."""
    for put_in in (sat_shots.install_tap, keyed_shots.install, solved_shots.install):
        put_in(database, settings, ROOT / ".run" / "footage", print)


def main(wanted: list[str]) -> None:
    """Take all pictures, or those that are named."""
    logging.disable(logging.WARNING)
    OUT.mkdir(parents=True, exist_ok=True)
    with (
        temporary_cluster() as cluster,
        staged(cluster, ROOT / ".run" / "footage", more=keyed) as server,
        chromium() as browser,
    ):
        for name, show in VIEWS.items():
            if wanted and name not in wanted:
                continue
            context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address)
            page = context.new_page()
            show(page)
            if name != "deliver":
                page.screenshot(path=OUT / f"{name}.png")
            context.close()
            print(name)


if __name__ == "__main__":
    main(sys.argv[1:])
