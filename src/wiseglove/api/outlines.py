"""Outlines made from what was drawn by hand, and proposals that follow the picture. Nothing here is stored."""

from __future__ import annotations

import time
from functools import partial
from threading import Lock
from typing import Annotated, Any

import numpy as np
from cachetools import LRUCache, cached
from fastapi import APIRouter
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from wiseglove.api.context import Context, Ctx
from wiseglove.api.pictures import load_shot
from wiseglove.api.schemas import Answer
from wiseglove.core.behind.clean import Behind
from wiseglove.core.behind.difference import as_noisy_as, difference_within
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.fitting import LONGEST, TooManyPointsError, fit_sparsely
from wiseglove.core.outline.normals import normals_at
from wiseglove.core.outline.silhouette import Covered
from wiseglove.core.outline.snap import snap
from wiseglove.core.outline.towards import carry_range
from wiseglove.core.patience import go_on
from wiseglove.jobs.behind import kept_picture, newest
from wiseglove.shot.basics import Coordinate, Corner, ElementId, Point
from wiseglove.shot.doubts import need_of_doubted
from wiseglove.shot.edits import OutlineDraft, thinned_keys
from wiseglove.shot.edits.base import FINEST, MOST_POINTS, Index
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points, check_frame
from wiseglove.shot.model import Outline
from wiseglove.shot.rider import Rider
from wiseglove.store.errors import NotFoundError

router = APIRouter(prefix="/api", tags=["outlines"])
DOUBTFUL = 0.5
"""Doubt from which a stretch of an outline is to be looked at."""
FARTHEST_KEY = 24
"""Frames up to which a later key is carried back from."""
LONGEST_CARRYING = 4.0
"""Seconds after which what has been carried on is shown, and the page asks again from there."""
LONGEST_BETWEEN = 14.0
"""The same between two keys, from which everything begins anew each time."""
MOST_CARRIED = 60
"""Frames of one request; the page asks again from the last one."""


class DrawnLine(BaseModel):
    """A closed line in plate pixels, x and y in turn, and how far the outline may be from it."""

    line: list[Coordinate] = Field(max_length=80_000)
    tolerance: Annotated[float, Field(ge=0.05, le=100, allow_inf_nan=False)]


@router.post("/fit")
def fit(drawn: DrawnLine) -> OutlineDraft:
    """The line as an outline with few points (Schneider 1990)."""
    if len(drawn.line) % 2 or len(drawn.line) < 6:
        raise EditError("That line is too short for an outline. Nothing was drawn; drag a loop around the thing.")
    line = np.array(drawn.line, np.float64).reshape(-1, 2)
    if np.ptp(line, axis=0).min() < 2 * drawn.tolerance:
        raise EditError("That line holds no area. Nothing was drawn; drag a loop around the thing.")
    length = float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum())
    if length > LONGEST:
        raise EditError(
            f"That line is {length:,.0f} px long, more than an outline can be made of ({LONGEST:,.0f} px). Nothing was "
            "drawn; drag a loop around the thing."
        )
    try:
        fitted = fit_sparsely(line, drawn.tolerance, MOST_POINTS)
    except TooManyPointsError as error:
        raise EditError(
            f"That line turns so often that an outline within {drawn.tolerance:g} px of it would need more than {MOST_POINTS} "
            "points. Nothing was drawn; draw it more simply, or let the outline be farther from the line."
        ) from error
    return OutlineDraft(
        kinds=["free" if corner else "smooth" for corner in fitted.corners], points=as_points(fitted.points)
    )


class SnapRequest(BaseModel):
    """Which points of an outline are to move to the edge nearby on a frame, and how far at most."""

    outline: ElementId
    frame: int
    points: list[Index] = Field(max_length=2000)
    radius: Annotated[float, Field(ge=1, le=60, allow_inf_nan=False)] = 12.0


class Proposal(Answer):
    """Shapes by frame that are proposed, how much each is to be believed, and why it went no further.

    `unfinished`: time was over before the last frame; ask again from the last one that is here.
    `doubtful` are the segments of a frame's outline that are to be looked at, `where` the middle of the worst of them on the
    first such frame.
    """

    shapes: dict[int, list[Point]]
    sure: dict[int, float]
    moved: float = 0.0
    reason: str = ""
    unfinished: bool = False
    where: Corner | None = None
    doubtful: dict[int, list[int]] = Field(default_factory=dict)
    needs: dict[int, float] = Field(default_factory=dict)
    """How badly these frames need a look, 0..1."""


