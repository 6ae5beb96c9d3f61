"""Signing in on the page, and what it says of the server."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.e2e.bench import Bench
from tests.e2e.stage import Server
from tests.e2e.test_reach import complaints
from wiseglove.store import people
from wiseglove.store.cluster import Cluster
from wiseglove.store.database import Database, migrate

pytestmark = pytest.mark.browser
PASSWORD = "lanterns at dusk"


@pytest.fixture
def asking(cluster: Cluster, tmp_path: Path) -> Iterator[Server]:
    """A server on which people sign in."""
    cluster.ensure_database("asking")
    url = cluster.url("asking")
    migrate(url)
    database = Database(url)
    with database.transaction() as session:
        people.add(session, "Orla", "artist", PASSWORD)
    database.close()
    server = Server(url, tmp_path / "files", WISEGLOVE_SIGN_IN="true")
    server.start()
    yield server
    server.stop()
    cluster.sql("drop database asking with (force)")


def test_a_name_and_a_password_open_the_page(browser: Browser, asking: Server) -> None:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=asking.address)
    page = context.new_page()
    page.goto("/")
    expect(page.get_by_role("heading", name="Sign in to Wise Glove")).to_be_visible()
    assert complaints(page) == []
    page.get_by_label("Name").fill("Orla")
    page.get_by_label("Password").fill("wrong one")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("do not belong together")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Shots")).to_be_visible()
    expect(page.get_by_text("Orla")).to_be_visible()
    page.reload()
    expect(page.get_by_text("There is no shot yet")).to_be_visible()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", name="Sign in to Wise Glove")).to_be_visible()
    context.close()


def test_the_page_says_how_the_server_is(page: Page) -> None:
    page.goto("/")
    page.get_by_role("link", name="How the server is").click()
    expect(page.get_by_role("status")).to_contain_text(
        "All is well.", timeout=180_000
    )  # a fresh worker gets ready first
    expect(page.get_by_text("answers")).to_be_visible()
    assert complaints(page) == []


def test_a_delivery_is_deleted_and_its_room_is_free_again(page: Page, open_shot: Callable[..., Bench]) -> None:
    bench = open_shot("Presented", fresh=True)
    name = bench.whole.settings.name
    page.get_by_role("link", name="Deliver").click()
    page.get_by_role("button", name="Render delivery").click()
    line = page.get_by_test_id("delivery")
    expect(line.get_by_text("Fetch zip")).to_be_visible(timeout=60_000)
    room = next(s["room"] for s in page.request.get("/api/shots").json() if s["name"] == name)
    line.get_by_role("button", name="Delete delivery").click()
    expect(line).to_have_count(0)
    less = next(s["room"] for s in page.request.get("/api/shots").json() if s["name"] == name)
    assert 0 < less < room
