"""Pictures for the viewer: display copies of clips, and looks of shots."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from wiseglove.api.context import Context, Ctx
from wiseglove.api.schemas import Answer
from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.core.compositing.pane import PREVIEW
from wiseglove.core.review.matters import runs_of
from wiseglove.media import clip
from wiseglove.media.encode import jpeg, png
from wiseglove.media.errors import MissingClipError
from wiseglove.shot.edits import SetPane, SetSubject, SetValue
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Contents
from wiseglove.shot.render import FrameScene, Look
from wiseglove.shot.scene import Manner, Style
from wiseglove.store import looks, shots, versions
from wiseglove.store.errors import NotFoundError

router = APIRouter(prefix="/api", tags=["pictures"])
FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}
Size = Literal["full", "proxy"]
ShownLook = Literal["matte", "cutout", "composite"]
HEX = r"^[0-9a-f]{6}$"
FINE, PASSING = 95, 85
"""Quality of pictures of what differs, and of those that are shown while a value is moved."""
TRIED: TypeAdapter[SetSubject | SetPane | SetValue] = TypeAdapter(
    Annotated[SetSubject | SetPane | SetValue, Field(discriminator="type")]
)


@router.get("/clips/{clip_id}/{size}/{number}.jpg", response_class=FileResponse)
def read_picture(clip_id: str, size: Size, number: int, context: Ctx) -> FileResponse:
    """A display copy of a clip's picture (0-based). A clip's content never changes, so it may be kept for ever."""
    if number < 0:
        raise NotFoundError("There is no such picture.")
    place = clip.full_path if size == "full" else clip.proxy_path
    try:
        path = place(clip.folder_of(context.settings.media, clip_id), number)
    except MissingClipError as error:
        raise NotFoundError("There is no such picture.") from error
    if not path.is_file():
        raise NotFoundError("There is no such picture.")
    return FileResponse(path, media_type="image/jpeg", headers=FOREVER)


def load_shot(context: Context, shot_id: str) -> EvaluatedShot:
    """The shot as it is now."""
    with context.database.transaction() as session:
        return shots.load(session, shot_id)


def tried(shot: EvaluatedShot, trial: str | None) -> EvaluatedShot:
    """The shot with a change of a subject or a pane (as JSON) that is only looked at. Raises EditError."""
    if trial is None:
        return shot
    try:
        edit = TRIED.validate_json(trial)
    except ValidationError as error:
        raise EditError("The change that was tried cannot be read. Nothing was changed.") from error
    return shot.with_elements(edit.apply(shot).after)


def scale_for(shot: Contents, size: Size) -> float:
    """Pixels per plate pixel of a display size."""
    return 1.0 if size == "full" else min(1.0, clip.PROXY_WIDTH / shot.plate.width)


class Shown(BaseModel):
    """How a look is shown.

    `only` names the things that count, separated by commas (all panes where it names none); `style` is the matte's; `ground` is what a cut-out lies on,
    checks or a colour; `plate` and `insert` are colours that stand in for the plate, and for what panes show.
    """

    only: Annotated[str | None, Field(max_length=20_000, pattern=r"^[a-z0-9,]*$")] = None
    style: Style = "plain"
    ground: Annotated[str, Field(pattern=r"^(checks|blurred|picture|[0-9a-f]{6})$")] = "checks"
    plate: Annotated[str | None, Field(pattern=HEX)] = None
    insert: Annotated[str | None, Field(pattern=HEX)] = None

    @property
    def manner(self) -> Manner:
        """As a scene wants it."""
        only = None if self.only is None else frozenset(self.only.split(","))
        ground = self.ground if self.ground in ("checks", "blurred", "picture") else f"#{self.ground}"
        plate, insert = (None if c is None else f"#{c}" for c in (self.plate, self.insert))
        return Manner(only, self.style, ground, plate, insert)

    def name(self, look: str, size: Size) -> str:
        """By which pictures that are shown alike are known."""
        return f"{look} {size} {self.only} {self.style} {self.ground} {self.plate} {self.insert}"


class LookRequest(Shown):
    """How a look is shown, how large, and what is only tried."""

    size: Size = "proxy"
    trial: Annotated[str | None, Field(max_length=60_000, description="a change that is not kept")] = None
    v: Annotated[int, Field(description="revision since which the frame looks so; only names the cached copy")] = 0
    beside: Annotated[
        Look | None, Field(description="show what differs from this look, or from the same of a version")
    ] = None
    version: Annotated[int | None, Field(ge=1, description="the version, with `beside`")] = None
    gain: Annotated[int, Field(ge=1, le=64, description="how many times brighter the difference is")] = 1

    @property
    def compares(self) -> str:
        """By which differences that are shown alike are known; nothing where a look is shown."""
        return "" if self.beside is None else f" beside {self.beside} {self.version} x{self.gain}"


@router.get("/shots/{shot_id}/looks/{look}/{frame}", response_class=Response)
def read_look(
    shot_id: str, look: ShownLook, frame: int, context: Ctx, wanted: Annotated[LookRequest, Query()]
) -> Response:
    """A look of a frame: a matte on black as grey PNG, the others as JPEG."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        since = "" if wanted.trial else looks.since(session, shot, frame)
        then = None
        if wanted.beside is not None and wanted.version is not None:
            then = versions.opened(session, shot_id, wanted.version)
    if not shot.plate.first <= frame <= shot.plate.last:
        raise NotFoundError(f"The plate has frames {shot.plate.first} to {shot.plate.last}.")
    if wanted.trial:
        made = _rendered(context, tried(shot, wanted.trial), look, frame, wanted, then)
    else:
        made = kept_look(context, shot, since, look, frame, wanted, then)
    headers = {
        "Cache-Control": "no-store" if wanted.trial else "private, max-age=3600",
        "X-Revision": str(shot.revision),
    }
    if made.soft_edge is not None:
        headers["X-Soft-Edge"] = made.soft_edge
    return Response(made.data, media_type=made.media_type, headers=headers)


