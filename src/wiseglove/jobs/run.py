"""One attempt at a job: progress, cancelling, and results that a later attempt cannot be overwritten by."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from wiseglove.media.errors import MediaError
from wiseglove.settings import Settings
from wiseglove.shot.errors import EditError
from wiseglove.shot.formats import JOBS, upgraded
from wiseglove.store import jobs
from wiseglove.store.database import Database
from wiseglove.store.errors import StoreError

log = logging.getLogger(__name__)
EVERY = 0.15
"""Seconds between two notices of progress."""


class StoppedError(Exception):
    """The job was cancelled, or another attempt has taken it over."""


@dataclass
class Run:
    """What a job's code is given."""

    database: Database
    settings: Settings
    job: str
    attempt: int
    payload: dict[str, Any]
    shot: str | None
    intake: str | None
    _last_notice: float = 0.0

    def progress(self, done: int, total: int) -> None:
        """Report how far it is. Raises StoppedError where the work is not wanted any more."""
        now = time.monotonic()
        if now - self._last_notice < EVERY and done < total:
            return
        self._last_notice = now
        with self.database.transaction() as session:
            wanted = jobs.advance(session, self.job, self.attempt, done, total)
        if not wanted:
            raise StoppedError


@dataclass(frozen=True)
class Outcome:
    """What a finished job says."""

    message: str
    result: dict[str, Any]


Work = Callable[[Run], Outcome]
Failed = Callable[[Session, Run, str], None]


def execute(database: Database, settings: Settings, job_id: str, work: Work, failed: Failed | None = None) -> None:
    """Run one attempt of a job to its end, whatever that is; nothing is raised.

    `failed` puts right what belongs to the job (an intake, say) with the message, also when it was cancelled; it
    does so in the transaction that ends the job, so that whoever hears of the end finds all of it.
    """
    with database.transaction() as session:
        row = jobs.begin(session, job_id)
        if row is None:
            return
        payload = upgraded(dict(row.payload), row.payload.get("format", 1), JOBS)
        run = Run(database, settings, job_id, row.attempt, payload, row.shot, row.intake)
    try:
        outcome = work(run)
        state, message, result = "done", outcome.message, outcome.result
    except StoppedError:
        state, message, result = "cancelled", "Cancelled. What was made so far has been removed.", None
    except (MediaError, StoreError, EditError) as error:
        state, message, result = "failed", str(error), None
    except Exception:
        log.exception("job %s failed", job_id)
        state, result = "failed", None
        message = (
            "Something went wrong on the server that it has no word for; its log says more. Your files and all shots "
            "are as they were. Try again, and send the log if it happens again."
        )
    with database.transaction() as session:
        ended = jobs.end(session, job_id, run.attempt, state, message, result)
        if ended and state != "done" and failed is not None:
            failed(session, run, message if state == "failed" else "")
