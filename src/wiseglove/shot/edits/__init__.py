"""Typed edits. Each one says what it changes; nothing else changes a shot.

`apply` returns the label for the history and the elements after the edit (None for one that is gone). The
store keeps what differs, which is all that undo and redo need.
"""

from typing import Annotated

from pydantic import Field

from wiseglove.shot.edits.base import Applied
from wiseglove.shot.edits.carriers import (
    AddCarrier,
    AddHandCarrier,
    CarryCover,
    ClearSolution,
    KeepSolution,
    RenewReference,
    Ride,
    SetByHand,
    SetCarrier,
)
from wiseglove.shot.edits.copies import Copied, Duplicate, Paste, copied
from wiseglove.shot.edits.features import AddPoint, RemovePoint, SetPoint
from wiseglove.shot.edits.groups import GroupCovers, SetGroup, ShiftCovers, Ungroup
from wiseglove.shot.edits.joints import AddJoint, PinCorner, RemoveJoint, SetJoint
from wiseglove.shot.edits.keyframes import (
    DeleteKeys,
    EaseKeys,
    MoveKeys,
    SetKey,
    SetKeys,
    StretchKeys,
    ThinOut,
    TurnKeys,
    thinned_keys,
)
from wiseglove.shot.edits.looked import LooksRight
from wiseglove.shot.edits.panes import SetPane, SetValue
from wiseglove.shot.edits.regions import AddRegion, FreezeRegion, RemoveRegion, RideRegion, ShapeRegion
from wiseglove.shot.edits.shape import InsertPoint, Mirror, RemovePoints, SetPointKind, ShapePoints
from wiseglove.shot.edits.subjects import AddSubject, SetSubject
from wiseglove.shot.edits.things import (
    AddCover,
    AddCovers,
    AddOutline,
    AddPane,
    DeleteElement,
    OrderDepth,
    OutlineDraft,
    SetCover,
    SetOutline,
    SetShot,
)

__all__ = [
    "AddCarrier",
    "AddCover",
    "AddCovers",
    "AddHandCarrier",
    "AddJoint",
    "AddOutline",
    "AddPane",
    "AddPoint",
    "AddRegion",
    "AddSubject",
    "Applied",
    "CarryCover",
    "ClearSolution",
    "Copied",
    "DeleteElement",
    "DeleteKeys",
    "Duplicate",
    "EaseKeys",
    "Edit",
    "FreezeRegion",
    "GroupCovers",
    "InsertPoint",
    "KeepSolution",
    "LooksRight",
    "Mirror",
    "MoveKeys",
    "OrderDepth",
    "OutlineDraft",
    "Paste",
    "PinCorner",
    "RemoveJoint",
    "RemovePoint",
    "RemovePoints",
    "RemoveRegion",
    "RenewReference",
    "Ride",
    "RideRegion",
    "SetByHand",
    "SetCarrier",
    "SetCover",
    "SetGroup",
    "SetJoint",
    "SetKey",
    "SetKeys",
    "SetOutline",
    "SetPane",
    "SetPoint",
    "SetPointKind",
    "SetShot",
    "SetSubject",
    "SetValue",
    "ShapePoints",
    "ShapeRegion",
    "ShiftCovers",
    "StretchKeys",
    "ThinOut",
    "TurnKeys",
    "Ungroup",
    "copied",
    "thinned_keys",
]  # fmt: skip

Edit = Annotated[
    AddCover
    | AddCovers
    | AddOutline
    | ShapePoints
    | SetKey
    | SetKeys
    | DeleteKeys
    | MoveKeys
    | StretchKeys
    | TurnKeys
    | ThinOut
    | EaseKeys
    | InsertPoint
    | RemovePoints
    | SetPointKind
    | Mirror
    | LooksRight
    | SetCover
    | SetOutline
    | GroupCovers
    | Ungroup
    | SetGroup
    | ShiftCovers
    | Paste
    | Duplicate
    | AddPane
    | SetPane
    | SetValue
    | AddSubject
    | SetSubject
    | AddCarrier
    | AddHandCarrier
    | CarryCover
    | AddPoint
    | SetPoint
    | RemovePoint
    | AddJoint
    | PinCorner
    | SetJoint
    | RemoveJoint
    | AddRegion
    | RemoveRegion
    | ShapeRegion
    | FreezeRegion
    | RideRegion
    | RenewReference
    | SetCarrier
    | KeepSolution
    | ClearSolution
    | SetByHand
    | Ride
    | DeleteElement
    | OrderDepth
    | SetShot,
    Field(discriminator="type"),
]
