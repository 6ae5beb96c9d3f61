"""A real server and worker on the demo, and a real browser."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect

from tests.e2e.bench import Bench
from tests.e2e.stage import Server, chromium, staged
from wiseglove.store.cluster import Cluster

expect.set_options(timeout=20_000)  # for what it waits for, not for how quick it is: the machine may be slow


@pytest.fixture(scope="session")
def server(cluster: Cluster, footage: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    beside = tmp_path_factory.getbasetemp().parent if "PYTEST_XDIST_WORKER" in os.environ else None
    with staged(cluster, footage, kept=beside and beside / "stage") as server:
        yield server


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with chromium() as browser:
        yield browser


@pytest.fixture
def ahead() -> str:
    """Whether pages judge and render ahead, "on" or "off": it takes a third of the server's time."""
    return "off"


@pytest.fixture(scope="session")
def context(browser: Browser, server: Server) -> BrowserContext:
    """One for all pages, as in a browser that stays open: what the page's code was compiled to is kept."""
    return browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address)


@pytest.fixture
def page(context: BrowserContext, server: Server, ahead: str) -> Iterator[Page]:
    """A page that remembers nothing of those before it."""
    page = context.new_page()
    forgotten = {"origin": server.address, "storageTypes": "all"}
    context.new_cdp_session(page).send("Storage.clearDataForOrigin", forgotten)
    page.add_init_script(
        f"localStorage.getItem('wiseglove.ahead') ?? localStorage.setItem('wiseglove.ahead', '{ahead}')"
    )
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.on("console", lambda said: problems.append(said.text) if "Content Security Policy" in said.text else None)
    yield page
    for left in context.pages:
        left.close()
    context.clear_permissions()
    assert problems == []


@pytest.fixture
def open_shot(page: Page) -> Callable[..., Bench]:
    """Opens a shot from the list, or a fresh one on the same plate."""

    def run(name: str = "Panel tap", fresh: bool = False) -> Bench:
        return Bench.open(page, name, fresh)

    return run
