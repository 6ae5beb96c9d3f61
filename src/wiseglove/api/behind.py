"""The clean picture behind what passes."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from wiseglove.api.context import Ctx
from wiseglove.core.behind.clean import FEWEST
from wiseglove.jobs.behind import KIND
from wiseglove.shot.basics import ElementId
from wiseglove.shot.edits.base import get
from wiseglove.shot.errors import EditError
from wiseglove.shot.model import Pane
from wiseglove.store import shots
from wiseglove.store.jobs import Job, as_job

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["behind"])


class BehindRequest(BaseModel):
    """Of which pane, unrolled; None for the whole plate of a camera that stands."""

    pane: ElementId | None = None


@router.post("/behind", status_code=201)
def make_behind(shot_id: str, wanted: BehindRequest, context: Ctx) -> Job:
    """Order the clean picture to be made; it becomes a clip of the shot, to be shown, keyed with, and carried on by."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        if shot.plate.count < FEWEST:
            raise EditError(
                f"The plate has {shot.plate.count} frames; a clean picture needs at least {FEWEST}, on which what passes is "
                "in different places. Nothing was made."
            )
        pane = get(shot, wanted.pane, Pane) if wanted.pane else None
        title = "Making the clean plate" if pane is None else f"Making the clean {pane.name}"
        payload = {"pane": wanted.pane}
        return as_job(context.queue.put(session, KIND, title, payload, shot=shot_id))
