"""What the server sends about shots. Element bodies are the shot model itself."""

from __future__ import annotations

import base64

import numpy as np
from pydantic import BaseModel

from wiseglove.media.info import MediaInfo
from wiseglove.shot.changes import changed_frames
from wiseglove.shot.evaluate import points_at
from wiseglove.shot.model import Element, Outline, Pane, Plate, Shot
from wiseglove.store.shots import Changed, History


class Geometry(BaseModel):
    """Evaluated points of an outline or a pane, one row a frame from its first to its last key.

    `data` is base64 of little-endian float32, (frames, points, 6): x, y, incoming and outgoing handle (relative).
    """

    first: int
    frames: int
    points: int
    data: str


class ShotState(BaseModel):
    """A shot's whole document with its geometry."""

    id: str
    revision: int
    plate: Plate
    elements: dict[str, Element]
    geometry: dict[str, Geometry]
    undo: str | None = None
    redo: str | None = None


class ShotChange(BaseModel):
    """What an edit changed: elements (null: gone), geometry, and the frames whose pictures may differ."""

    revision: int
    label: str
    made: str | None
    elements: dict[str, Element | None]
    geometry: dict[str, Geometry]
    frames: tuple[int, int] | None
    undo: str | None
    redo: str | None


class ShotCard(BaseModel):
    """A shot in the list."""

    id: str
    name: str
    revision: int
    plate: Plate
    covers: int
    panes: int
    changed_at: str


class ClipCard(BaseModel):
    """A clip that a shot can use as an insert."""

    id: str
    info: MediaInfo


def geometry_of(element: Outline | Pane) -> Geometry:
    """An element's evaluated points over the span of its keys; outside it the end keys hold."""
    first, last = element.keys[0].frame, element.keys[-1].frame
    points = points_at(element, np.arange(first, last + 1)).astype("<f4")
    return Geometry(
        first=first, frames=len(points), points=points.shape[1], data=base64.b64encode(points.tobytes()).decode()
    )


def _geometry(shot: Shot, ids: set[str]) -> dict[str, Geometry]:
    found = {i: shot.elements.get(i) for i in ids}
    return {i: geometry_of(e) for i, e in found.items() if isinstance(e, Outline | Pane)}


def state_of(shot: Shot, history: History | None = None) -> ShotState:
    """A shot as the page loads it."""
    return ShotState(
        id=shot.id,
        revision=shot.revision,
        plate=shot.plate,
        elements=shot.elements,
        geometry=_geometry(shot, set(shot.elements)),
        undo=history.undo if history else None,
        redo=history.redo if history else None,
    )


def change_of(changed: Changed, history: History) -> ShotChange:
    """A change as the page applies it."""
    touched = changed.touched
    return ShotChange(
        revision=changed.after.revision,
        label=changed.label,
        made=changed.made,
        elements={i: changed.after.elements.get(i) for i in touched},
        geometry=_geometry(changed.after, touched),
        frames=changed_frames(changed.before, changed.after),
        undo=history.undo,
        redo=history.redo,
    )
