"""What the server sends about shots. Element bodies are the shot model itself."""

from __future__ import annotations

import base64
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from wiseglove.media.info import MediaInfo
from wiseglove.shot.basics import Corner, Curve, Ease, ElementId, Plate, PointKind
from wiseglove.shot.changes import changed_frames
from wiseglove.shot.evaluate import motion_of, points_at, span_of
from wiseglove.shot.model import Animated, Carrier, Cover, Element, Group, Joint, Outline, Pane, Settings, Shot, Spanned
from wiseglove.shot.riding import motion_span, quads_of
from wiseglove.shot.subject import Subject
from wiseglove.store.shots import Changed, History


class Geometry(BaseModel):
    """Evaluated points of an outline or a pane, one row a frame from its first to its last key.

    `data` is base64 of little-endian float32, (frames, points, 8): x, y, incoming and outgoing handle (relative),
    soft edge inwards and outwards. In a whole shot it is left out and comes frame by frame from its own address.
    """

    first: int
    frames: int
    points: int
    data: str | None = None


class KeyMark(BaseModel):
    """A key without its shape, which the page has from the geometry."""

    frame: int
    ease: Ease
    curve: Curve | None
    turns: int


class OutlineView(Spanned):
    """An outline as the page knows it."""

    model_config = ConfigDict(strict=False)
    kind: Literal["outline"] = "outline"
    id: ElementId
    cover: ElementId
    mode: Literal["adds", "cuts", "limits"]
    kinds: list[PointKind]
    keys: list[KeyMark]
    pivot: Corner | None
    rides: ElementId | None
    joints: list[Joint]
    rest: int | None


ElementView = Annotated[Settings | Cover | Group | OutlineView | Pane | Subject | Carrier, Field(discriminator="kind")]


_view: TypeAdapter[ElementView] = TypeAdapter(ElementView)


class ShotState(BaseModel):
    """A shot's whole document; its geometry says only what there is of each element."""

    id: str
    revision: int
    plate: Plate
    elements: dict[str, ElementView]
    geometry: dict[str, Geometry]
    undo: str | None = None
    redo: str | None = None


class ShotChange(BaseModel):
    """What an edit changed: elements (null: gone), geometry, and the frames whose pictures may differ."""

    revision: int
    label: str
    made: str | None
    elements: dict[str, ElementView | None]
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


def view_of(element: Element) -> ElementView:
    """An element as the page knows it."""
    if not isinstance(element, Outline):
        return element
    marks = [KeyMark.model_construct(frame=k.frame, ease=k.ease, curve=k.curve, turns=k.turns) for k in element.keys]
    shared = {name: getattr(element, name) for name in OutlineView.model_fields if name != "keys"}
    return OutlineView.model_construct(**shared, keys=marks)


Moving = Animated | Carrier
"""What has geometry; a carrier's are its base corners."""


def geometry_of(element: Moving, with_data: bool) -> Geometry:
    """An element's evaluated points over the frames on which it moves; beyond them the end rows hold."""
    first, last = _span(element)
    count = len(element.kinds) if isinstance(element, Outline) else 4
    data = base64.b64encode(rows_of(element, first, last)).decode() if with_data else None
    return Geometry(first=first, frames=last - first + 1, points=count, data=data)


def _span(element: Moving) -> tuple[int, int]:
    return motion_span(element) if isinstance(element, Carrier) else span_of(element)


def rows_of(element: Moving, first: int, last: int) -> bytes:
    """Points on the frames of a span, as `Geometry` describes them; beyond the ends the end row stands once for all."""
    start, end = _span(element)
    frames = np.arange(min(max(first, start), end), min(max(last, start), end) + 1)
    if isinstance(element, Carrier):
        quads = quads_of(element, int(frames[0]), int(frames[-1]))
        return np.concatenate([quads, np.zeros((len(quads), 4, 6))], axis=2).astype("<f4").tobytes()
    if len(frames) > 1:
        return points_at(element, frames).astype("<f4").tobytes()
    # A single frame is asked for when a shot is opened, the same one each time.
    frame, motion = int(frames[0]), motion_of(element)
    held = element.__dict__.get("_row")
    if held is None or held[0] is not element or held[1] is not motion or held[2] != frame:
        held = element, motion, frame, points_at(element, frames).astype("<f4").tobytes()
        element.__dict__["_row"] = held
    return bytes(held[3])


def animated(shot: Shot) -> dict[str, Moving]:
    """Everything that has geometry, by id in the order in which it is sent."""
    return {i: e for i, e in sorted(shot.elements.items()) if isinstance(e, Moving)}


def state_of(shot: Shot, history: History | None = None) -> ShotState:
    """A shot as the page loads it."""
    return _state_with({i: view_of(e) for i, e in shot.elements.items()}, shot, history)


def _state_with(elements: dict[str, ElementView], shot: Shot, history: History | None) -> ShotState:
    return ShotState.model_construct(
        id=shot.id,
        revision=shot.revision,
        plate=shot.plate,
        elements=elements,
        geometry={i: geometry_of(e, False) for i, e in animated(shot).items()},
        undo=history.undo if history else None,
        redo=history.redo if history else None,
    )


def json_of(shot: Shot, history: History | None = None) -> bytes:
    """`state_of` as JSON; an outline's part of it is kept with the outline, as most of them are the same the next time."""
    frame = _state_with({}, shot, history).model_dump_json()
    parts = b",".join(b'"%s":%s' % (i.encode(), _view_json(e)) for i, e in shot.elements.items())
    head, tail = frame.encode().split(b'"elements":{}', 1)
    return b'%s"elements":{%s}%s' % (head, parts, tail)


def _view_json(element: Element) -> bytes:
    # A copy takes along what is kept, so it counts only for the very outline.
    held = element.__dict__.get("_view_json")
    if held is not None and held[0] is element:
        return bytes(held[1])
    made = _view.dump_json(view_of(element))
    if isinstance(element, Outline):
        element.__dict__["_view_json"] = (element, made)
    return made


def change_of(changed: Changed, history: History) -> ShotChange:
    """A change as the page applies it."""
    touched = changed.touched
    return ShotChange.model_construct(
        revision=changed.after.revision,
        label=changed.label,
        made=changed.made,
        elements={i: view_of(e) if (e := changed.after.elements.get(i)) else None for i in touched},
        geometry={i: geometry_of(e, True) for i, e in animated(changed.after).items() if i in touched},
        frames=changed_frames(changed.before, changed.after),
        undo=history.undo,
        redo=history.redo,
    )