@router.post("/shots/{shot_id}/snap")
def propose_snap(shot_id: str, wanted: SnapRequest, context: Ctx) -> Proposal:
    """The outline with a stretch moved onto the edge in the plate; refused where there is none."""
    shot = load_shot(context, shot_id)
    rider = find_outline(shot, wanted.outline)
    check_frame(shot.plate, wanted.frame)
    shape = rider.shape_at(wanted.frame)
    kinds: list[str] = list(rider.element.kinds)
    snapped = snap(plate_picture(context, shot, wanted.frame), shape, wanted.points, kinds, wanted.radius)
    if snapped.reason:
        raise EditError(f"{snapped.reason} Nothing was changed; move it nearer, or choose another stretch.")
    return Proposal(
        shapes={wanted.frame: as_points(snapped.points)}, sure={wanted.frame: snapped.found}, moved=snapped.moved
    )


class CarryRequest(BaseModel):
    """From which frame an outline is carried on, and up to which one; before it where that lies earlier.

    tolerance: share of the outline that may be in doubt on a frame before it ends there. shape: the outline on that frame
    where it was proposed only, and is no key yet.
    """

    outline: ElementId
    shape: Annotated[list[Point] | None, Field(max_length=MOST_POINTS)] = None
    frame: int
    to: int
    tolerance: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.6


@router.post("/shots/{shot_id}/carry")
def propose_carry(shot_id: str, wanted: CarryRequest, context: Ctx) -> Proposal:
    """The outline on the next frames as the picture shows it, with the stretches that are in doubt.

    Where a later key is there, it is carried on from both and blended. It ends where nothing of it is in sight, or more of
    it is in doubt than the tolerance says.
    """
    shot = load_shot(context, shot_id)
    rider = find_outline(shot, wanted.outline)
    check_frame(shot.plate, wanted.frame)
    to = min(max(wanted.to, shot.plate.first), shot.plate.last)
    if to == wanted.frame:
        raise EditError("There is no further frame to carry the outline on to. Nothing was changed.")
    step = 1 if to > wanted.frame else -1
    frames = range(wanted.frame + step, to + step, step)[:MOST_CARRIED]
    keys = {wanted.frame: _begun(rider, wanted)}
    following = [k.frame for k in rider.element.keys if (k.frame - wanted.frame) * step > 0]
    if following:
        key = min(following, key=lambda f: abs(f - wanted.frame))
        if 1 < abs(key - wanted.frame) <= FARTHEST_KEY:
            keys[key] = rider.shape_at(key)
            frames = range(wanted.frame + step, key, step)[: len(frames)]
    kinds: list[str] = list(rider.element.kinds)

    seen = set[int]()

    def picture(frame: int) -> NDArray[np.uint8]:
        go_on()
        if frame not in keys:
            seen.add(frame)
        return plate_picture(context, shot, frame)

    proposal = Proposal(shapes={}, sure={})
    ended = False
    until = time.monotonic() + (LONGEST_CARRYING if len(keys) == 1 else LONGEST_BETWEEN)

    def over() -> bool:
        # However busy the machine is: one frame is carried on each time, or it would never come to an end.
        return ended or (bool(seen) and time.monotonic() > until)

    covered, reach = covered_by(context, shot), (shot.plate.first, shot.plate.last)
    carried = carry_range(picture, keys, kinds, min(frames), max(frames), over, covered, reach)
    for found in carried:
        if found.points is None or found.doubt is None:
            proposal.reason = f"Nothing of it is in sight from frame {found.frame} on."
            ended = True
            continue
        share = float((found.doubt >= DOUBTFUL).mean())
        if ended or (share > wanted.tolerance and len(keys) == 1):
            proposal.reason = proposal.reason or f"It ends before frame {found.frame}, where most of it is in doubt."
            ended = True
            continue
        take_in(proposal, found.frame, found.points, found.doubt)
    if not proposal.shapes:
        why = proposal.reason or "The server is too busy to carry it on just now."
        raise EditError(f"{why} Nothing was changed; set this key by hand and go on from there, or try again.")
    proposal.unfinished = not proposal.reason and len(proposal.shapes) < len(frames)
    return proposal


