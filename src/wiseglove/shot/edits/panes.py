"""Edits of what panes show and how it sits."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from wiseglove.shot import keys as keying
from wiseglove.shot.basics import Colour, ElementId, Name, Width
from wiseglove.shot.edits.base import Applied, Editing, changeable, get, unlocked
from wiseglove.shot.edits.labels import attribute_label
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.pane import Floating, Insert, Pane, Piece, Placement, SitIn, ValueKey, Wipe
from wiseglove.shot.valued import with_key, without_key


class SetPane(Editing):
    """Change a pane's name, colour, show, lock, opacity, insert, pieces, sitting or face; only what is sent changes.

    `floats` may be null, which lets it float no more.
    """

    type: Literal["set-pane"]
    pane: ElementId
    name: Name | None = None
    colour: Colour | None = None
    shown: bool | None = None
    locked: bool | None = None
    opacity: float | None = Field(default=None, ge=0, le=1, allow_inf_nan=False)
    insert: Insert | None = None
    pieces: list[Piece] | None = Field(default=None, max_length=500)
    placement: Placement | None = None
    wipe: Wipe | None = None
    sit: SitIn | None = None
    floats: Floating | None = None
    radius: float | None = Field(default=None, ge=0, le=0.5, allow_inf_nan=False)
    bow: float | None = Field(default=None, ge=-0.5, le=0.5, allow_inf_nan=False)
    edges: float | None = Field(default=None, ge=-0.2, le=0.2, allow_inf_nan=False)
    soft: Width | None = None
    aspect: float | None = Field(default=None, ge=0.02, le=50, allow_inf_nan=False)

    def apply(self, shot: EvaluatedShot) -> Applied:
        pane = get(shot, self.pane, Pane)
        fields = self.model_fields_set - {"type", "pane"}
        sent = {name: getattr(self, name) for name in fields if getattr(self, name) is not None or name == "floats"}
        if self.insert:
            sent["insert"] = _begun(shot, self.insert)
        if self.pieces is not None:
            sent["pieces"] = [_piece(shot, piece) for piece in self.pieces]
            if len({p.id for p in self.pieces}) != len(self.pieces):
                raise EditError("Two pieces have the same id. Nothing was changed.")
        if self.floats is not None:
            _check_floats(shot, pane, self.floats)
        changeable(shot, pane, sent)
        return Applied(attribute_label(pane.name, sent), {pane.id: pane.model_copy(update=sent)})


def _begun(shot: EvaluatedShot, insert: Insert) -> Insert:
    """An insert that names its picture, and begins at the plate's first frame where nothing else is said."""
    if insert.source == "media" and not insert.media:
        raise EditError("No picture was chosen for the insert. The pane keeps the one it has.")
    return insert.model_copy(update={"start": shot.plate.first}) if insert.start is None else insert


def _piece(shot: EvaluatedShot, piece: Piece) -> Piece:
    if piece.source == "media" and not piece.media:
        raise EditError(f"No picture was chosen for “{piece.name}”. The pane keeps the pieces it has.")
    for frame in (piece.first, piece.last):
        if frame is not None:
            keying.check_frame(shot.plate, frame)
    if piece.first is not None and piece.last is not None and piece.first > piece.last:
        raise EditError(
            f"“{piece.name}” would end ({piece.last}) before it begins ({piece.first}). Nothing was changed."
        )
    start = shot.plate.first if piece.first is None else piece.first
    return piece.model_copy(update={"start": start}) if piece.start is None else piece


def _check_floats(shot: EvaluatedShot, pane: Pane, floats: Floating) -> None:
    base = shot.find(floats.pane, Pane)
    if base is None or base.id == pane.id:
        raise EditError("The pane before which it is to float is not in the shot. Choose another; nothing was changed.")
    if base.floats is not None:
        raise EditError(f"“{base.name}” floats itself. Choose the pane that it floats before; nothing was changed.")
    if any(other.floats is not None and other.floats.pane == pane.id for other in shot.panes):
        raise EditError(f"Another pane floats before “{pane.name}”, so it cannot float itself. Nothing was changed.")


class SetValue(Editing):
    """Set a key of one of a pane's numbers on a frame, or take it away (value null)."""

    type: Literal["set-value"]
    pane: ElementId
    path: str = Field(max_length=60)
    frame: int
    value: float | None = Field(allow_inf_nan=False)
    ease: Literal["smooth", "linear", "hold"] = "smooth"

    def apply(self, shot: EvaluatedShot) -> Applied:
        pane = get(shot, self.pane, Pane)
        unlocked(shot, pane)
        keying.check_frame(shot.plate, self.frame)
        called = self.path.split(".")[-2 if self.path.startswith("sit.") else -1]
        if self.value is None:
            changed = without_key(pane, self.path, self.frame)
            return Applied(f"Took away the key of {called} of {pane.name}, frame {self.frame}", {pane.id: changed})
        if not -10_000 <= self.value <= 10_000:
            raise EditError(f"{self.value:g} is out of range. Nothing was changed.")
        key = ValueKey(frame=self.frame, value=self.value, ease=self.ease)
        changed = with_key(pane, self.path, key)
        return Applied(f"Set {called} of {pane.name}, frame {self.frame}", {pane.id: changed})
