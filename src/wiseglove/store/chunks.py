"""Pieces of deliveries: who renders which, and which attempt's files count."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import and_, func, or_, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from wiseglove.store.tables import ChunkRow, JobRow

SILENT = 20.0
"""Seconds without a word from a piece's worker after which another takes it."""


def lay_out(session: Session, job: str, count: int) -> None:
    """The pieces of a job; those that are there already stay as they are."""
    rows = [{"job": job, "number": i} for i in range(count)]
    if rows:
        session.execute(insert(ChunkRow).values(rows).on_conflict_do_nothing())


def take(session: Session, job: str, worker: str) -> tuple[int, int] | None:
    """A piece that nobody is at work on, and the number of this attempt; None where there is none, or the job is not wanted."""
    silent = ChunkRow.seen_at < func.now() - timedelta(seconds=SILENT)
    free = or_(ChunkRow.state == "todo", and_(ChunkRow.state == "doing", silent))
    wanted = select(JobRow.id).where(JobRow.id == job, JobRow.state == "running", ~JobRow.stop).exists()
    row = session.scalars(
        select(ChunkRow)
        .where(ChunkRow.job == job, free, wanted)
        .order_by(ChunkRow.number)
        .limit(1)
        .with_for_update(skip_locked=True)
    ).first()
    if row is None:
        return None
    row.state, row.attempt, row.worker, row.done = "doing", row.attempt + 1, worker, 0
    session.flush()
    session.execute(
        update(ChunkRow).where(ChunkRow.job == job, ChunkRow.number == row.number).values(seen_at=func.now())
    )
    return row.number, row.attempt


def heard(session: Session, job: str, number: int, attempt: int, done: int) -> bool:
    """Note that an attempt is alive; False where it should stop, as another has taken the piece over or nobody wants it."""
    current = (ChunkRow.job == job, ChunkRow.number == number, ChunkRow.attempt == attempt, ChunkRow.state == "doing")
    wanted = select(JobRow.id).where(JobRow.id == job, JobRow.state == "running", ~JobRow.stop).exists()
    found = session.execute(
        update(ChunkRow).where(*current, wanted).values(seen_at=func.now(), done=done).returning(ChunkRow.number)
    )
    return found.first() is not None


def settle(session: Session, job: str, number: int, attempt: int, done: int) -> bool:
    """Have an attempt's files count; False where it has been overtaken."""
    current = (ChunkRow.job == job, ChunkRow.number == number, ChunkRow.attempt == attempt, ChunkRow.state == "doing")
    found = session.execute(update(ChunkRow).where(*current).values(state="done", done=done).returning(ChunkRow.number))
    return found.first() is not None


def standing(session: Session, job: str) -> tuple[int, list[tuple[int, int]], bool]:
    """Frames rendered so far, the pieces that are done with their attempts, and whether that is all of them."""
    rows = session.scalars(select(ChunkRow).where(ChunkRow.job == job).order_by(ChunkRow.number)).all()
    done = [(r.number, r.attempt) for r in rows if r.state == "done"]
    return sum(r.done for r in rows), done, len(done) == len(rows)


def start_anew(session: Session, job: str, number: int) -> None:
    """Have a piece rendered again, as its files are not there."""
    session.execute(update(ChunkRow).where(ChunkRow.job == job, ChunkRow.number == number).values(state="todo", done=0))
