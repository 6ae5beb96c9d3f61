"""Notes on frames of a shot, and the time that was spent on it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field
from sqlalchemy import Select, select, update
from sqlalchemy.orm import Session

from wiseglove.api.context import Ctx
from wiseglove.api.paging import LINKED, Page
from wiseglove.api.people import Author
from wiseglove.api.schemas import Answer
from wiseglove.shot.basics import Coordinate, new_id
from wiseglove.shot.beside import Beside, FrameNote
from wiseglove.shot.keys import check_frame
from wiseglove.store import shots, versions
from wiseglove.store.errors import NotFoundError
from wiseglove.store.jobs import announce
from wiseglove.store.tables import NoteRow, ShotRow

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["notes"])
Words = Annotated[str, Field(min_length=1, max_length=4000)]
GONE = "This shot does not exist any more. Go back to the list of shots."
MOST_AT_ONCE = 120.0
"""Seconds that are taken at once: a page sends what it counted every half minute."""


class NewNote(BaseModel):
    """What is said about a frame; x and y, in plate pixels, where it is about a place on it."""

    frame: int
    text: Words
    x: Coordinate | None = None
    y: Coordinate | None = None
    version: int | None = None


class NoteChange(BaseModel):
    """Other words, or whether it is done."""

    text: Words | None = None
    done: bool | None = None


class Note(Answer):
    """A note."""

    id: str
    version: int | None
    frame: int
    x: float | None
    y: float | None
    text: str
    done: bool
    author: str | None
    made_at: str


def _as_note(row: NoteRow) -> Note:
    return Note(
        id=row.id, version=row.version, frame=row.frame, x=row.x, y=row.y, text=row.text, done=row.done,
        author=row.author, made_at=row.made_at.isoformat(),
    )  # fmt: skip


@router.get("/notes", responses=LINKED)
def list_notes(shot_id: str, context: Ctx, page: Page) -> list[Note]:
    """All notes of a shot, in the order of their frames."""
    with context.database.transaction() as session:
        shots.load(session, shot_id)
        return [_as_note(row) for row in page.rows(session, _notes_of(shot_id))]


def _notes_of(shot_id: str) -> Select[NoteRow]:
    return select(NoteRow).where(NoteRow.shot == shot_id).order_by(NoteRow.frame, NoteRow.made_at, NoteRow.id)


def beside_of(session: Session, shot_id: str) -> Beside:
    """What goes with a shot beside its document. Raises NotFoundError."""
    row = session.execute(select(ShotRow.seconds, ShotRow.budget).where(ShotRow.id == shot_id)).one_or_none()
    if row is None:
        raise NotFoundError(GONE)
    told = session.scalars(_notes_of(shot_id))
    notes = [FrameNote(frame=n.frame, text=n.text, x=n.x, y=n.y, done=n.done) for n in told]
    return Beside(notes=notes, seconds=row.seconds, budget=row.budget)


@router.post("/notes", status_code=201)
def add_note(shot_id: str, wanted: NewNote, context: Ctx, author: Author) -> Note:
    """Say something about a frame."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        check_frame(shot.plate, wanted.frame)
        if wanted.version is not None:
            versions.find(session, shot_id, wanted.version)
        row = NoteRow(id=new_id(), shot=shot_id, author=author, done=False, **wanted.model_dump())
        session.add(row)
        session.flush()
        session.refresh(row)
        announce(session, "notes", {"shot": shot_id})
        return _as_note(row)


def _found(session: Session, shot_id: str, note: str) -> NoteRow:
    row = session.get(NoteRow, note)
    if row is None or row.shot != shot_id:
        raise NotFoundError("This note does not exist any more; somebody may have deleted it.")
    return row


@router.patch("/notes/{note}")
def change_note(shot_id: str, note: str, wanted: NoteChange, context: Ctx) -> Note:
    """Put other words, or say that it is done or open."""
    with context.database.transaction() as session:
        row = _found(session, shot_id, note)
        row.text = wanted.text or row.text
        row.done = row.done if wanted.done is None else wanted.done
        session.flush()
        announce(session, "notes", {"shot": shot_id})
        return _as_note(row)


@router.delete("/notes/{note}", status_code=204)
def delete_note(shot_id: str, note: str, context: Ctx) -> Response:
    """Take a note away."""
    with context.database.transaction() as session:
        session.delete(_found(session, shot_id, note))
        announce(session, "notes", {"shot": shot_id})
    return Response(status_code=204)


class Spent(BaseModel):
    """Seconds that hands were on the shot since it was last said, and another budget."""

    seconds: Annotated[float, Field(ge=0, le=MOST_AT_ONCE, allow_inf_nan=False)] = 0.0
    budget: Annotated[float, Field(ge=60, le=3_600_000, allow_inf_nan=False)] | None = None


class Time(Answer):
    """Seconds that were spent on a shot, and that should be."""

    seconds: float
    budget: float


@router.post("/time")
def spend_time(shot_id: str, spent: Spent, context: Ctx) -> Time:
    """Add to the time that was spent; it stays on this server."""
    with context.database.transaction() as session:
        values = {"seconds": ShotRow.seconds + spent.seconds}
        changed = update(ShotRow).where(ShotRow.id == shot_id).values(values)
        if spent.budget is not None:
            changed = changed.values(budget=spent.budget)
        row = session.execute(changed.returning(ShotRow.seconds, ShotRow.budget)).one_or_none()
        if row is None:
            raise NotFoundError(GONE)
        return Time(seconds=row.seconds, budget=row.budget)
