"""Bringing outlines, mattes as annotations, corners and timelines of others into a shot."""

from __future__ import annotations

from typing import Annotated, cast

from fastapi import APIRouter, Body, Query
from pydantic import BaseModel

from wiseglove.api.context import Ctx
from wiseglove.api.people import Author
from wiseglove.api.schemas import ShotChange
from wiseglove.api.shots import EditId, finished
from wiseglove.delivery.bring_in import check_size, read_into
from wiseglove.interchange.drawn import UnreadableError
from wiseglove.jobs.mattes import KIND
from wiseglove.media.info import MediaInfo
from wiseglove.shot.edits import Edit
from wiseglove.store import shots
from wiseglove.store.errors import NotFoundError
from wiseglove.store.jobs import Job, as_job
from wiseglove.store.tables import ClipRow, ShotClipRow

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["shots"])
LARGEST = 64_000_000
"""Bytes of a file that is brought in by the page."""


@router.post("/import")
def bring_in(
    shot_id: str,
    context: Ctx,
    author: Author,
    revision: Annotated[int, Query(ge=0)],
    name: Annotated[str, Query(min_length=1, max_length=255, description="what the file is called")],
    frame: int,
    file: Annotated[bytes, Body(media_type="application/octet-stream", description="the file itself")],
    edit: Annotated[EditId | None, Query(description="the edit's own id, so that it is made only once")] = None,
) -> ShotChange:
    """What an SVG, Lottie, COCO, CSV, OTIO or shot file holds, as one edit that can be undone."""
    if len(file) > LARGEST:
        raise UnreadableError(
            f"{name} is larger than {LARGEST // 1_000_000} MB. Nothing was brought in. Bring it in with wiseglove import."
        )
    with context.database.transaction() as session:  # what is in it is understood before any lock is taken
        shot = shots.load(session, shot_id)
    made, _ = read_into(shot, name, file, frame)
    with context.database.transaction() as session:
        return finished(session, shots.apply(session, shot_id, revision, cast(Edit, made), edit, author))


class MattesRequest(BaseModel):
    """A clip of the shot that holds mattes."""

    clip: str


@router.post("/mattes", status_code=201)
def bring_in_mattes(shot_id: str, wanted: MattesRequest, context: Ctx) -> Job:
    """Have a cover made of mattes that were taken in as a clip of the shot; it comes as one edit that can be undone."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        clip = session.get(ClipRow, wanted.clip)
        if clip is None or session.get(ShotClipRow, (shot_id, wanted.clip)) is None:
            raise NotFoundError("That clip is not one of this shot. Nothing was brought in. Take the mattes in first.")
        about = MediaInfo.model_validate(clip.info)
        check_size((about.width, about.height), shot.plate)
        return as_job(
            context.queue.put(session, KIND, f"Making a cover of {about.name}", {"clip": wanted.clip}, shot=shot_id)
        )
