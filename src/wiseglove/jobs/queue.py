"""The queue in PostgreSQL: tasks, putting jobs on it, and the worker that takes them off."""

from __future__ import annotations

import asyncio
import contextlib
import ctypes
import gc
import logging
import signal
import time

import procrastinate
import psycopg
from sqlalchemy import ColumnElement, Text, cast, column, exists, select, table
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from wiseglove.jobs import behind, deliver, differing, holes, mattes, solve, take_in
from wiseglove.jobs.abilities import abilities
from wiseglove.jobs.putting import QUEUES
from wiseglove.jobs.run import Failed, Work, execute
from wiseglove.media.guarded import get_ready
from wiseglove.settings import Settings
from wiseglove.shot.warm import warm_up
from wiseglove.store import clips, workers
from wiseglove.store.database import Database
from wiseglove.store.tables import JobRow
from wiseglove.store.workers import Abilities

log = logging.getLogger(__name__)
STALLED = 30.0
"""Seconds without a worker's heartbeat after which its job is given to another."""

KINDS: dict[str, tuple[Work, Failed | None]] = {
    "take-in": (take_in.work, take_in.failed),
    "deliver": (deliver.work, None),
    "solve": (solve.work, None),
    behind.KIND: (behind.work, None),
    holes.KIND: (holes.work, None),
    mattes.KIND: (mattes.work, None),
    differing.KIND: (differing.work, None),
}


def _app(settings: Settings, database: Database) -> procrastinate.App:
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(conninfo=settings.database_url, min_size=1, max_size=4)
    )

    @app.task(name="job")
    def run_job(job_id: str) -> None:
        with database.transaction() as session:
            row = session.get(JobRow, job_id)
        if row is not None and not _left_to_another(app, database, settings, row):
            work, failed = KINDS[row.kind]
            try:
                execute(database, settings, job_id, work, failed)
            finally:
                give_memory_back()

    @app.task(name="help")
    def help_job(job_id: str) -> None:
        with database.transaction() as session:
            row = session.get(JobRow, job_id)
            payload = dict(row.payload) if row is not None and row.state == "running" else None
        if payload is not None:
            try:
                deliver.help_with(database, settings, job_id, payload)
            except Exception as error:  # whoever has the job says what is wrong with it
                log.warning("no help with delivery %s: %s", job_id, error)
            finally:
                give_memory_back()

    return app


LATER = 3
"""Seconds until a delivery that this worker cannot make is on the queue again, for one that can."""


def _left_to_another(app: procrastinate.App, database: Database, settings: Settings, row: JobRow) -> bool:
    """Whether a delivery is too much for this worker and not for another that is there, to which it is left."""
    if row.kind != "deliver" or row.state not in ("queued", "running"):
        return False
    ordered = deliver.Ordered(settings, row.id, row.payload)
    if not ordered.lacks():
        return False
    with database.transaction() as session:
        others = [w for w in workers.alive(session, STALLED) if w.name != deliver.worker_name()]
    able = [w for w in others if QUEUES["deliver"] in w.queues and not ordered.lacks(w)]
    if able:
        app.configure_task("job", queue=QUEUES["deliver"], schedule_in={"seconds": LATER}).defer(job_id=row.id)
    return bool(able)


def adopt(session: Session, app: procrastinate.App) -> list[str]:
    """Put jobs on the queue again that are to be done and are not on it any more; their ids.

    So it is after an attempt that could not reach the database for long, whose entry counts as failed. Jobs that were never
    on the queue are somebody else's.
    """
    lost = session.scalars(
        select(JobRow.id)
        .where(JobRow.state.in_(["queued", "running"]), _on_queue(), ~_on_queue(("todo", "doing")))
        .with_for_update(skip_locked=True)
    ).all()
    connection = session.connection().connection.driver_connection
    kinds = dict(session.execute(select(JobRow.id, JobRow.kind).where(JobRow.id.in_(lost))).all())
    for job_id in lost:
        waits = QUEUES.get(kinds[job_id], "default")
        app.configure_task("job", connection=connection, allow_unknown=True, queue=waits).defer(job_id=job_id)
    return list(lost)


