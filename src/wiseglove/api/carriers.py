"""Carriers: solving them, and pictures of what they look at and of what rides on them."""

from __future__ import annotations

import cv2
import numpy as np
from fastapi import APIRouter, Response
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from wiseglove.api.context import Context, Ctx
from wiseglove.api.pictures import Size, load_shot, scale_for
from wiseglove.api.schemas import Answer
from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.core.geometry.aspect import aspect_of
from wiseglove.core.geometry.homography import is_convex
from wiseglove.core.motion.channels import seen_in
from wiseglove.core.motion.path import homographies
from wiseglove.core.motion.slip import Slip, jitter
from wiseglove.core.motion.solve import REASONS, sentences
from wiseglove.media.encode import jpeg
from wiseglove.media.plate import to_float
from wiseglove.shot import doubts
from wiseglove.shot.doubts import Doubt, Run
from wiseglove.shot.edits.base import get, unlocked_carrier
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import check_frame
from wiseglove.shot.looking import check_solvable, in_order, left_out, looked_at
from wiseglove.shot.model import Carrier, Pane
from wiseglove.shot.motions import known_span, motion_of
from wiseglove.shot.scene import size_at
from wiseglove.store import shots
from wiseglove.store.jobs import Job, as_job

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["carriers"])
FRESH = {"Cache-Control": "private, max-age=3600"}
DIMMED = 0.28
"""Light that is left of what a carrier does not look at."""
SLIP_FRAMES = 24
"""Frames whose slip is measured in one answer."""
FILLED = 0.9
"""Share of the picture that an unrolled pane fills, so that its surroundings show too."""


class SolveRequest(BaseModel):
    """Frames to solve, both inclusive; what is solved on others stays."""

    first: int
    last: int


@router.post("/carriers/{carrier}/solve", status_code=201)
def solve(shot_id: str, carrier: str, wanted: SolveRequest, context: Ctx) -> Job:
    """Order a carrier to be solved; it is shown while it runs, and can be stopped."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        return _order(context, session, shot, unlocked_carrier(shot, carrier), wanted)


@router.post("/solve", status_code=201)
def solve_all(shot_id: str, wanted: SolveRequest, context: Ctx) -> list[Job]:
    """Order all carriers that are not locked or set by hand to be solved: each after those that it begins or looks on."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        found = [e for e in shot.elements.values() if isinstance(e, Carrier) and not e.locked]
        solvable = in_order(sorted((c for c in found if not c.is_set_by_hand), key=lambda c: c.name))
        if not solvable:
            raise EditError("There is no carrier to solve: all are locked or set by hand. Draw a patch first.")
        return [_order(context, session, shot, carrier, wanted) for carrier in solvable]


def _order(context: Context, session: Session, shot: EvaluatedShot, carrier: Carrier, wanted: SolveRequest) -> Job:
    check_solvable(carrier)
    for frame in (wanted.first, wanted.last):
        check_frame(shot.plate, frame)
    if shot.plate.count < 2:
        raise EditError("The plate has one frame only, so there is no motion to solve. Nothing was changed.")
    if wanted.first >= wanted.last and wanted.first == carrier.at:
        raise EditError("That is the carrier's own frame only, so there is no motion to solve. Choose more frames.")
    if wanted.first > wanted.last:
        raise EditError("The first frame must not lie after the last. Nothing was changed.")
    payload = {"carrier": carrier.id, "first": wanted.first, "last": wanted.last}
    return as_job(context.queue.put(session, "solve", f"Solving {carrier.name}", payload, shot=shot.id))


@router.get("/reasons")
def reasons(shot_id: str) -> dict[str, str]:
    """Why frames of carriers are not sure, and what to do next, by the reasons that their solutions hold; alike in all shots."""
    return {reason: sentences(reason) for reason in REASONS}


class Doubts(Answer):
    """Frames that need a look as far as the document says, the worst first, and each carrier's runs of them."""

    doubts: list[Doubt]
    runs: dict[str, list[Run]]


@router.get("/doubts")
def read_doubts(shot_id: str, context: Ctx) -> Doubts:
    """Frames that need a hand, by what solving said of them."""
    carriers = load_shot(context, shot_id).carriers
    found = (doubt for c in carriers for doubt in doubts.of_motion(c.id, c.solved))
    return Doubts(doubts=doubts.worst_first(found), runs={c.id: doubts.runs(c.solved) for c in carriers})


class Checks(Answer):
    """How well a carrier's motion holds, in pixels, a number for each frame from `first` on."""

    first: int
    jitter: list[float | None]
    """How much its corners shake; null where nothing is known of the motion."""
    removed: list[float | None]
    """By how much smoothing moves its worst corner; null as above."""
    notable: float = doubts.NOTABLE
    """From how much on a frame needs a look."""


class SlipOf(Answer):
    """By how much the picture is off a carrier's motion, in pixels, for each frame from `first` on; null: not seen."""

    first: int
    slip: list[float | None]


@router.get("/carriers/{carrier}/checks")
def read_checks(shot_id: str, carrier: str, context: Ctx) -> Checks:
    """Jitter of a carrier's motion, and what its smoothing takes out."""
    shot = load_shot(context, shot_id)
    found = get(shot, carrier, Carrier)
    quads = shot.motion(found).quads
    bare = motion_of(found.model_copy(update={"smoothing": 0}), shot.plate).quads
    removed = np.linalg.norm(quads - bare, axis=-1).max(axis=1)
    first, last = known_span(found)
    shaking = jitter(quads[first - shot.plate.first : last - shot.plate.first + 1])

    def known(values: NDArray[np.float64], start: int) -> list[float | None]:
        frames = range(shot.plate.first, shot.plate.last + 1)
        return [round(float(values[f - start]), 4) if first <= f <= last else None for f in frames]

    return Checks(first=shot.plate.first, jitter=known(shaking, first), removed=known(removed, shot.plate.first))


