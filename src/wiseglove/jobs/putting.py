"""Putting jobs on the queue in PostgreSQL."""

from __future__ import annotations

from typing import Any

import procrastinate
from sqlalchemy.orm import Session

from wiseglove.store import jobs
from wiseglove.store.tables import JobRow

QUEUES = {
    "take-in": "take-in", "deliver": "render", "solve": "solve", "behind": "solve", "holes": "solve", "mattes": "solve",
    "differing": "solve",
}  # fmt: skip
"""On which queue each kind of work waits, so that workers can be for some of it only."""
MOST_HELPERS = 16
"""Tasks that ask other workers for help with one delivery."""


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
        waits = QUEUES.get(kind, "default")
        self._app.configure_task("job", connection=connection, allow_unknown=True, queue=waits).defer(job_id=row.id)
        return row

    def ask_for_help(self, session: Session, job_id: str, pieces: int) -> None:
        """Have other workers render pieces of a delivery, when the transaction commits."""
        connection = session.connection().connection.driver_connection
        task = self._app.configure_task("help", connection=connection, allow_unknown=True, queue=QUEUES["deliver"])
        for _ in range(min(pieces - 1, MOST_HELPERS)):
            task.defer(job_id=job_id)
