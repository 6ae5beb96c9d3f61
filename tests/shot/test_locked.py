"""What is locked stays as it is, and what is named by an id is named by that alone."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest

from tests.builders import HAND, PANE, SQUARE, after, shot_with_hand_and_pane
from wiseglove.shot.edits import (
    AddCarrier,
    AddHandCarrier,
    AddPane,
    AddPoint,
    AddSubject,
    SetCarrier,
    SetCover,
    SetPane,
    SetSubject,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot

FRAME = 1001
PATCH = [(x, y, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0) for x, y in ((20, 15), (105, 18), (100, 80), (22, 76))]


@pytest.fixture
def shot() -> EvaluatedShot:
    return after(
        shot_with_hand_and_pane(),
        AddCarrier(type="add-carrier", frame=FRAME, patch=PATCH, id="k", name="Glass"),
        AddSubject(type="add-subject", id="who", frame=FRAME),
    )


def cover(shot: EvaluatedShot) -> str:
    return shot.covers[0].id


Make = Callable[[EvaluatedShot, dict[str, Any]], Any]
CHANGES: list[tuple[str, Make, dict[str, Any]]] = [
    ("cover", lambda s, w: SetCover(type="set-cover", cover=cover(s), **w), {"grow": 2.0}),
    ("cover", lambda s, w: SetCover(type="set-cover", cover=cover(s), **w), {"name": "Other"}),
    ("cover", lambda s, w: SetCover(type="set-cover", cover=cover(s), **w), {"first": 1003}),
    ("pane", lambda s, w: SetPane(type="set-pane", pane=PANE, **w), {"opacity": 0.5}),
    ("pane", lambda s, w: SetPane(type="set-pane", pane=PANE, **w), {"name": "Other"}),
    ("carrier", lambda s, w: SetCarrier(type="set-carrier", carrier="k", **w), {"margin": 9}),
    ("carrier", lambda s, w: SetCarrier(type="set-carrier", carrier="k", **w), {"model": "shift"}),
    ("subject", lambda s, w: SetSubject(type="set-subject", subject="who", **w), {"opacity": 0.5}),
]


@pytest.mark.parametrize(
    ("make", "change"), [c[1:] for c in CHANGES], ids=[f"{c[0]} {next(iter(c[2]))}" for c in CHANGES]
)
def test_one_rule_of_what_a_lock_keeps(shot: EvaluatedShot, make: Make, change: dict[str, Any]) -> None:
    locked = after(shot, make(shot, {"locked": True}))
    with pytest.raises(EditError, match="locked"):
        make(locked, change).apply(locked)
    with pytest.raises(EditError, match="locked"):
        make(locked, {**change, "shown": False}).apply(locked)
    hidden = after(locked, make(locked, {"shown": False}))  # looking at it changes nothing that was made
    opened = after(hidden, make(hidden, {"locked": False}))
    changed = after(opened, make(opened, change))
    assert changed.document.elements != opened.document.elements


@pytest.mark.parametrize("taken", [HAND, PANE, "k"])
def test_a_new_thing_cannot_take_the_id_of_another(shot: EvaluatedShot, taken: str) -> None:
    before = json.dumps(shot.document.model_dump(mode="json"), sort_keys=True)
    for edit in (
        AddCarrier(type="add-carrier", frame=FRAME, patch=PATCH, id=taken),
        AddHandCarrier(type="add-hand-carrier", frame=FRAME, corners=SQUARE, id=taken),
        AddPoint(type="add-point", frame=FRAME, place=(40.0, 40.0), id=taken),
        AddPane(type="add-pane", frame=FRAME, corners=SQUARE, id=taken),
    ):
        with pytest.raises(EditError, match="id is taken"):
            edit.apply(shot)
    assert json.dumps(shot.document.model_dump(mode="json"), sort_keys=True) == before
