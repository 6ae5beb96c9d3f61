"""Typed edits. Each one says what it changes; nothing else changes a shot.

`apply` returns the label for the history and the elements after the edit (None for one that is gone). The
store keeps before and after of each, which is all that undo and redo need.
"""

from typing import Annotated

from pydantic import Field

from wiseglove.shot.edits.base import Applied
from wiseglove.shot.edits.keyframes import DeleteKeys, EaseKeys, MoveKeys, SetKey
from wiseglove.shot.edits.shape import InsertPoint, RemovePoints, SetPointKind, ShapePoints
from wiseglove.shot.edits.things import (
    AddCover,
    AddOutline,
    AddPane,
    DeleteElement,
    OrderDepth,
    OutlineDraft,
    SetCover,
    SetPane,
    SetShot,
)

__all__ = [
    "AddCover", "AddOutline", "AddPane", "Applied", "DeleteElement", "DeleteKeys", "EaseKeys", "Edit",
    "InsertPoint", "MoveKeys", "OrderDepth", "OutlineDraft", "RemovePoints", "SetCover", "SetKey", "SetPane",
    "SetPointKind", "SetShot", "ShapePoints",
]  # fmt: skip

Edit = Annotated[
    AddCover
    | AddOutline
    | ShapePoints
    | SetKey
    | DeleteKeys
    | MoveKeys
    | EaseKeys
    | InsertPoint
    | RemovePoints
    | SetPointKind
    | SetCover
    | AddPane
    | SetPane
    | DeleteElement
    | OrderDepth
    | SetShot,
    Field(discriminator="type"),
]
