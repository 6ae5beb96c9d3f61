"""Live looks while something is dragged: newest wins, raw pixels of the box that changed.

The page sends JSON: {frame, look, size, element, points} with points (N, 8) flat, and how the look is shown; it waits for each answer.
The answer is binary: four little-endian uint16 (left, top, width, height in result pixels), a uint16 with the
number of channels, a uint16 of nothing, then the pixels row by row.
"""

from __future__ import annotations

import struct

import numpy as np
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import Field, ValidationError
from starlette.concurrency import run_in_threadpool

from wiseglove.api.context import Context, get_context
from wiseglove.api.pictures import Shown, ShownLook, Size, load_shot, scale_for
from wiseglove.core.compositing.pane import PREVIEW
from wiseglove.core.matte.coverage import Box
from wiseglove.media.errors import MediaError
from wiseglove.shot.basics import Coordinate
from wiseglove.shot.model import Animated
from wiseglove.shot.render import FrameScene
from wiseglove.store.errors import StoreError

router = APIRouter(prefix="/api")


class Dragged(Shown):
    """Where an outline's points, or a pane's corners, are just now."""

    revision: int
    frame: int
    look: ShownLook
    size: Size
    element: str
    points: list[Coordinate] = Field(max_length=16_000)


class LiveScene:
    """The scene of the frame that is being worked on, and the box that the last answer changed."""

    def __init__(self, context: Context, shot_id: str) -> None:
        self._context, self._shot_id = context, shot_id
        self._key: tuple[object, ...] | None = None
        self._scene: FrameScene | None = None
        self._last = Box(0, 0, 0, 0)

    def answer(self, dragged: Dragged) -> bytes:
        """Pixels of all that may differ from the last answer, or from the committed state."""
        key = (dragged.revision, dragged.frame, dragged.element, dragged.name("", dragged.size))
        if key != self._key or self._scene is None:
            shot = load_shot(self._context, self._shot_id)
            scale = scale_for(shot, dragged.size)
            self._scene = FrameScene(shot, dragged.frame, self._context.pictures, scale, PREVIEW, dragged.manner)
            element = shot.elements.get(dragged.element)
            if not isinstance(element, Animated):
                raise StoreError("What is dragged is not in the shot any more.")
            committed = shot.rider(element).shape_at(dragged.frame)
            self._last = self._scene.reach_of(dragged.element, committed)
            self._key = key
        scene = self._scene
        points = np.array(dragged.points, np.float64).reshape(-1, 8)
        now = scene.reach_of(dragged.element, points)
        box = self._last.joined(now).within(scene.whole)
        self._last = now
        if box.empty:
            return struct.pack("<6H", 0, 0, 0, 0, 1, 0)
        pixels = scene.look(dragged.look, box, {dragged.element: points})
        channels = 1 if pixels.ndim == 2 else 3
        return struct.pack("<6H", box.left, box.top, box.width, box.height, channels, 0) + pixels.tobytes()


@router.websocket("/shots/{shot_id}/live")
async def live(socket: WebSocket, shot_id: str) -> None:
    """Answer each message in turn; what cannot be answered gets {"message": ...}."""
    await socket.accept()
    scene = LiveScene(get_context(socket), shot_id)
    try:
        while True:
            text = await socket.receive_text()
            try:
                dragged = Dragged.model_validate_json(text)
                if len(dragged.points) % 8 or len(dragged.points) < 24:
                    raise StoreError("Points come in eights, at least three of them.")
                await socket.send_bytes(await run_in_threadpool(scene.answer, dragged))
            except (ValidationError, StoreError, MediaError) as error:
                await socket.send_json({"message": str(error)})
    except WebSocketDisconnect:
        return
