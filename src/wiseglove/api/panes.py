"""How a pane's picture sits in the plate: what the plate tells about it, picks, and scopes."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from wiseglove.api.context import Ctx
from wiseglove.api.pictures import Size, load_shot, scale_for, tried
from wiseglove.api.schemas import Answer
from wiseglove.core.compositing.pane import PREVIEW
from wiseglove.core.compositing.scopes import drawn
from wiseglove.core.geometry.proportions import UnknownProportionsError
from wiseglove.media.encode import png
from wiseglove.shot.edits.base import get
from wiseglove.shot.errors import EditError
from wiseglove.shot.keys import check_frame
from wiseglove.shot.measuring import Picked, levelled_by, pixels_remark, proposed, true_proportions
from wiseglove.shot.model import Pane
from wiseglove.shot.pane import LevelRow, SitIn
from wiseglove.shot.render import FrameScene
from wiseglove.shot.valued import value_at
from wiseglove.store.pictures import ExactPictures

router = APIRouter(prefix="/api/shots/{shot_id}/panes/{pane}", tags=["panes"])


class SittingProposal(Answer):
    """Rows as the plate tells them, and sentences about what it does not tell."""

    sit: SitIn
    unknown: list[str]


@router.get("/sitting")
def propose_sitting(shot_id: str, pane: str, context: Ctx) -> SittingProposal:
    """All rows of "sit in" as they are measured on the plate; nothing is changed."""
    shot = load_shot(context, shot_id)
    which = get(shot, pane, Pane)
    pictures = ExactPictures(context.settings.media)
    try:
        sit, unknown = proposed(shot, which, pictures, context.pictures)
    finally:
        pictures.close()
    return SittingProposal(sit=sit, unknown=unknown)


class TrueProportions(Answer):
    """Width over height of the real pane, focal length in px, by what share each may be off, and what seems wrong about it."""

    aspect: float
    focal: float
    deviation: float
    focal_deviation: float
    remark: str | None


@router.get("/proportions")
def read_proportions(shot_id: str, pane: str, context: Ctx) -> TrueProportions:
    """From the pane's motion; refused with the reason where that does not tell them."""
    shot = load_shot(context, shot_id)
    which = get(shot, pane, Pane)
    remark = pixels_remark(shot, which)
    try:
        found = true_proportions(shot, which)
    except UnknownProportionsError as error:
        raise EditError(remark or str(error)) from error
    return TrueProportions(
        aspect=round(found.aspect, 4), focal=round(found.focal, 1), deviation=found.deviation,
        focal_deviation=found.focal_deviation, remark=remark,
    )  # fmt: skip


@router.get("/numbers")
def read_numbers(shot_id: str, pane: str, context: Ctx) -> dict[str, list[float]]:
    """Each number of a pane that has keys, by its path, on every frame of the plate."""
    shot = load_shot(context, shot_id)
    values, plate = get(shot, pane, Pane).values, shot.plate
    return {path: [value_at(keys, f) for f in range(plate.first, plate.last + 1)] for path, keys in values.items()}


class Pick(BaseModel):
    """A place of the plate that was picked for the level, and what it stands for.

    `shown`: for a light place, what the insert has there, encoded 0..1.
    """

    frame: int
    x: Annotated[float, Field(allow_inf_nan=False)]
    y: Annotated[float, Field(allow_inf_nan=False)]
    stands_for: Literal["dark", "light", "grey"]
    shown: Annotated[float, Field(allow_inf_nan=False, gt=0, le=1)] = 1.0


@router.post("/level")
def pick_level(shot_id: str, pane: str, picked: Pick, context: Ctx) -> LevelRow:
    """The row of levels with a pick taken into it; nothing is changed."""
    shot = load_shot(context, shot_id)
    which = get(shot, pane, Pane)
    check_frame(shot.plate, picked.frame)
    pick = Picked(picked.frame, picked.x, picked.y, picked.stands_for, picked.shown)
    try:
        return levelled_by(which.sit.level, shot.plate, pick, context.pictures)
    except ValueError as error:
        raise EditError(f"{error} Nothing was changed.") from error


@router.get("/scopes/{frame}.png", response_class=Response)
def read_scopes(
    shot_id: str,
    pane: str,
    frame: int,
    context: Ctx,
    size: Size = "proxy",
    trial: Annotated[str | None, Query(max_length=60_000)] = None,
    v: int = 0,
) -> Response:
    """Waveform and histogram inside a pane, of the plate on the left and of the composite on the right."""
    shot = tried(load_shot(context, shot_id), trial)
    check_frame(shot.plate, frame)
    which = get(shot, pane, Pane)
    scene = FrameScene(shot, frame, context.pictures, scale_for(shot, size), PREVIEW)
    inside = scene.panes.matte_of(which) > 0.5
    picture = drawn([scene.look(look, scene.whole) for look in ("plate", "composite")], inside)
    return Response(png(picture), media_type="image/png", headers={"Cache-Control": "private, max-age=3600"})