def _on_queue(states: tuple[str, ...] = ()) -> ColumnElement[bool]:
    entries = table("procrastinate_jobs", column("args", JSONB), column("status"))
    found = exists().where(entries.c.args["job_id"].astext == JobRow.id)
    return found.where(cast(entries.c.status, Text).in_(states)) if states else found


async def _rescue(app: procrastinate.App, database: Database, url: str, can: Abilities) -> None:
    """Say that this worker is there, give the jobs of vanished workers to living ones, and take up those that fell off the queue."""
    putting = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))

    def take_up() -> None:
        with database.transaction() as session:
            for job_id in adopt(session, putting):
                log.warning("job %s had fallen off the queue and is tried again", job_id)

    while True:
        try:
            await asyncio.to_thread(database.within, workers.say, deliver.worker_name(), can)
            await app.job_manager.prune_stalled_workers(STALLED)
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED):
                log.warning("job %s had lost its worker and is tried again", job.task_kwargs.get("job_id"))
                await app.job_manager.retry_job(job)
            await asyncio.to_thread(take_up)
        except (procrastinate.exceptions.ConnectorException, SQLAlchemyError) as error:
            log.warning("looking for stalled jobs failed: %s", error)
        await asyncio.sleep(STALLED / 3)


async def work(settings: Settings, concurrency: int, signals: bool = True, queues: list[str] | None = None) -> None:
    """Take jobs off the queue and do them, `concurrency` at a time, until cancelled or (with `signals`) told to end.

    Where the database goes away, the worker waits until it is there again. queues: those it takes from; None for all.
    """
    database = Database(settings.database_url)
    clips.bring_from(settings.store, settings.media, shown=False)
    me = asyncio.current_task()
    if signals:
        for which in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(which, lambda: me.cancel() if me else None)
    try:
        while True:
            try:
                await _work_once(settings, database, concurrency, queues)
                log.warning("the worker lost its database; it tries again")
            except (procrastinate.exceptions.ConnectorException, psycopg.Error, OSError) as error:
                log.warning("the worker cannot reach its database, trying again: %s", error)
            await asyncio.sleep(1.0)
    except asyncio.CancelledError:
        if not signals:
            raise
    finally:
        database.close()


async def _work_once(settings: Settings, database: Database, concurrency: int, queues: list[str] | None) -> None:
    app = _app(settings, database)
    async with app.open_async():
        can = abilities(queues or sorted(set(QUEUES.values())))
        rescue = asyncio.create_task(_rescue(app, database, settings.database_url, can))
        try:
            await app.run_worker_async(
                queues=queues,  # type: ignore[arg-type]  # None is all of them
                concurrency=concurrency,
                fetch_job_polling_interval=2.0,
                install_signal_handlers=False,
            )
        finally:
            rescue.cancel()
            with contextlib.suppress(SQLAlchemyError):
                await asyncio.to_thread(database.within, workers.leave, deliver.worker_name())


MOST_ARENAS = 4
"""Heaps of glibc's allocator, of which each thread would have its own (mallopt(3), M_ARENA_MAX)."""
M_ARENA_MAX = -8


def give_memory_back() -> None:
    """Let go what only holds itself, and return what the allocator keeps to the system (malloc_trim(3), where there is glibc).

    A solver and the pictures it keeps refer to each other: few objects and much memory, for which the collector does not come
    by itself.
    """
    gc.collect()
    with contextlib.suppress(AttributeError):
        ctypes.CDLL(None).malloc_trim(0)


def work_forever(settings: Settings, concurrency: int = 1, queues: list[str] | None = None) -> None:
    """Take jobs off the queue until the process is told to stop."""
    started = time.monotonic()
    with contextlib.suppress(AttributeError):
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, MOST_ARENAS)
    warm_up()
    get_ready()
    asyncio.run(work(settings, concurrency, queues=queues))
    log.info("worker stopped after %.0f s", time.monotonic() - started)
