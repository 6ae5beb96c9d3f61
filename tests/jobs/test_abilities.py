"""What workers say that they can do, and what becomes of a delivery that is too much for one of them."""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest

from tests.builders import draft, write_movie
from wiseglove.delivery.opened import Shot
from wiseglove.jobs import deliver, queue
from wiseglove.jobs.abilities import abilities
from wiseglove.jobs.putting import Queue
from wiseglove.settings import Settings
from wiseglove.shot.edits import AddCover
from wiseglove.store import jobs, workers
from wiseglove.store.database import Database
from wiseglove.store.workers import Abilities


@pytest.fixture
def payload(tmp_path: Path) -> dict[str, Any]:
    shot = Shot.new(str(write_movie(tmp_path / "tap.mp4", 6)), tmp_path / "s.json")
    edit = AddCover(type="add-cover", frame=1001, outline=draft(), name="Hand")
    document = shot.document.with_elements(edit.apply(shot.evaluated).after, 1)
    preset = {"items": [{"what": "cut", "form": "prores"}, {"what": "union", "form": "png8"}]}
    return {"shot": document.model_dump(mode="json"), "preset": preset}


def one(**changes: Any) -> Abilities:
    return Abilities(queues=["render"], cores=2, memory=8_000_000_000, encoders=["ffv1", "prores_ks"]).model_copy(
        update=changes
    )


def test_this_machine_can_write_all_that_deliveries_have(settings: Settings, payload: dict[str, Any]) -> None:
    can = abilities(["render"])
    assert {"libx264", "libvpx-vp9", "ffv1", "prores_ks"} <= set(can.encoders)
    assert can.memory > 100_000_000
    assert deliver.Ordered(settings, "any", payload).lacks(can) == ""


@pytest.mark.parametrize(
    ("changes", "says"),
    [({"encoders": ["ffv1"]}, "no encoder prores_ks"), ({"memory": 10_000_000}, "0.0 GB of memory")],
)
def test_what_is_lacking_is_said(
    settings: Settings, payload: dict[str, Any], changes: dict[str, Any], says: str
) -> None:
    ordered = deliver.Ordered(settings, "any", payload)
    assert says in ordered.lacks(one(**changes))
    assert ordered.lacks(one()) == ""


def test_a_delivery_that_is_too_much_is_left_to_a_worker_that_can_or_fails_in_words(
    database: Database, settings: Settings, payload: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(deliver, "abilities", lambda queues: one(encoders=[]))
    assert deliver.help_with(database, settings, "nothing", payload) == 0
    with database.transaction() as session:
        job = Queue(settings.database_url).put(session, "deliver", "Test", payload).id
    app = queue._app(settings, database)

    def left() -> bool:
        with database.transaction() as session:
            row = jobs.get(session, job)

        async def ask() -> bool:
            async with app.open_async():
                return await asyncio.to_thread(queue._left_to_another, app, database, settings, row)

        with ThreadPoolExecutor(1) as pool:  # the browser's driver leaves a loop running in the first thread
            return pool.submit(lambda: asyncio.run(ask())).result()

    assert not left()  # there is nobody else
    with database.transaction() as session:
        workers.say(session, "elsewhere:1", one(queues=["solve"]))
    assert not left()  # that one renders nothing
    with database.transaction() as session:
        workers.say(session, "elsewhere:1", one())
    assert left()
    queue.execute(database, settings, job, *queue.KINDS["deliver"])
    with database.transaction() as session:
        row = jobs.get(session, job)
        workers.leave(session, "elsewhere:1")
        assert workers.alive(session, 60.0) == []
    assert (row.state, "no encoder prores_ks" in row.message, "Nothing was rendered" in row.message) == (
        "failed",
        True,
        True,
    )
