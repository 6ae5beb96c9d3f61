"""Rows of long work, and the notices that tell pages about them."""

from __future__ import annotations

import json
from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

from pydantic import BaseModel
from sqlalchemy import select, text, update
from sqlalchemy.orm import Session

from wiseglove.shot.basics import new_id
from wiseglove.shot.formats import FORMAT
from wiseglove.store.errors import NotFoundError, StoreError
from wiseglove.store.shots import Changed
from wiseglove.store.tables import IntakeRow, JobRow

CHANNEL = "wiseglove"
LONGEST_NOTICE = 7500
"""Bytes of a notice; PostgreSQL takes fewer than 8000."""


class Job(BaseModel):
    """Long work as a page sees it."""

    id: str
    kind: str
    title: str
    shot: str | None
    intake: str | None
    state: str
    done: int
    total: int
    message: str
    result: dict[str, Any] | None


def as_job(row: JobRow) -> Job:
    """A row as a page sees it."""
    return Job.model_validate(row, from_attributes=True)


def announce(session: Session, topic: str, body: dict[str, Any]) -> None:
    """Tell all pages, when the transaction commits; a result that is too long for a notice is left out, pages ask for it."""
    payload = json.dumps({"topic": topic, **body})
    if len(payload.encode()) > LONGEST_NOTICE:
        payload = json.dumps({"topic": topic, **body, "result": None})
    session.execute(text("select pg_notify(:channel, :payload)"), {"channel": CHANNEL, "payload": payload})


def announce_change(session: Session, changed: Changed, by: str | None = None) -> None:
    """Tell all pages that a shot has a new revision, when the transaction commits. by: what did it, where no page did."""
    about = {"shot": changed.shot.id, "revision": changed.shot.revision}
    announce(session, "shot", about if by is None else {**about, "by": by})


def add(
    session: Session, kind: str, title: str, payload: dict[str, Any], shot: str | None, intake: str | None
) -> JobRow:
    """A new queued job."""
    row = JobRow(
        id=new_id(), kind=kind, title=title, payload={**payload, "format": FORMAT}, shot=shot, intake=intake, state="queued", message="",
        done=0, total=0, stop=False, attempt=0,
    )  # fmt: skip
    session.add(row)
    session.flush()
    announce(session, "job", as_job(row).model_dump())
    return row


def get(session: Session, job_id: str) -> JobRow:
    """A job's row. Raises NotFoundError."""
    row = session.get(JobRow, job_id)
    if row is None:
        raise NotFoundError("This job does not exist any more.")
    return row


def begin(session: Session, job_id: str) -> JobRow | None:
    """Start an attempt; None where the job has ended or is not wanted any more."""
    row = session.scalars(select(JobRow).where(JobRow.id == job_id).with_for_update()).first()
    if row is None or row.state in ("done", "failed", "cancelled"):
        return None
    row.attempt += 1
    row.state = "running"
    announce(session, "job", as_job(row).model_dump())
    return row


def advance(session: Session, job_id: str, attempt: int, done: int, total: int) -> bool:
    """Store progress; False where this attempt should stop (stopped by hand, or overtaken by a later one)."""
    row = session.scalars(
        update(JobRow)
        .where(JobRow.id == job_id, JobRow.attempt == attempt, JobRow.state == "running", ~JobRow.stop)
        .values(done=done, total=total)
        .returning(JobRow)
    ).first()
    if row is None:
        return False
    announce(session, "job", as_job(row).model_dump())
    return True


def forget(session: Session, job_id: str) -> None:
    """Delete a job that has ended, and with it what it made. Raises NotFoundError, or StoreError while it goes on."""
    row = session.scalars(select(JobRow).where(JobRow.id == job_id).with_for_update()).first()
    if row is None:
        raise NotFoundError("This job does not exist any more.")
    if row.state in ("queued", "running"):
        raise StoreError("It is still going on. Nothing was deleted; cancel it first.")
    session.delete(row)
    announce(session, "gone", {"job": job_id, "shot": row.shot})


def packages(session: Session, shots: Iterable[str]) -> dict[str, int]:
    """Bytes of the deliveries of each of some shots."""
    done = select(JobRow.shot, JobRow.result).where(JobRow.kind == "deliver", JobRow.state == "done")
    found: dict[str, int] = {}
    for shot, result in session.execute(done.where(JobRow.shot.in_(list(shots)))):
        found[str(shot)] = found.get(str(shot), 0) + int((result or {}).get("bytes", 0))
    return found


def is_current(session: Session, job_id: str, attempt: int) -> bool:
    """Whether this attempt is the one that counts; until the transaction ends it stays so."""
    row = session.scalars(select(JobRow).where(JobRow.id == job_id).with_for_update()).first()
    return row is not None and row.attempt == attempt and row.state == "running"


def end(
    session: Session, job_id: str, attempt: int, state: str, message: str, result: dict[str, Any] | None = None
) -> bool:
    """End an attempt; False where a later attempt has taken over, whose results count instead."""
    values: dict[str, Any] = {"state": state, "message": message, "result": result, "ended_at": datetime.now(UTC)}
    if state == "done":
        values["done"] = JobRow.total
    row = session.scalars(
        update(JobRow)
        .where(JobRow.id == job_id, JobRow.attempt == attempt, JobRow.state == "running")
        .values(**values)
        .returning(JobRow)
    ).first()
    if row is None:
        return False
    announce(session, "job", as_job(row).model_dump())
    return True


def ask_to_stop(session: Session, job_id: str) -> JobRow:
    """Cancel a job: at once while it waits, at its next step while it runs."""
    row = session.scalars(select(JobRow).where(JobRow.id == job_id).with_for_update()).first()
    if row is None:
        raise NotFoundError("This job does not exist any more.")
    row.stop = True
    if row.state == "queued":
        row.state, row.message, row.ended_at = "cancelled", "Cancelled before it began.", datetime.now(UTC)
        intake = session.get(IntakeRow, row.intake) if row.intake else None
        if intake is not None:
            intake.state = "understood"
        announce(session, "job", as_job(row).model_dump())
    return row
