"""What differs from a clean picture, proposed to stay in front; nothing is stored before it is kept."""

from __future__ import annotations

from functools import partial
from typing import Annotated

import cv2
import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel, Field

from wiseglove.api.context import Ctx
from wiseglove.api.outlines import clean_picture_of, plate_picture
from wiseglove.api.pictures import load_shot
from wiseglove.api.schemas import Answer
from wiseglove.core.outline.from_mattes import borders
from wiseglove.jobs.differing import KIND, Form, differing
from wiseglove.shot.basics import ElementId
from wiseglove.shot.errors import EditError
from wiseglove.shot.keys import check_frame
from wiseglove.store import shots
from wiseglove.store.jobs import Job, as_job

router = APIRouter(prefix="/api/shots/{shot_id}/differing", tags=["behind"])
FINE = 0.2
"""Pixels within which a border is shown."""
MOST = 0.6
"""Share of a pane from which something else than a thing before it is the likely cause."""
UNKNOWN = 0.02
"""Share of a pane whose clean picture is not known, from which that is said."""


class Differs(Answer):
    """What would stay in front on a frame: its borders as closed lines, x and y in turn, and its share of what is looked at."""

    frame: int
    borders: list[list[float]]
    share: float
    unknown: float
    """The share that cannot be told: it was never uncovered."""
    words: str


@router.get("/{frame}")
def read_differing(shot_id: str, frame: int, context: Ctx, pane: ElementId | None = None) -> Differs:
    """What differs from the clean picture of a pane, or of the whole plate, on a frame."""
    shot = load_shot(context, shot_id)
    check_frame(shot.plate, frame)
    with context.database.transaction() as session:
        told = differing(session, shot, pane, partial(clean_picture_of, context))
    behind = told.behind_at(frame)
    if behind is None:
        return Differs(frame=frame, borders=[], share=0, unknown=0, words="The pane is not seen on this frame.")
    matte = told.matte(frame, plate_picture(context, shot, frame))
    share, unknown = told.shares(frame, behind, matte)
    lines = [cv2.approxPolyDP(b.line.astype(np.float32), FINE, True)[:, 0] for b in borders(matte)]
    return Differs(
        frame=frame, borders=[np.round(line.astype(np.float64), 1).ravel().tolist() for line in lines], share=round(share, 4),
        unknown=round(unknown, 4), words=_words(share, unknown, bool(lines), told.pane.name if told.pane else "the plate"),
    )  # fmt: skip


def _words(share: float, unknown: float, any_there: bool, name: str) -> str:
    if not any_there:
        said = f"Nothing differs from the clean picture of {name} here"
    elif share > MOST:
        said = f"{share:.0%} of {name} differs here: what is on it changes, or the clean picture is not of it"
    else:
        said = f"{share:.0%} of {name} is covered here" if share >= 0.01 else f"Less than 1% of {name} is covered here"
    return said + (f"; {unknown:.0%} was never uncovered and cannot be told" if unknown > UNKNOWN else "")


class DifferingRequest(BaseModel):
    """Of which pane (None: the whole plate), on which frames, and as what it is kept."""

    pane: ElementId | None = None
    frames: Annotated[list[int], Field(min_length=1, max_length=100_000)]
    form: Form = "matte"


@router.post("", status_code=201)
def keep_differing(shot_id: str, wanted: DifferingRequest, context: Ctx) -> Job:
    """Have what differs on some frames stay in front, as a matte or as a cover's outlines; it comes as one edit."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        told = differing(session, shot, wanted.pane, partial(clean_picture_of, context))
        strange = [f for f in wanted.frames if not shot.plate.first <= f <= shot.plate.last]
        if strange:
            raise EditError(
                f"The plate has no frame {strange[0]}; it has {shot.plate.first} to {shot.plate.last}. Nothing was changed."
            )
        name = told.pane.name if told.pane else "the plate"
        payload = {"pane": wanted.pane, "frames": sorted(set(wanted.frames)), "form": wanted.form}
        return as_job(context.queue.put(session, KIND, f"Holding out what covers {name}", payload, shot=shot_id))
