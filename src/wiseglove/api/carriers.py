"""Carriers: solving them, and pictures of what they look at and of what rides on them."""

from __future__ import annotations

import cv2
import numpy as np
from fastapi import APIRouter, Response
from pydantic import BaseModel

from wiseglove.api.context import Ctx
from wiseglove.api.pictures import Size, load_shot, scale_for
from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.core.geometry.homography import is_convex
from wiseglove.core.motion.path import homographies
from wiseglove.media.encode import jpeg
from wiseglove.shot.edits.base import get
from wiseglove.shot.edits.carriers import unlocked_carrier
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluate import corners_at
from wiseglove.shot.keys import check_frame
from wiseglove.shot.looking import left_out, looked_at
from wiseglove.shot.model import Carrier, Pane
from wiseglove.shot.render import size_at
from wiseglove.store import shots
from wiseglove.store.jobs import Job, as_job

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["carriers"])
FRESH = {"Cache-Control": "private, max-age=3600"}
DIMMED = 0.28
"""Light that is left of what a carrier does not look at."""
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
        found = unlocked_carrier(shot, carrier)
        for frame in (wanted.first, wanted.last):
            check_frame(shot.plate, frame)
        if shot.plate.count < 2:
            raise EditError("The plate has one frame only, so there is no motion to solve. Nothing was changed.")
        if wanted.first >= wanted.last and wanted.first == found.at:
            raise EditError("That is the carrier's own frame only, so there is no motion to solve. Choose more frames.")
        if wanted.first > wanted.last:
            raise EditError("The first frame must not lie after the last. Nothing was changed.")
        payload = {"carrier": found.id, "first": wanted.first, "last": wanted.last}
        title = f"Solving {found.name}"
        return as_job(context.queue.put(session, "solve", title, payload, shot=shot.id))


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


@router.get("/panes/{pane}/flat/{frame}.jpg", response_class=Response)
def read_flat(shot_id: str, pane: str, frame: int, context: Ctx, size: Size = "full", v: str = "") -> Response:
    """The plate as seen through a pane, unrolled and held still, where slip shows as movement."""
    shot = load_shot(context, shot_id)
    check_frame(shot.plate, frame)
    corners = corners_at(get(shot, pane, Pane), frame)
    plate = shot.plate
    if not is_convex(corners):
        raise EditError("The pane is folded over on this frame, so it cannot be unrolled.")
    first = corners_at(get(shot, pane, Pane), get(shot, pane, Pane).keys[0].frame)
    sides = np.linalg.norm(np.roll(first, -1, axis=0) - first, axis=1)
    wide, tall = max(float(sides[0] + sides[2]) / 2, 1.0), max(float(sides[1] + sides[3]) / 2, 1.0)
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