@router.get("/carriers/{carrier}/slip")
def read_slip(shot_id: str, carrier: str, first: int, last: int, context: Ctx) -> SlipOf:
    """Slip of a carrier on some frames, at most SLIP_FRAMES of them."""
    shot = load_shot(context, shot_id)
    found = get(shot, carrier, Carrier)
    check_frame(shot.plate, first)
    last = min(last, shot.plate.last, first + SLIP_FRAMES - 1)
    there = shot.motion(found)
    back = np.linalg.inv(there.matrices(np.array([found.at], np.float64))[0])
    slip = Slip(_luma(context, shot, found.at), looked_at(shot, found, found.at))
    out: list[float | None] = []
    begin, end = known_span(found)
    for frame in range(first, last + 1):
        if not begin <= frame <= end:
            out.append(None)
            continue
        matrix = there.matrices(np.array([frame], np.float64))[0] @ back
        hidden = left_out(shot, found, frame, context.pictures)
        off = slip.of(_luma(context, shot, frame), matrix, hidden)
        out.append(None if off is None else round(off, 4))
    return SlipOf(first=first, slip=out)


def _luma(context: Context, shot: EvaluatedShot, frame: int) -> NDArray[np.float32]:
    plate = shot.plate
    return seen_in(to_float(context.pictures.plate(plate, frame, plate.width, plate.height)), "luma")


class SlipMeasured(BaseModel):
    """The slip of a carrier's frames from `first` on, as it was measured; null: not seen."""

    first: int
    slip: list[float | None] = Field(max_length=100_000)


@router.post("/carriers/{carrier}/slip/doubts")
def judge_slip(shot_id: str, carrier: str, measured: SlipMeasured, context: Ctx) -> list[Doubt]:
    """The frames on which a measured slip needs a look."""
    get(load_shot(context, shot_id), carrier, Carrier)
    return doubts.of_slip(carrier, measured.first, measured.slip)


@router.get("/carriers/{carrier}/eye/{frame}.jpg", response_class=Response)
def read_eye(shot_id: str, carrier: str, frame: int, context: Ctx, size: Size = "proxy", v: str = "") -> Response:
    """What a carrier looks at on a frame, the rest of the plate dimmed."""
    shot = load_shot(context, shot_id)
    check_frame(shot.plate, frame)
    found = get(shot, carrier, Carrier)
    seen = looked_at(shot, found, frame)
    hidden = left_out(shot, found, frame, context.pictures)
    if hidden is not None:
        seen = seen * (1 - hidden)
    width, height = size_at(shot.plate, scale_for(shot, size))
    picture = to_eight_bits(context.pictures.plate(shot.plate, frame, width, height)).astype(np.float32)
    counted = cv2.resize(seen, (width, height), interpolation=cv2.INTER_AREA)[..., None]
    grey = picture.mean(axis=2, keepdims=True)
    pixels = picture * counted + grey * DIMMED * (1 - counted)
    return Response(jpeg(np.round(pixels).astype(np.uint8), 90), media_type="image/jpeg", headers=FRESH)


class Aspect(Answer):
    """Width over height of the real screen, and whether its perspective told it (else the lengths of its sides)."""

    aspect: float
    by_perspective: bool


@router.get("/panes/{pane}/aspect")
def read_aspect(shot_id: str, pane: str, context: Ctx) -> Aspect:
    """The aspect that a pane's corners tell on the frame of its first key."""
    shot = load_shot(context, shot_id)
    return _estimated(shot, get(shot, pane, Pane))


def _estimated(shot: EvaluatedShot, pane: Pane) -> Aspect:
    plate = shot.plate
    corners = shot.corners_at(pane, pane.keys[0].frame) * (plate.pixel_aspect, 1.0)
    aspect, by_perspective = aspect_of(corners, plate.width * plate.pixel_aspect, plate.height)
    return Aspect(aspect=round(float(np.clip(aspect, 0.02, 50)), 4), by_perspective=by_perspective)


@router.get("/panes/{pane}/flat/{frame}.jpg", response_class=Response)
def read_flat(shot_id: str, pane: str, frame: int, context: Ctx, size: Size = "full", v: str = "") -> Response:
    """The plate as seen through a pane, unrolled and held still, where slip shows as movement."""
    shot = load_shot(context, shot_id)
    check_frame(shot.plate, frame)
    corners = shot.corners_at(get(shot, pane, Pane), frame)
    plate = shot.plate
    if not is_convex(corners):
        raise EditError("The pane is folded over on this frame, so it cannot be unrolled.")
    found = get(shot, pane, Pane)
    wide, tall = found.aspect or _estimated(shot, found).aspect, 1.0
    grow = FILLED * min(plate.width / wide, plate.height / tall)
    w, h = wide * grow, tall * grow
    left, top = (plate.width - w) / 2, (plate.height - h) / 2
    flat = np.array([[left, top], [left + w, top], [left + w, top + h], [left, top + h]])
    share = scale_for(shot, size)
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1]])
    scale = np.diag([share, share, 1.0])
    matrix = half @ scale @ homographies(corners, flat[None])[0] @ np.linalg.inv(half)
    picture = to_eight_bits(context.pictures.plate(plate, frame, plate.width, plate.height))
    pixels = cv2.warpPerspective(picture, matrix, size_at(plate, share), flags=cv2.INTER_CUBIC)
    return Response(jpeg(np.asarray(pixels, np.uint8), 92), media_type="image/jpeg", headers=FRESH)
