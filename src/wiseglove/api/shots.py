"""Shots: the list, the document, edits, undo and redo."""

from __future__ import annotations

import re
from typing import Annotated

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from wiseglove.api.context import Context, Ctx
from wiseglove.api.paging import LINKED, Page
from wiseglove.api.people import Author
from wiseglove.api.pictures import load_shot
from wiseglove.api.schemas import (
    Answer,
    ClipCard,
    ShotCard,
    ShotChange,
    ShotState,
    change_of,
    json_of,
)
from wiseglove.shot.basics import LONGEST_NAME, ElementId, Plate
from wiseglove.shot.edits import Copied, Edit, copied
from wiseglove.store import clips, deliveries, jobs, shots
from wiseglove.store.errors import NotFoundError, RevisionError
from wiseglove.store.jobs import announce_change
from wiseglove.store.objects import Objects
from wiseglove.store.shapes import uncollected
from wiseglove.store.tables import ElementRow, RevisionRow, ShotRow

router = APIRouter(prefix="/api/shots", tags=["shots"])
EditId = Annotated[str, Field(pattern=r"^[A-Za-z0-9-]{1,64}$")]


class StepRequest(BaseModel):
    """Undo or redo of the shot as it was at a revision."""

    revision: int = Field(ge=0)
    id: EditId | None = None
    """What is sent again under the same id, because no answer came, is done once."""


class EditRequest(StepRequest):
    """An edit of the shot as it was at a revision."""

    edit: Edit


@router.get("", responses=LINKED)
def list_shots(context: Ctx, page: Page) -> list[ShotCard]:
    """All shots, the last changed first."""
    with context.database.transaction() as session:
        rows = page.rows(session, select(ShotRow).order_by(ShotRow.changed_at.desc(), ShotRow.id))
        counts = {
            (shot, kind): count
            for shot, kind, count in session.execute(
                select(ElementRow.shot, ElementRow.kind, func.count()).group_by(ElementRow.shot, ElementRow.kind)
            )
        }
        ids = [row.id for row in rows]
        clip_room, package_room = clips.rooms(session, ids), jobs.packages(session, ids)
    return [
        ShotCard(
            id=row.id,
            name=row.name,
            revision=row.revision,
            plate=Plate.model_validate(row.plate),
            covers=counts.get((row.id, "cover"), 0),
            panes=counts.get((row.id, "pane"), 0),
            changed_at=row.changed_at.isoformat(),
            room=clip_room[row.id] + package_room.get(row.id, 0),
        )
        for row in rows
    ]


READ_AHEAD = 4
"""Shots that are read when the server starts: the artist goes on with what was changed last."""


def read_ahead(context: Context) -> None:
    """Read the shots changed last and what a page asks of them first, so that opening one does not wait for it."""
    with context.database.transaction() as session:
        latest = session.scalars(select(ShotRow.id).order_by(ShotRow.changed_at.desc()).limit(READ_AHEAD)).all()
    for shot_id in latest:
        try:
            shot = load_shot(context, shot_id)
        except NotFoundError:  # deleted meanwhile
            continue
        with uncollected():
            json_of(shot)
            for element in shot.moving.values():
                shot.rows(element, shot.plate.first, shot.plate.first)


