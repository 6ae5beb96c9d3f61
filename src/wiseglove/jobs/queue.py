"""The queue in PostgreSQL: tasks, putting jobs on it, and the worker that takes them off."""

from __future__ import annotations

import asyncio
import logging
import time
from typing import Any

import procrastinate
from sqlalchemy.orm import Session

from wiseglove.core.warm import warm_up
from wiseglove.jobs import deliver, solve, take_in
from wiseglove.jobs.run import Failed, Work, execute
from wiseglove.settings import Settings
from wiseglove.store import jobs
from wiseglove.store.database import Database
from wiseglove.store.tables import JobRow

log = logging.getLogger(__name__)
STALLED = 30.0
"""Seconds without a worker's heartbeat after which its job is given to another."""

KINDS: dict[str, tuple[Work, Failed | None]] = {
    "take-in": (take_in.work, take_in.failed),
    "deliver": (deliver.work, None),
    "solve": (solve.work, None),
}


class Queue:
    """Puts jobs on the queue, within the caller's own transaction."""

    def __init__(self, url: str) -> None:
        self._app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))

    def put(
        self,
        session: Session,
        kind: str,
        title: str,
        payload: dict[str, Any],
        shot: str | None = None,
        intake: str | None = None,
    ) -> JobRow:
        """A new job; it is on the queue when the transaction commits."""
        row = jobs.add(session, kind, title, payload, shot, intake)
        connection = session.connection().connection.driver_connection
        self._app.configure_task("job", connection=connection, allow_unknown=True).defer(job_id=row.id)
        return row


def _app(settings: Settings, database: Database) -> procrastinate.App:
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(conninfo=settings.database_url, min_size=1, max_size=4)
    )

    @app.task(name="job")
    def run_job(job_id: str) -> None:
        with database.transaction() as session:
            row = session.get(JobRow, job_id)
        if row is not None:
            work, failed = KINDS[row.kind]
            execute(database, settings, job_id, work, failed)

    return app


async def _rescue(app: procrastinate.App) -> None:
    """Give the jobs of vanished workers to living ones."""
    while True:
        try:
            await app.job_manager.prune_stalled_workers(STALLED)
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED):
                log.warning("job %s had lost its worker and is tried again", job.task_kwargs.get("job_id"))
                await app.job_manager.retry_job(job)
        except procrastinate.exceptions.ConnectorException as error:
            log.warning("looking for stalled jobs failed: %s", error)
        await asyncio.sleep(STALLED / 3)


async def work(settings: Settings, concurrency: int, signals: bool = True) -> None:
    """Take jobs off the queue and do them, `concurrency` at a time, until cancelled or (with `signals`) told to end."""
    database = Database(settings.database_url)
    app = _app(settings, database)
    async with app.open_async():
        rescue = asyncio.create_task(_rescue(app))
        try:
            await app.run_worker_async(
                concurrency=concurrency, fetch_job_polling_interval=2.0, install_signal_handlers=signals
            )
        finally:
            rescue.cancel()
            database.close()


def work_forever(settings: Settings, concurrency: int = 1) -> None:
    """Take jobs off the queue until the process is told to stop."""
    started = time.monotonic()
    warm_up()
    asyncio.run(work(settings, concurrency))
    log.info("worker stopped after %.0f s", time.monotonic() - started)
