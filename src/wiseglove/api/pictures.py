"""Pictures for the viewer: display copies of clips, and looks of shots."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse
from pydantic import Field, TypeAdapter, ValidationError

from wiseglove.api.context import Context, Ctx
from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.core.compositing.pane import PREVIEW
from wiseglove.media import clip
from wiseglove.media.encode import jpeg, png
from wiseglove.media.errors import MissingClipError
from wiseglove.shot.edits import SetPane, SetSubject, SetValue
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Contents
from wiseglove.shot.render import FrameScene
from wiseglove.shot.scene import Manner, Style
from wiseglove.store import shots
from wiseglove.store.errors import NotFoundError

router = APIRouter(prefix="/api", tags=["pictures"])
FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}
Size = Literal["full", "proxy"]
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


def manner_of(only: str | None, style: Style, ground: str) -> Manner:
    """How a look is shown, from the parameters of a request."""
    covers = None if only is None else frozenset(only.split(","))
    return Manner(covers, style, ground if ground in ("checks", "blurred", "picture") else f"#{ground}")


@router.get("/shots/{shot_id}/looks/{look}/{frame}", response_class=Response)
def read_look(
    shot_id: str,
    look: Literal["matte", "cutout", "composite"],
    frame: int,
    context: Ctx,
    size: Size = "proxy",
    only: Annotated[str | None, Query(max_length=20_000, pattern=r"^[a-z0-9,]*$")] = None,
    style: Style = "plain",
    ground: Annotated[str, Query(pattern=r"^(checks|blurred|picture|[0-9a-f]{6})$")] = "checks",
    trial: Annotated[str | None, Query(max_length=60_000, description="a change that is not kept")] = None,
    v: Annotated[int, Query(description="revision since which the frame looks so; only names the cached copy")] = 0,
) -> Response:
    """A look of a frame: a matte on black as grey PNG, the others as JPEG.

    `only` names the covers that count, separated by commas; `style` is the matte's; `ground` is what a cut-out lies
    on, checks or a colour.
    """
    shot = load_shot(context, shot_id)
    if not shot.plate.first <= frame <= shot.plate.last:
        raise NotFoundError(f"The plate has frames {shot.plate.first} to {shot.plate.last}.")
    manner = manner_of(only, style, ground)
    scene = FrameScene(tried(shot, trial), frame, context.pictures, scale_for(shot, size), PREVIEW, manner)
    pixels = scene.look(look, scene.whole)
    kept = "no-store" if trial else "private, max-age=3600"
    headers = {"Cache-Control": kept, "X-Revision": str(shot.revision)}
    if any(s.key.solved for s in shot.subjects):
        headers["X-Soft-Edge"] = f"{scene.subjects.seconds_in_band:.2f}"
    if pixels.ndim == 2:
        return Response(png(pixels), media_type="image/png", headers=headers)
    return Response(jpeg(pixels, 90), media_type="image/jpeg", headers=headers)


@router.get("/shots/{shot_id}/thumbnails/{element}/{frame}", response_class=Response)
def read_thumbnail(shot_id: str, element: str, frame: int, context: Ctx, v: int = 0) -> Response:
    """A cover's matte or a pane's place at a frame, 96 pixels wide, grey PNG."""
    shot = load_shot(context, shot_id)
    scene = FrameScene(shot, frame, context.pictures, 96 / shot.plate.width, 1)
    pixels = to_eight_bits(scene.matte_of(element))
    return Response(png(pixels), media_type="image/png", headers={"Cache-Control": "private, max-age=3600"})
