"""Attempts, fences and a real worker."""

from __future__ import annotations

import asyncio
import threading
import time

import procrastinate
import pytest
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from wiseglove.jobs import putting, queue
from wiseglove.jobs.run import Outcome, Run, StoppedError, execute
from wiseglove.settings import Settings
from wiseglove.store import jobs
from wiseglove.store.database import Database
from wiseglove.store.errors import StoreError
from wiseglove.store.tables import ClipRow, IntakeRow, JobRow


@pytest.fixture
def job(database: Database) -> str:
    with database.transaction() as session:
        return jobs.add(session, "deliver", "Test", {}, None, None).id


def row(database: Database, job: str) -> JobRow:
    with database.transaction() as session:
        return jobs.get(session, job)


def test_a_finished_job_is_not_run_again(database: Database, settings: Settings, job: str) -> None:
    runs: list[int] = []

    def work(run: Run) -> Outcome:
        runs.append(run.attempt)
        return Outcome("Made it.", {"n": 1})

    execute(database, settings, job, work)
    execute(database, settings, job, work)
    assert runs == [1]
    assert (row(database, job).state, row(database, job).message) == ("done", "Made it.")


def test_an_attempt_that_was_overtaken_stops_and_its_result_does_not_count(
    database: Database, settings: Settings, job: str
) -> None:
    stopped: list[bool] = []

    def second(run: Run) -> Outcome:
        return Outcome(f"by attempt {run.attempt}", {})

    def first(run: Run) -> Outcome:
        execute(database, settings, job, second)
        try:
            run.progress(1, 1)
        except StoppedError:
            stopped.append(True)
            raise
        return Outcome("by the late one", {})

    execute(database, settings, job, first)
    assert stopped == [True]
    assert row(database, job).message == "by attempt 2"


@pytest.mark.parametrize(
    ("error", "says"),
    [
        (StoreError("The clip is gone. Take it in again."), "The clip is gone"),
        (RuntimeError("inner"), "has no word for"),
    ],
)
def test_errors_become_sentences(database: Database, settings: Settings, job: str, error: Exception, says: str) -> None:
    def work(run: Run) -> Outcome:
        raise error

    execute(database, settings, job, work)
    assert row(database, job).state == "failed"
    assert says in row(database, job).message
    assert "inner" not in row(database, job).message


def test_nobody_hears_of_an_end_before_what_belongs_to_it_is_put_right(
    database: Database, settings: Settings, job: str
) -> None:
    """A page that asked in between would show the state from before for good."""
    seen: list[tuple[str, str]] = []

    def work(run: Run) -> Outcome:
        raise StoppedError

    def failed(session: Session, run: Run, message: str) -> None:
        seen.append((row(database, job).state, message))

    execute(database, settings, job, work, failed)
    assert seen == [("running", "")]
    assert row(database, job).state == "cancelled"


def test_what_a_job_brings_and_its_end_are_there_together_or_not_at_all(
    database: Database, settings: Settings, job: str
) -> None:
    """A worker that was killed between the two would bring it twice."""
    tidied: list[str] = []

    def bring(session: Session) -> dict[str, str]:
        session.add(ClipRow(id="c" * 24, info={}))
        session.flush()
        if len(tidied) == 0:
            tidied.append("killed")
            raise StoreError("in the middle of it")
        return {"clip": "c" * 24}

    execute(database, settings, job, lambda run: Outcome("Made it.", {}, bring, lambda: tidied.append("tidy")))
    with database.transaction() as session:
        assert session.get(ClipRow, "c" * 24) is None
    assert row(database, job).state == "failed"
    assert tidied == ["killed"]
    with database.transaction() as session:
        again = jobs.add(session, "deliver", "Test", {}, None, None).id
    execute(database, settings, again, lambda run: Outcome("Made it.", {"n": 1}, bring, lambda: tidied.append("tidy")))
    assert row(database, again).result == {"n": 1, "clip": "c" * 24}
    assert tidied == ["killed", "tidy"]


def test_what_was_overtaken_brings_nothing(database: Database, settings: Settings, job: str) -> None:
    brought: list[int] = []

    def work(run: Run) -> Outcome:
        if run.attempt == 1:
            execute(database, settings, job, work)
        return Outcome("Made it.", {}, lambda _: brought.append(run.attempt) or {})

    execute(database, settings, job, work)
    assert brought == [2]


def test_jobs_that_fell_off_the_queue_are_taken_up_and_those_that_never_were_on_it_are_not(
    database: Database, settings: Settings, job: str
) -> None:
    """As after an attempt that ended because it could not reach the database: its entry failed, the job is running."""
    put = putting.Queue(settings.database_url)
    with database.transaction() as session:
        lost, waiting = (put.put(session, "deliver", "Test", {}).id for _ in range(2))
        jobs.begin(session, lost)
        session.execute(
            text("update procrastinate_jobs set status = 'doing' where args ->> 'job_id' = :id"), {"id": lost}
        )
        session.execute(
            text("update procrastinate_jobs set status = 'failed' where args ->> 'job_id' = :id"), {"id": lost}
        )
        jobs.begin(session, job)
    app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=settings.database_url))
    with database.transaction() as session:
        assert queue.adopt(session, app) == [lost]
    with database.transaction() as session:
        assert queue.adopt(session, app) == []
        todo = "select args ->> 'job_id' from procrastinate_jobs where status = 'todo' order by id"
        assert list(session.scalars(text(todo))) == [waiting, lost]


def test_one_intake_is_decoded_by_one_job_at_a_time(database: Database) -> None:
    with database.transaction() as session:
        session.add(IntakeRow(id="once", purpose="plate", state="decoding", message=""))
        session.flush()
        jobs.add(session, "take-in", "Decoding", {}, None, "once")
    with pytest.raises(IntegrityError), database.transaction() as session:
        jobs.add(session, "take-in", "Decoding", {}, None, "once")


def test_a_worker_takes_jobs_off_the_queue_and_a_running_one_can_be_cancelled(
    database: Database, settings: Settings, monkeypatch: pytest.MonkeyPatch
) -> None:
    begun = threading.Event()

    def endless(run: Run) -> Outcome:
        begun.set()
        for n in range(100_000):
            run.progress(n, 100_000)
            time.sleep(0.02)
        return Outcome("never", {})

    monkeypatch.setitem(queue.KINDS, "endless", (endless, None))
    monkeypatch.setitem(queue.KINDS, "short", (lambda run: Outcome("short", {}), None))
    put = putting.Queue(settings.database_url)
    with database.transaction() as session:
        long_job = put.put(session, "endless", "Long", {}).id
        short_job = put.put(session, "short", "Short", {}).id
    loop = asyncio.new_event_loop()
    worker = loop.create_task(queue.work(settings, 1, signals=False))
    thread = threading.Thread(target=lambda: loop.run_until_complete(asyncio.wait([worker])))
    thread.start()
    try:
        assert begun.wait(10)
        with database.transaction() as session:
            jobs.ask_to_stop(session, long_job)
        asked = time.monotonic()
        while row(database, long_job).state != "cancelled":
            assert time.monotonic() - asked < 10
            time.sleep(0.02)
        while row(database, short_job).state != "done":
            assert time.monotonic() - asked < 30
            time.sleep(0.05)
    finally:
        loop.call_soon_threadsafe(worker.cancel)
        thread.join(10)
        loop.close()