@router.get("/{shot_id}", response_model=ShotState)
def read_shot(shot_id: str, context: Ctx) -> Response:
    """The whole shot with its evaluated geometry."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        past = shots.history(session, shot_id)
    # Straight to bytes: checking what was just built from the model would take longer than building it.
    with uncollected():
        state = json_of(shot, past)
    return Response(state, media_type="application/json")


@router.get("/{shot_id}/geometry", response_class=Response)
def read_geometry(shot_id: str, revision: int, first: int, last: int, context: Ctx) -> Response:
    """Geometry of all elements on some frames: float32 rows one element after the other, in the order of their ids.

    409 with the newer state where the shot has moved on since it was loaded.
    """
    shot = load_shot(context, shot_id)
    if shot.revision != revision:
        raise RevisionError(shot, None)
    rows = b"".join(shot.rows(element, first, last) for element in shot.moving.values())
    return Response(rows, media_type="application/octet-stream", headers={"Cache-Control": "no-store"})


@router.get("/{shot_id}/copies/{element}")
def read_copy(shot_id: str, element: ElementId, context: Ctx) -> Copied:
    """A cover or an outline with all of its keys, as it can be pasted here or into another shot."""
    return copied(load_shot(context, shot_id), element)


@router.post("/{shot_id}/fresh")
def start_fresh(shot_id: str, context: Ctx) -> ShotCard:
    """A new shot on the same plate with nothing drawn."""
    with context.database.transaction() as session:
        old = shots.load(session, shot_id)
        taken = set(session.scalars(select(ShotRow.name).where(ShotRow.clip == old.plate.media)))
        shot = shots.create(session, fresh_name(old.settings.name, taken), old.plate)
        row = session.get_one(ShotRow, shot.id)
        session.refresh(row)
        jobs.announce(session, "shots", {})
        return ShotCard(
            id=shot.id,
            name=row.name,
            revision=0,
            plate=shot.plate,
            covers=0,
            panes=0,
            changed_at=row.changed_at.isoformat(),
            room=clips.rooms(session, [shot.id])[shot.id],
        )


FRESH = ", fresh"


def fresh_name(name: str, taken: set[str]) -> str:
    """A name for a fresh shot on the plate of another one, none that is taken, and never longer than names may be."""
    stem = re.sub(rf"{FRESH}( \d+)?$", "", name)
    for number in range(1, len(taken) + 2):
        behind = FRESH if number == 1 else f"{FRESH} {number}"
        wanted = stem[: LONGEST_NAME - len(behind)].rstrip() + behind
        if wanted not in taken:
            break
    return wanted


@router.delete("/{shot_id}", status_code=204)
def delete_shot(shot_id: str, context: Ctx) -> Response:
    """Delete a shot; clips that nothing else uses go with it."""
    with context.database.transaction() as session:
        row = session.get(ShotRow, shot_id, with_for_update=True)
        if row is None:
            raise NotFoundError("This shot does not exist any more.")
        used = {row.clip, *session.scalars(shots.clips_of(shot_id))}
        session.delete(row)
        jobs.announce(session, "shots", {})
    clips.sweep(context.database, context.settings.media, used, Objects(context.settings.store))
    deliveries.sweep(context.database, context.settings.deliveries)
    return Response(status_code=204)


@router.post("/{shot_id}/edits")
def apply_edit(shot_id: str, request: EditRequest, context: Ctx, author: Author) -> ShotChange:
    """Apply an edit, on top of what others changed meanwhile where that is about other things; else 409 says by what."""
    with context.database.transaction() as session:
        changed = shots.apply(session, shot_id, request.revision, request.edit, request.id, author)
        return finished(session, changed)


@router.post("/{shot_id}/undo")
def undo(shot_id: str, request: StepRequest, context: Ctx, author: Author) -> ShotChange:
    """Take the last edit back."""
    with context.database.transaction() as session:
        return finished(session, shots.undo(session, shot_id, request.revision, request.id, author))


@router.post("/{shot_id}/redo")
def redo(shot_id: str, request: StepRequest, context: Ctx, author: Author) -> ShotChange:
    """Do the last undone edit again."""
    with context.database.transaction() as session:
        return finished(session, shots.redo(session, shot_id, request.revision, request.id, author))


class Past(Answer):
    """One revision of a shot."""

    revision: int
    label: str
    author: str | None
    made_at: str


@router.get("/{shot_id}/history", responses=LINKED)
def list_history(shot_id: str, context: Ctx, page: Page) -> list[Past]:
    """What was done to a shot and by whom, the newest first."""
    with context.database.transaction() as session:
        rows = page.rows(
            session, select(RevisionRow).where(RevisionRow.shot == shot_id).order_by(RevisionRow.revision.desc())
        )
        return [Past(revision=r.revision, label=r.label, author=r.author, made_at=r.made_at.isoformat()) for r in rows]


@router.get("/{shot_id}/changes")
def read_changes(shot_id: str, since: int, context: Ctx) -> ShotChange:
    """What has changed since a revision; 409 with the whole state where that is too long ago to be known."""
    with context.database.transaction() as session:
        return change_of(shots.changes(session, shot_id, since), shots.history(session, shot_id))


def finished(session: Session, changed: shots.Changed) -> ShotChange:
    """Keep a change, tell all pages of it, and answer with it."""
    past = shots.history(session, changed.shot.id)
    announce_change(session, changed)
    session.commit()
    return change_of(changed, past)


@router.get("/{shot_id}/clips", responses=LINKED)
def list_clips(shot_id: str, context: Ctx, page: Page) -> list[ClipCard]:
    """Clips that were taken in as inserts for this shot."""
    with context.database.transaction() as session:
        return [ClipCard(id=i, info=clips.info(session, i)) for i in page.rows(session, shots.clips_of(shot_id))]
