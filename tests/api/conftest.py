from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy import select

from tests.builders import write_sequence
from tests.conftest import settings_for
from tests.databases import EMPTY, Databases
from wiseglove.api.app import create_app
from wiseglove.jobs.queue import KINDS
from wiseglove.jobs.run import execute
from wiseglove.settings import Settings
from wiseglove.store.database import Database
from wiseglove.store.tables import JobRow


@pytest.fixture(scope="session")
def app(databases: Databases, tmp_path_factory: pytest.TempPathFactory) -> FastAPI:
    """One application for all tests, as its routes take long to be made; each starts it on a database of its own."""
    return create_app(settings_for(databases.cluster.url(EMPTY), tmp_path_factory.mktemp("unused")))


@pytest.fixture
def client(app: FastAPI, settings: Settings) -> Iterator[TestClient]:
    app.state.settings = settings
    with TestClient(app, raise_server_exceptions=False) as client:
        yield client


@pytest.fixture
def work(database: Database, settings: Settings) -> Callable[[], None]:
    """Does what a worker would do with all that is on the queue, here and now."""

    return lambda: do_all(database, settings)


def do_all(database: Database, settings: Settings) -> None:
    with database.transaction() as session:
        waiting = session.scalars(select(JobRow).where(JobRow.state == "queued").order_by(JobRow.made_at)).all()
    for row in waiting:
        code, failed = KINDS[row.kind]
        execute(database, settings, row.id, code, failed)


def send(client: TestClient, paths: list[Path], **what: Any) -> dict[str, Any]:
    """Announce and upload files; the intake, or the error's body."""
    claims = [{"name": p.name, "size": p.stat().st_size} for p in paths]
    begun = client.post("/api/intakes", json={"files": claims, **what})
    if begun.status_code != 201:
        return dict(begun.json())
    intake = begun.json()["id"]
    for number, path in enumerate(paths):
        put = client.put(f"/api/intakes/{intake}/files/{number}", content=path.read_bytes())
        assert put.status_code == 204, put.text
    return dict(client.post(f"/api/intakes/{intake}/understand").json())


def correction(intake: dict[str, Any], **changes: Any) -> dict[str, Any]:
    """What the artist sends when nothing, or only `changes`, is corrected."""
    kept = {k: intake["understood"][k] for k in ("name", "first", "rate_num", "rate_den", "pixel_aspect")}
    return {**kept, **changes}


def edit(client: TestClient, shot: str, **what: Any) -> dict[str, Any]:
    """Make an edit on the newest revision; what it changed."""
    revision = client.get(f"/api/shots/{shot}").json()["revision"]
    answer = client.post(f"/api/shots/{shot}/edits", json={"revision": revision, "edit": what})
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


@pytest.fixture
def take_in(client: TestClient, work: Callable[[], None]) -> Callable[..., dict[str, Any]]:
    """Takes files in to the end; the finished intake."""

    def run(paths: list[Path], changes: dict[str, Any] | None = None, **what: Any) -> dict[str, Any]:
        intake = send(client, paths, **what)
        accepted = client.post(f"/api/intakes/{intake['id']}/accept", json=correction(intake, **(changes or {})))
        assert accepted.status_code == 200, accepted.text
        work()
        return dict(client.get(f"/api/intakes/{intake['id']}").json())

    return run


@pytest.fixture(scope="session")
def taken(app: FastAPI, databases: Databases, tmp_path_factory: pytest.TempPathFactory) -> tuple[str, Path, str]:
    """A database that has a shot of ten frames already, taken in as any other; its files, and the shot's id."""
    name, folder = "template_shot", tmp_path_factory.mktemp("taken")
    app.state.settings = settings = settings_for(databases.copy(EMPTY, name), folder / "files")
    database = Database(settings.database_url)
    with TestClient(app, raise_server_exceptions=False) as client:
        intake = send(client, write_sequence(folder / "plate", range(1001, 1011)))
        accepted = client.post(f"/api/intakes/{intake['id']}/accept", json=correction(intake))
        assert accepted.status_code == 200, accepted.text
        do_all(database, settings)
        done = client.get(f"/api/intakes/{intake['id']}").json()
    database.close()
    databases.remember(name)
    return name, settings.files, str(done["job"]["result"]["shot"])


@pytest.fixture
def template(request: pytest.FixtureRequest) -> str:
    """A copy of the database with a shot, for a test that wants `taken`."""
    return request.getfixturevalue("taken")[0] if "taken" in request.fixturenames else EMPTY


@pytest.fixture
def settings(request: pytest.FixtureRequest, url: str, template: str, tmp_path: Path) -> Settings:
    if template != EMPTY:
        shutil.copytree(request.getfixturevalue("taken")[1], tmp_path / "files")
    return settings_for(url, tmp_path / "files")


@pytest.fixture
def shot(client: TestClient, taken: tuple[str, Path, str]) -> str:
    return taken[2]
