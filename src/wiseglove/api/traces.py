"""Tracing: a line that follows the edge in the plate while the pointer moves.

The page sends JSON, one message after the other: {"frame", "anchor": [x, y] or null, "place": [x, y]}; with an anchor a
new stretch begins there. The answer is binary: float32 x, y of the line from the anchor to the place, in plate pixels.
"""

from __future__ import annotations

from threading import Lock

import numpy as np
from cachetools import LRUCache, cached
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from numpy.typing import NDArray
from pydantic import BaseModel, ValidationError
from starlette.concurrency import run_in_threadpool

from wiseglove.api.context import Context, get_context
from wiseglove.api.outlines import plate_picture
from wiseglove.api.pictures import load_shot
from wiseglove.core.outline.edges import gradients, linear_light
from wiseglove.core.outline.trace import Room, Tree, edge_costs, settled
from wiseglove.media.errors import MediaError
from wiseglove.shot.basics import Corner
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import check_frame
from wiseglove.store.errors import StoreError

router = APIRouter(prefix="/api")
Edges = tuple[NDArray[np.uint8], NDArray[np.float32]]
SETTLING_BLUR = 1.6


class Traced(BaseModel):
    """Where the pointer is, and where the stretch begins if it does just now."""

    frame: int
    anchor: Corner | None = None
    place: Corner


@cached(LRUCache(6), key=lambda context, shot, frame: (shot.plate.media, frame), lock=Lock())
def _edges(context: Context, shot: EvaluatedShot, frame: int) -> Edges:
    """Costs and gradients of a frame, kept for those that were traced last; making them is the slow part."""
    picture = plate_picture(context, shot, frame)
    return edge_costs(picture), gradients(linear_light(picture, SETTLING_BLUR))


class TraceScene:
    """One page's tracing: the stretch that is being drawn."""

    def __init__(self, context: Context, shot_id: str) -> None:
        self._context, self._shot_id = context, shot_id
        self._tree: Tree | None = None
        self._room = Room()
        self._strength: NDArray[np.float32] | None = None

    def answer(self, traced: Traced) -> bytes:
        """The line to the place."""
        if traced.anchor is not None or self._tree is None:
            shot = load_shot(self._context, self._shot_id)
            check_frame(shot.plate, traced.frame)
            costs, self._strength = _edges(self._context, shot, traced.frame)
            self._tree = Tree(costs, traced.anchor or traced.place, self._room)
        assert self._strength is not None
        return settled(self._tree.path(traced.place), self._strength).astype("<f4").tobytes()


@router.websocket("/shots/{shot_id}/trace")
async def trace(socket: WebSocket, shot_id: str) -> None:
    """Answer each message in turn; what cannot be answered gets {"message": ...}."""
    await socket.accept()
    scene = TraceScene(get_context(socket), shot_id)
    try:
        while True:
            text = await socket.receive_text()
            try:
                traced = Traced.model_validate_json(text)
                await socket.send_bytes(await run_in_threadpool(scene.answer, traced))
            except (ValidationError, EditError, StoreError, MediaError) as error:
                await socket.send_json({"message": str(error)})
    except WebSocketDisconnect:
        return
