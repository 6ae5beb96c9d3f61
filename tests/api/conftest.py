from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from tests.builders import write_sequence
from wiseglove.api.app import create_app
from wiseglove.jobs.queue import KINDS
from wiseglove.jobs.run import execute
from wiseglove.settings import Settings
from wiseglove.store.database import Database
from wiseglove.store.tables import JobRow


@pytest.fixture
def client(settings: Settings) -> Iterator[TestClient]:
    with TestClient(create_app(settings), raise_server_exceptions=False) as client:
        yield client


@pytest.fixture
def work(database: Database, settings: Settings) -> Callable[[], None]:
    """Does what a worker would do with all that is on the queue, here and now."""

    def run_all() -> None:
        with database.transaction() as session:
            waiting = session.scalars(select(JobRow).where(JobRow.state == "queued").order_by(JobRow.made_at)).all()
        for row in waiting:
            code, failed = KINDS[row.kind]
            execute(database, settings, row.id, code, failed)

    return run_all


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


@pytest.fixture
def shot(client: TestClient, take_in: Callable[..., dict[str, Any]], tmp_path: Path) -> str:
    done = take_in(write_sequence(tmp_path / "plate", range(1001, 1011)))
    return str(done["job"]["result"]["shot"])
