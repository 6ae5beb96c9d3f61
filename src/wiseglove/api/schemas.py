"""What the server sends about shots. Element bodies are the shot model itself."""

from __future__ import annotations

import base64
from typing import Annotated, Literal
from weakref import WeakKeyDictionary

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from wiseglove.media.info import MediaInfo
from wiseglove.shot.basics import Corner, Curve, Ease, ElementId, Plate, PointKind, Spanned
from wiseglove.shot.evaluated import EvaluatedShot, Moving
from wiseglove.shot.model import Carrier, Cover, Element, Group, Joint, Outline, Pane, Settings
from wiseglove.shot.rider import Rider
from wiseglove.shot.subject import Subject
from wiseglove.store.shots import Changed, History


class Answer(BaseModel):
    """Base of what is only ever sent: all of its fields are always there."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)


class Geometry(Answer):
    """Evaluated points of an outline or a pane, one row a frame from its first to its last key.

    `data` is base64 of little-endian float32, (frames, points, 8): x, y, incoming and outgoing handle (relative),
    soft edge inwards and outwards. In a whole shot it is left out and comes frame by frame from its own address.
    """

    first: int
    frames: int
    points: int
    carriers: list[str] = []
    """The carriers that it rides on."""
    whole: bool = False
    """Whether all of it rides on one carrier."""
    data: str | None = None


class KeyMark(Answer):
    """A key without its shape, which the page has from the geometry."""

    frame: int
    ease: Ease
    curve: Curve | None
    turns: int


class OutlineView(Spanned):
    """An outline as the page knows it."""

    model_config = ConfigDict(strict=False, json_schema_serialization_defaults_required=True)
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


class ShotState(Answer):
    """A shot's whole document; its geometry says only what there is of each element."""

    id: str
    revision: int
    plate: Plate
    elements: dict[str, ElementView]
    geometry: dict[str, Geometry]
    undo: str | None = None
    redo: str | None = None


class ShotChange(Answer):
    """What has changed since a revision: elements (null: gone), geometry, and the frames whose pictures may differ."""

    since: int
    """The revision that the page said it knows."""
    revision: int
    label: str
    made: str | None
    others: list[str]
    """What others did in between, oldest first."""
    elements: dict[str, ElementView | None]
    geometry: dict[str, Geometry]
    frames: tuple[int, int] | None
    undo: str | None
    redo: str | None


class ShotCard(Answer):
    """A shot in the list."""

    id: str
    name: str
    revision: int
    plate: Plate
    covers: int
    panes: int
    changed_at: str
    room: int
    """Bytes on disk: its clips and deliveries."""


class ClipCard(Answer):
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


def geometry_of(shot: EvaluatedShot, element: Moving, with_data: bool) -> Geometry:
    """An element's evaluated points over the frames on which it moves; beyond them the end rows hold."""
    first, last = shot.span(element)
    count = len(element.kinds) if isinstance(element, Outline) else 4
    data = base64.b64encode(shot.rows(element, first, last)).decode() if with_data else None
    rider = None if isinstance(element, Carrier) else shot.rider(element)
    return Geometry(
        first=first, frames=last - first + 1, points=count, data=data,
        carriers=rider.carriers if rider else [], whole=rider is not None and rider.whole,
    )  # fmt: skip


def state_of(shot: EvaluatedShot, history: History | None = None) -> ShotState:
    """A shot as the page loads it."""
    return _state_with({i: view_of(e) for i, e in shot.elements.items()}, shot, history)


def _state_with(elements: dict[str, ElementView], shot: EvaluatedShot, history: History | None) -> ShotState:
    return ShotState.model_construct(
        id=shot.id,
        revision=shot.revision,
        plate=shot.plate,
        elements=elements,
        geometry={i: geometry_of(shot, e, False) for i, e in shot.moving.items()},
        undo=history.undo if history else None,
        redo=history.redo if history else None,
    )


def json_of(shot: EvaluatedShot, history: History | None = None) -> bytes:
    """`state_of` as JSON; an outline's part of it is kept with its rider, as most of them are the same the next time."""
    frame = _state_with({}, shot, history).model_dump_json()
    parts = b",".join(b'"%s":%s' % (i.encode(), _view_json(shot, e)) for i, e in shot.elements.items())
    head, tail = frame.encode().split(b'"elements":{}', 1)
    return b'%s"elements":{%s}%s' % (head, parts, tail)


_written: WeakKeyDictionary[Rider[Outline], bytes] = WeakKeyDictionary()


def _view_json(shot: EvaluatedShot, element: Element) -> bytes:
    if not isinstance(element, Outline):
        return _view.dump_json(view_of(element))
    rider = shot.rider(element)
    made = _written.get(rider)
    if made is None:
        made = _written[rider] = _view.dump_json(view_of(element))
    return made


def change_of(changed: Changed, history: History) -> ShotChange:
    """A change, and what else was missed, as the page takes it over."""
    shot, missed = changed.shot, changed.missed
    return ShotChange.model_construct(
        since=changed.since,
        revision=shot.revision,
        label=changed.label,
        made=changed.made,
        others=changed.others,
        elements={i: view_of(e) if (e := shot.elements.get(i)) else None for i in missed.elements},
        geometry={i: geometry_of(shot, e, True) for i, e in shot.moving.items() if i in missed.elements},
        frames=missed.frames,
        undo=history.undo,
        redo=history.redo,
    )
