"""What an evaluated shot keeps is what would be derived anew: after every edit, undo and redo, to the last bit."""

from __future__ import annotations

from random import Random

import numpy as np
import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, precondition, rule
from pydantic import ValidationError

from tests.builders import HAND, PANE, after, shot_with_hand_and_pane
from tests.random_edits import KINDS, Maker, NothingToEditError
from wiseglove.shot.edits import AddHandCarrier, AddSubject, Ride, SetCarrier
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.formats import upgraded_shot
from wiseglove.shot.model import Carrier, Outline, Shot
from wiseglove.shot.patch import diff, patched

CORNERS = ((10.0, 10.0), (110.0, 12.0), (108.0, 85.0), (12.0, 83.0))


def stage() -> EvaluatedShot:
    """A shot in which something rides already, so that every kind of edit finds what it is about."""
    return after(
        shot_with_hand_and_pane(),
        AddHandCarrier(type="add-hand-carrier", frame=1003, corners=CORNERS, id="wrist"),
        Ride(type="ride", elements=[HAND], carrier="wrist"),
        AddSubject(type="add-subject", frame=1001, id="who"),
    )


def assert_as_if_anew(shot: EvaluatedShot) -> None:
    """The shot against one read from its JSON: every element on every frame, between frames, and its rows."""
    fresh = EvaluatedShot.of(Shot.model_validate_json(shot.document.model_dump_json(), strict=False))
    assert fresh.document == shot.document
    frames = np.arange(shot.plate.first - 1, shot.plate.last + 2, 0.5)
    for element_id, element in shot.moving.items():
        again = fresh.elements[element_id]
        assert shot.span(element) == fresh.span(again)  # type: ignore[arg-type]
        first, last = shot.plate.first, shot.plate.last
        assert shot.rows(element, first, last) == fresh.rows(again, first, last)  # type: ignore[arg-type]
        assert shot.rows(element, first, first) == fresh.rows(again, first, first)  # type: ignore[arg-type]
        if isinstance(element, Carrier):
            one, other = shot.motion(element), fresh.motion(element_id)
            assert one.quads.tobytes() == other.quads.tobytes()
            assert one.matrices(frames).tobytes() == other.matrices(frames).tobytes()
            continue
        mine, theirs = shot.rider(element), fresh.rider(again)  # type: ignore[type-var]
        assert mine.points_at(frames).tobytes() == theirs.points_at(frames).tobytes(), element_id
        if isinstance(element, Outline):
            assert mine.pivot_at(1004.0).tobytes() == theirs.pivot_at(1004.0).tobytes()


class Editing(RuleBasedStateMachine):
    """An artist who does anything at all, and takes it back again."""

    def __init__(self) -> None:
        super().__init__()
        self.shot = stage()
        self.past: list[EvaluatedShot] = []
        self.future: list[EvaluatedShot] = []

    @rule(kind=st.sampled_from(KINDS), seed=st.integers(0, 2**20))
    def edit(self, kind: str, seed: int) -> None:
        try:
            applied = Maker(self.shot, Random(seed)).edit(kind).apply(self.shot)
        except (EditError, NothingToEditError, ValidationError):
            return
        self.past.append(self.shot)
        self.future.clear()
        self.shot = self.shot.advanced(self.shot.document.with_elements(applied.after, self.shot.revision + 1))
        assert_as_if_anew(self.shot)

    @precondition(lambda self: self.past)
    @rule()
    def undo(self) -> None:
        self.future.append(self.shot)
        self._go_to(self.past.pop())

    @precondition(lambda self: self.future)
    @rule()
    def redo(self) -> None:
        self.past.append(self.shot)
        self._go_to(self.future.pop())

    def _go_to(self, target: EvaluatedShot) -> None:
        """As the journal does: by a patch of the bodies, which are read again."""
        here, there = ({i: e.model_dump(mode="json") for i, e in shot.elements.items()} for shot in (self.shot, target))
        bodies = patched(here, diff(here, there))
        written = {**self.shot.document.model_dump(mode="json"), "elements": bodies, "revision": self.shot.revision + 1}
        read = Shot.model_validate(upgraded_shot(written), strict=False)
        changed = {i: read.elements.get(i) for i in here.keys() | there.keys() if here.get(i) != bodies.get(i)}
        self.shot = self.shot.advanced(self.shot.document.with_elements(changed, read.revision))
        assert {i: e.model_dump(mode="json") for i, e in self.shot.elements.items()} == there
        assert_as_if_anew(self.shot)


Editing.TestCase.settings = settings(max_examples=25, stateful_step_count=24, deadline=None)
TestEditing = Editing.TestCase


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_of_edit_is_among_those_that_are_tried(kind: str) -> None:
    """Each kind is made and taken at least once within a few hundred tries, so that none is left out unseen."""
    shot = stage()
    for seed in range(400):
        random = Random(seed)
        for wanted in (random.choice(KINDS), kind):
            try:
                applied = Maker(shot, random).edit(wanted).apply(shot)
            except (EditError, NothingToEditError, ValidationError):
                continue
            if wanted == kind:
                return
            shot = shot.with_elements(applied.after)
    pytest.fail(f"no {kind} was ever taken")


def test_what_did_not_change_is_kept() -> None:
    shot = stage()
    pane = shot.panes[0]
    renamed = after(shot, SetCarrier(type="set-carrier", carrier="wrist", name="Wrist"))
    assert renamed.differing(shot) == {"wrist"}
    assert renamed.motion("wrist") is shot.motion("wrist")
    assert renamed.rider(pane) is shot.rider(pane)


def test_only_an_element_of_this_very_state_is_answered_for() -> None:
    shot = stage()
    stranger = shot.panes[0].model_copy()
    with pytest.raises(KeyError):
        shot.rider(stranger)
    assert shot.elements[PANE] is shot.panes[0]