def kept_look(
    context: Context,
    shot: EvaluatedShot,
    since: str,
    look: Look,
    frame: int,
    wanted: LookRequest,
    then: EvaluatedShot | None = None,
) -> looks.Rendered:
    """A frame's picture as it was kept, or rendered now and kept; since: see `store.looks.since`."""
    key = looks.key(shot, frame, since, wanted.name(look, wanted.size) + wanted.compares)
    made = context.looks.get(key)
    if made is None:
        made = _rendered(context, shot, look, frame, wanted, then)
        context.looks.put(key, made)
    return made


def _rendered(
    context: Context,
    shot: EvaluatedShot,
    look: Look,
    frame: int,
    wanted: LookRequest,
    then: EvaluatedShot | None,
) -> looks.Rendered:
    scene = FrameScene(shot, frame, context.pictures, scale_for(shot, wanted.size), PREVIEW, wanted.manner)
    if wanted.beside is not None:
        other = scene if then is None else FrameScene(then, frame, context.pictures, scene.ground.scale, PREVIEW)
        # Told apart before anything is rounded or compressed: what is amplified is the difference and nothing else.
        off = np.abs(scene.precise(look) - other.precise(wanted.beside)) * np.float32(wanted.gain)
        return looks.Rendered(jpeg(to_eight_bits(off), FINE))
    pixels = scene.look(look, scene.whole)
    keyed = any(s.key.solved for s in shot.subjects)
    soft_edge = f"{scene.subjects.seconds_in_band:.2f}" if keyed else None
    if pixels.ndim == 2:
        return looks.Rendered(png(pixels), soft_edge)
    # What is only tried is followed by the next picture, and in the end by one in full colour.
    return looks.Rendered(jpeg(pixels, PASSING, halved=True) if wanted.trial else jpeg(pixels), soft_edge)


class Ready(Answer):
    """Runs of frames, first and last, whose pictures are rendered already, at a revision of the shot."""

    revision: int
    runs: list[tuple[int, int]]


@router.get("/shots/{shot_id}/ready/{look}")
def read_ready(shot_id: str, look: ShownLook, context: Ctx, wanted: Annotated[LookRequest, Query()]) -> Ready:
    """Which frames of a look need not be rendered any more."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        known = looks.since_all(session, shot)
    frames = range(shot.plate.first, shot.plate.last + 1)
    name = wanted.name(look, wanted.size)
    kept = context.looks.which(looks.key(shot, f, since, name) for f, since in zip(frames, known, strict=True))
    return Ready(revision=shot.revision, runs=runs_of(frames, kept))


@router.get("/shots/{shot_id}/thumbnails/{element}/{frame}", response_class=Response)
def read_thumbnail(shot_id: str, element: str, frame: int, context: Ctx, v: int = 0) -> Response:
    """A cover's matte or a pane's place at a frame, 96 pixels wide, grey PNG."""
    shot = load_shot(context, shot_id)
    scene = FrameScene(shot, frame, context.pictures, 96 / shot.plate.width, 1)
    pixels = to_eight_bits(scene.matte_of(element))
    return Response(png(pixels), media_type="image/png", headers={"Cache-Control": "private, max-age=3600"})
