"""One attempt at a job: progress, cancelling, and results that a later attempt cannot be overwritten by."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from wiseglove.delivery.finish import NotWholeError
from wiseglove.delivery.preset import PresetError
from wiseglove.interchange.drawn import UnreadableError
from wiseglove.media.clip import disk_full
from wiseglove.media.errors import MediaError
from wiseglove.settings import Settings
from wiseglove.shot.errors import EditError
from wiseglove.shot.formats import JOBS, upgraded
from wiseglove.store import jobs
from wiseglove.store.database import Database
from wiseglove.store.errors import StoreError

T = TypeVar("T")
log = logging.getLogger(__name__)
EVERY = 0.3
"""Seconds between two notices of progress: each lets all open pages draw anew."""


PATIENCE = 60.0
"""Seconds that an attempt waits for a database that is being started again."""


def patiently(what: Callable[[], T], patience: float = PATIENCE) -> T:
    """Do something again until the database can be reached. Raises OperationalError when that takes too long."""
    until = time.monotonic() + patience
    while True:
        try:
            return what()
        except OperationalError as error:
            if time.monotonic() > until:
                raise
            log.warning("the database cannot be reached, trying again: %s", error.orig)
            time.sleep(0.5)


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
        if not patiently(lambda: self._advance(done, total)):
            raise StoppedError

    def _advance(self, done: int, total: int) -> bool:
        with self.database.transaction() as session:
            return jobs.advance(session, self.job, self.attempt, done, total)


@dataclass(frozen=True)
class Outcome:
    """What a finished job says, and what it brings into the database: both are there together or not at all.

    `settle` is called within the transaction that ends the attempt; what it returns is added to the result. What it raises
    makes the job fail, as if it had been raised before.
    """

    message: str
    result: dict[str, Any]
    settle: Callable[[Session], dict[str, Any]] | None = None
    afterwards: Callable[[], None] | None = None
    """What is tidied up once all of that is there."""


Work = Callable[[Run], Outcome]
Failed = Callable[[Session, Run, str], None]
FULL = (
    "The server's disk is full. What was made so far of this has been removed; all shots and clips are as they were. Make room, "
    "then try again."
)
UNFORESEEN = (
    "Something went wrong on the server that it has no word for; its log says more. Your files and all shots are as they "
    "were. Try again, and send the log if it happens again."
)


def execute(database: Database, settings: Settings, job_id: str, work: Work, failed: Failed | None = None) -> None:
    """Run one attempt of a job to its end, whatever that is.

    `failed` puts right what belongs to the job (an intake, say) with the message, also when it was cancelled; it
    does so in the transaction that ends the job, so that whoever hears of the end finds all of it.

    Raises OperationalError where the database cannot be reached for long; the attempt is then taken up again later.
    """
    run = patiently(lambda: _begin(database, settings, job_id))
    if run is None:
        return
    try:
        outcome = work(run)
        patiently(lambda: _finish(database, run, outcome))
        if outcome.afterwards is not None:
            outcome.afterwards()
        return
    except StoppedError:
        state, message = "cancelled", "Cancelled. What was made so far has been removed."
    except (MediaError, StoreError, EditError, PresetError, NotWholeError, UnreadableError) as error:
        state, message = "failed", str(error)
    except OperationalError:
        raise
    except OSError as error:
        full = disk_full(error)
        if full is None:
            log.exception("job %s failed", job_id)
        state, message = "failed", UNFORESEEN if full is None else FULL
    except Exception:
        log.exception("job %s failed", job_id)
        state, message = "failed", UNFORESEEN
    patiently(lambda: _give_up(database, run, state, message, failed))


def _begin(database: Database, settings: Settings, job_id: str) -> Run | None:
    with database.transaction() as session:
        row = jobs.begin(session, job_id)
        if row is None:
            return None
        payload = upgraded(dict(row.payload), row.payload.get("format", 1), JOBS)
        return Run(database, settings, job_id, row.attempt, payload, row.shot, row.intake)


def _finish(database: Database, run: Run, outcome: Outcome) -> None:
    with database.transaction() as session:
        if not jobs.is_current(session, run.job, run.attempt):
            return
        more = outcome.settle(session) if outcome.settle is not None else {}
        jobs.end(session, run.job, run.attempt, "done", outcome.message, {**outcome.result, **more})


def _give_up(database: Database, run: Run, state: str, message: str, failed: Failed | None) -> None:
    with database.transaction() as session:
        if jobs.end(session, run.job, run.attempt, state, message) and failed is not None:
            failed(session, run, message if state == "failed" else "")