def _begun(rider: Rider[Any], wanted: CarryRequest) -> Points:
    """The shape that carrying on begins with. Raises EditError for one of another outline."""
    now = rider.shape_at(wanted.frame)
    if wanted.shape is None:
        return now
    shape = np.array(wanted.shape, np.float64)
    if shape.shape != now.shape:
        raise EditError(
            f"The outline has {len(now)} points, but {len(shape)} came to carry on from. Nothing was changed; load the page again."
        )
    return shape


def covered_by(context: Context, shot: EvaluatedShot) -> Covered | None:
    """What tells where a shot's clean plate is covered; None where none was made."""
    with context.database.transaction() as session:
        made = newest(session, shot.id)
    behind = None if made is None else _behind_plate(context, made, shot)
    return None if behind is None else partial(difference_within, behind)


@cached(LRUCache(3), key=lambda context, made, shot: (made, shot.plate.media), lock=Lock())
def _behind_plate(context: Context, made: str, shot: EvaluatedShot) -> Behind | None:
    """The clean plate with the noise of the plate's first frame, measured once; None where it has another size."""
    behind = clean_picture_of(context, made)
    if behind.known.shape != (shot.plate.height, shot.plate.width):
        return None
    first = plate_picture(context, shot, shot.plate.first).astype(np.float32)
    return as_noisy_as(first, behind)


@cached(LRUCache(3), key=lambda context, made: made, lock=Lock())
def clean_picture_of(context: Context, made: str) -> Behind:
    """The clean picture in a clip, read once."""
    return kept_picture(context.settings.media, made)


def take_in(proposal: Proposal, frame: int, points: Points, doubt: NDArray[np.float64]) -> None:
    """Put a frame's outline (N, 8) into a proposal, with the segments (N,) that are in doubt."""
    proposal.shapes[frame] = as_points(points)
    proposal.sure[frame] = round(float(1 - doubt.mean()), 3)
    segments = np.flatnonzero(doubt >= DOUBTFUL)
    if len(segments):
        proposal.doubtful[frame] = [int(k) for k in segments]
        proposal.needs[frame] = need_of_doubted(len(segments), len(points))
        if proposal.where is None:
            worst = np.array([int(doubt.argmax())])
            x, y = normals_at(points, worst, np.array([0.5])).places[0]
            proposal.where = (float(x), float(y))


class ThinRequest(BaseModel):
    """An outline, and by how many pixels any frame may change."""

    outline: ElementId
    tolerance: Annotated[float, Field(ge=FINEST, le=100, allow_inf_nan=False)]


class Thinning(Answer):
    """The keys that would stay, of how many, and by how much the frame that changes most would."""

    frames: list[int]
    before: int
    error: float


@router.post("/shots/{shot_id}/thin")
def propose_thinning(shot_id: str, wanted: ThinRequest, context: Ctx) -> Thinning:
    """What thinning out would leave."""
    rider = find_outline(load_shot(context, shot_id), wanted.outline)
    thinned = thinned_keys(rider, wanted.tolerance)
    return Thinning(frames=list(thinned.frames), before=len(rider.element.keys), error=thinned.error)


class PivotPlace(Answer):
    """Where an outline turns about on a frame."""

    x: float
    y: float


@router.get("/shots/{shot_id}/pivots/{outline}/{frame}")
def read_pivot(shot_id: str, outline: ElementId, frame: int, context: Ctx) -> PivotPlace:
    """An outline's pivot on a frame: the one that was put, or its centre."""
    x, y = find_outline(load_shot(context, shot_id), outline).pivot_at(frame)
    return PivotPlace(x=float(x), y=float(y))


def find_outline(shot: EvaluatedShot, outline: str) -> Rider[Outline]:
    """The outline with what it rides on, or NotFoundError."""
    found = shot.find(outline, Outline)
    if found is None:
        raise NotFoundError("That outline is not in the shot any more.")
    return shot.rider(found)


def plate_picture(context: Context, shot: EvaluatedShot, frame: int) -> NDArray[np.uint8]:
    """The plate's display copy at full size, RGB."""
    picture = context.pictures.plate(shot.plate, frame, shot.plate.width, shot.plate.height)
    return np.asarray(picture, np.uint8)
