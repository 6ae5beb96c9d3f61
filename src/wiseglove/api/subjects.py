"""Subjects: sampling their backing, and what is doubtful about their mattes."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from wiseglove.api.context import Ctx
from wiseglove.api.pictures import Size, load_shot, scale_for
from wiseglove.api.schemas import Answer
from wiseglove.core.geometry.homography import apply, unit_square_to_quad
from wiseglove.core.parallel import each
from wiseglove.media import clip
from wiseglove.media.info import MediaInfo
from wiseglove.shot.cutting import channel_of
from wiseglove.shot.doubts import Doubt
from wiseglove.shot.edits.base import get
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import check_frame
from wiseglove.shot.model import Contents
from wiseglove.shot.nearness import Nearness, doubts, nearness
from wiseglove.shot.render import FrameScene
from wiseglove.shot.sampling import doubt_of, take_sample
from wiseglove.shot.subject import Sample, SampleBox, Subject
from wiseglove.store.errors import NotFoundError
from wiseglove.store.pictures import ExactPictures

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["subjects"])
WHITE = 0.99
"""Alpha from which on a matte says nothing where all of it is so."""


class Dragged(BaseModel):
    """A part of the backing as it was dragged over on the plate, for a subject or, without one, for a new one of the plate."""

    frame: int
    box: SampleBox
    subject: str | None = None
    limited: bool = Field(default=False, description="whether the backing is only a part of the picture")


class Sampled(Answer):
    """The sample, in pixels of the clip that it was taken from, and what is doubtful about the key with it."""

    sample: Sample
    doubt: str | None


@router.post("/samples")
def sample(shot_id: str, dragged: Dragged, context: Ctx) -> Sampled:
    """The backing's colour where it was dragged over; nothing is changed."""
    shot = load_shot(context, shot_id)
    check_frame(shot.plate, dragged.frame)
    which = get(shot, dragged.subject, Subject) if dragged.subject else None
    pictures = ExactPictures(context.settings.media)
    try:
        media, start, box = _in_clip(shot, which, dragged, pictures)
        number = dragged.frame - (shot.plate.first if start is None else start)
        taken = take_sample(pictures, media, number, dragged.frame, box)
        if which is None:
            which = Subject(id="new", name="new", colour="#000000", keys=[])
        key = which.key.model_copy(update={"samples": [*which.key.samples, taken]})
        return Sampled(
            sample=taken,
            doubt=doubt_of(pictures, media, shot.plate, start, key, dragged.limited or which.pane is not None),
        )
    finally:
        pictures.close()


def _in_clip(
    shot: EvaluatedShot, which: Subject | None, dragged: Dragged, pictures: ExactPictures
) -> tuple[str, int | None, SampleBox]:
    """The clip that is sampled, the frame at which it starts, and the box in its pixels."""
    if which is not None and which.key.matte is not None:
        scale = pictures.wide(which.key.matte) / shot.plate.width
        x, y, w, h = (v * scale for v in dragged.box)
        return which.key.matte, which.key.start, (x, y, w, h)
    if which is None or which.clip is None:
        return shot.plate.media, None, dragged.box
    x, y, w, h = dragged.box
    corners = np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]], np.float64)
    info = pictures.info(which.clip)
    inverse = np.linalg.inv(unit_square_to_quad(shot.corners_at(which, dragged.frame))).astype(np.float64)
    unit = apply(inverse, corners)
    there = unit * (info.width, info.height)
    (left, top), (right, bottom) = there.min(axis=0), there.max(axis=0)
    return which.clip, which.start, (float(left), float(top), float(right - left), float(bottom - top))


class Nearnesses(Answer):
    """Frames on which garbage comes too close to the subject or cuts into it."""

    found: list[Nearness]
    doubts: list[Doubt]


@router.get("/subjects/{subject}/nearness")
def read_nearness(shot_id: str, subject: str, context: Ctx) -> Nearnesses:
    """Look through all frames for garbage that comes too close."""
    shot = load_shot(context, shot_id)
    which = get(shot, subject, Subject)
    if not which.garbage:
        return Nearnesses(found=[], doubts=[])
    frames = range(shot.plate.first, shot.plate.last + 1)
    every = each(lambda frame: nearness(shot, which, frame, context.pictures), frames)
    found = [n for some in every for n in some]
    return Nearnesses(found=found, doubts=doubts(found))


class Notes(Answer):
    """What is to be known about the clips that a subject and its matte come from, each with what to do."""

    notes: list[str]


@router.get("/subjects/{subject}/notes")
def read_notes(shot_id: str, subject: str, context: Ctx) -> Notes:
    """What is doubtful about a subject's clips: too short, of another rate, or an alpha that is white everywhere."""
    shot = load_shot(context, shot_id)
    which = get(shot, subject, Subject)
    notes = []
    for media, start, what in ((which.clip, which.start, "clip"), (which.key.matte, which.key.start, "matte clip")):
        if media is not None:
            info = clip.read_info(clip.folder_of(context.settings.media, media))
            notes += _about(shot, info, shot.plate.first if start is None else start, what)
    if which.key.source != "colour" and _says_nothing(context.settings.media, which, shot):
        notes.append(
            f"The {which.key.source} is white everywhere on the frames that were looked at, so nothing is cut out. Choose "
            "another channel, or key its colour."
        )
    return Notes(notes=notes)


def _about(shot: Contents, info: MediaInfo, start: int, what: str) -> list[str]:
    notes = []
    plate = shot.plate
    if info.kind != "still" and (start > plate.first or start + info.count - 1 < plate.last):
        notes.append(
            f"The {what} has pictures for frames {start} to {start + info.count - 1}, the shot has {plate.first} to "
            f"{plate.last}. Its end pictures are held on the rest; move it in time, or take in a longer one."
        )
    rate = info.rate_num / info.rate_den
    if info.kind == "movie" and abs(rate - float(plate.rate)) > 0.01:
        notes.append(
            f"The {what} runs at {rate:g} frames a second, the plate at {float(plate.rate):g}. Its pictures are taken one "
            "for one; check that they stay together."
        )
    return notes


def _says_nothing(media: Path, which: Subject, shot: Contents) -> bool:
    pictures = ExactPictures(media)
    try:
        source = which.key.matte or which.clip or shot.plate.media
        count = pictures.info(source).count
        frames = (pictures.clip(source, n, None) for n in sorted({0, count // 2, count - 1}))
        return all(float(channel_of(f, which.key.source).min()) >= WHITE for f in frames)
    finally:
        pictures.close()


class Values(Answer):
    """At a place of the plate: its colour and that of the cut-out subject (encoded, 0..1), and the matte."""

    plate: list[float]
    alpha: float
    subject: list[float]


@router.get("/values/{frame}")
def read_values(
    shot_id: str,
    frame: int,
    context: Ctx,
    x: Annotated[float, Query(allow_inf_nan=False)],
    y: Annotated[float, Query(allow_inf_nan=False)],
    size: Size = "proxy",
) -> Values:
    """What is under the pointer."""
    shot = load_shot(context, shot_id)
    if not shot.plate.first <= frame <= shot.plate.last or not (
        0 <= x < shot.plate.width and 0 <= y < shot.plate.height
    ):
        raise NotFoundError("That place is not on the plate.")
    scene = FrameScene(shot, frame, context.pictures, scale_for(shot, size))
    plate, alpha, own = scene.values(x, y)
    return Values(plate=plate, alpha=alpha, subject=own)
