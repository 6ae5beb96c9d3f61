"""Judging a shot: what is kept by content, where it matters, and what was said to look right."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.builders import HAND, PANE, SQUARE, after, draft, empty_shot, shot_with_hand_and_pane, small_plate
from wiseglove.shot.edits import AddCover, AddPane, LooksRight, OrderDepth, SetKey, ShapePoints
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.lacks import lacks
from wiseglove.shot.model import Outline
from wiseglove.shot.report import report_of
from wiseglove.shot.reviewing import Reviewer, Target, Weighing, calmed, looks_right, of_fit, runs_around


def pictures(frame: int) -> np.ndarray:
    return np.random.default_rng(frame).integers(40, 60, (96, 128, 3)).astype(np.uint8)


def moved(shot: EvaluatedShot, frame: int, by: float) -> EvaluatedShot:
    shape = shot.rider(shot.elements[HAND]).shape_at(frame)  # type: ignore[arg-type]
    shape[:, :2] += by
    points = {i: tuple(p) for i, p in enumerate(shape.tolist())}
    return after(shot, ShapePoints(type="shape-points", element=HAND, frame=frame, points=points))  # type: ignore[arg-type]


def judged(shot: EvaluatedShot) -> Reviewer:
    reviewer = Reviewer()
    things = reviewer.things(shot)
    list(reviewer.judge(things, reviewer.left(things), pictures))
    return reviewer


def keyed(*frames: int) -> EvaluatedShot:
    shot = shot_with_hand_and_pane()
    return after(shot, *(SetKey(type="set-key", element=HAND, frame=f) for f in frames))


def test_after_an_edit_only_the_frames_that_it_touched_are_judged_again() -> None:
    shot = keyed(1003, 1005, 1007, 1009, 1011, 1013, 1015, 1017, 1019)
    reviewer = judged(shot)
    assert reviewer.left(reviewer.things(shot)) == []
    changed = moved(shot, 1003, 2.0)
    again = {t.frame for t in reviewer.left(reviewer.things(changed))}
    assert {1002, 1003, 1004} <= again
    assert not again & {1015, 1018, 1020}
    # The shape before is known still, as after an undo.
    assert reviewer.left(reviewer.things(shot)) == []


def test_another_outline_s_edit_leaves_verdicts_and_a_renamed_cover_too() -> None:
    shot = keyed(1005, 1010)
    reviewer = judged(shot)
    other = AddCover(type="add-cover", outline_id="finger0", frame=1001, outline=draft(2), name="Finger")
    more = after(shot, other)
    assert {t.outline for t in reviewer.left(reviewer.things(more))} == {"finger0"}


def test_an_edge_counts_over_the_pane_and_not_inside_another_cover() -> None:
    shot = after(empty_shot(), AddPane(type="add-pane", id=PANE, frame=1001, corners=SQUARE, name="Screen"))
    inner = AddCover(type="add-cover", outline_id=HAND, frame=1001, outline=draft(1, size=10.0), name="Hand")
    shot = after(shot, inner)
    (thing,) = Reviewer().things(shot)
    places = shot.rider(thing.outline).shape_at(1001)[:, :2]
    assert Weighing(shot).of(thing, 1001, places).all()
    wide = AddCover(type="add-cover", outline_id="wide0", frame=1001, outline=draft(1, size=40.0), name="Sleeve")
    both = after(shot, wide)
    assert not Weighing(both).of(Reviewer().things(both, HAND)[0], 1001, places).any()
    assert Weighing(both, everything=True).of(thing, 1001, places).all()
    depth = both.settings.depth
    behind = [d for d in depth if d != PANE]
    behind.insert(0, PANE)  # the pane before all covers: nothing of them matters
    front = after(both, OrderDepth(type="order-depth", depth=behind))
    assert not Weighing(front).of(Reviewer().things(front, "wide0")[0], 1001, places).any()


def test_without_panes_and_subjects_all_of_an_outline_counts() -> None:
    add = AddCover(type="add-cover", outline_id=HAND, frame=1001, outline=draft(), name="Hand")
    shot = after(empty_shot(), add)
    assert Weighing(shot).everything


def test_what_looks_right_is_not_doubted_until_it_changes() -> None:
    shot = keyed(1010)
    (thing,) = Reviewer().things(shot)
    faults = {1004: 6.0, 1005: 3.0, 1012: 4.0}
    assert [d.frame for d in of_fit(thing, faults)] == [1004, 1012]
    said = after(shot, LooksRight(type="looks-right", outline=HAND, frame=1004))
    (thing,) = Reviewer().things(said)
    assert looks_right(thing, 1004)
    assert [d.frame for d in of_fit(thing, faults)] == [1012]
    (thing,) = Reviewer().things(moved(said, 1004, 1.0))
    assert not looks_right(thing, 1004)
    back = after(said, LooksRight(type="looks-right", outline=HAND, frame=1004, right=False))
    outline = back.elements[HAND]
    assert isinstance(outline, Outline)
    assert outline.right == {}
    with pytest.raises(EditError, match="outside the plate"):
        LooksRight(type="looks-right", outline=HAND, frame=2000).apply(shot)
    with pytest.raises(EditError, match="not in the shot any more"):
        LooksRight(type="looks-right", outline="gone0", frame=1001).apply(shot)


def test_the_report_tells_what_is_known_and_counts_what_is_not() -> None:
    shot = keyed(1010)
    reviewer = Reviewer()
    things = reviewer.things(shot)
    list(reviewer.judge(things, [Target(HAND, 1003)], pictures))
    report = report_of(shot, reviewer)
    (row,) = report.outlines
    assert [f is not None for f in row.fault] == [f == 1003 for f in range(1001, 1021)]
    assert (report.left, report.keys, row.cover, row.first) == (19, 2, "Hand", 1001)
    assert row.matters == [(1001, 1020)]
    assert report.panes[0].name == "Screen"
    assert len(report.panes[0].flicker) == small_plate().count


def test_what_a_shot_lacks_is_told_the_next_thing_first() -> None:
    assert [(lack.what, lack.about) for lack in lacks(empty_shot())] == [("cover", None), ("pane", None)]
    shot = shot_with_hand_and_pane()
    told = lacks(shot)
    assert [(lack.what, lack.about) for lack in told] == [("motion", PANE), ("insert", PANE)]
    assert "stands still" in told[0].words
    (cover,) = shot.covers
    assert lacks(shot, {HAND: 0.0})[-1].about == cover.id
    assert lacks(shot, {HAND: 0.2}) == told
    moving = after(shot, SetKey(type="set-key", element=PANE, frame=1010))
    assert [lack.what for lack in lacks(moving)] == ["insert"]
    hidden = after(shot, OrderDepth(type="order-depth", depth=[PANE, *(d for d in shot.settings.depth if d != PANE)]))
    assert lacks(hidden)[-1].what == "order"


@given(st.dictionaries(st.integers(1001, 1030), st.one_of(st.none(), st.floats(0, 40)), max_size=30))
def test_a_fault_among_its_neighbours_stays_between_them_and_what_is_unknown_stays_so(
    faults: dict[int, float | None],
) -> None:
    known = {f: v for f, v in faults.items() if v is not None}
    told = calmed(faults)
    assert told.keys() == known.keys()
    for frame, value in told.items():
        around = [known[f] for f in (frame - 1, frame, frame + 1) if f in known]
        assert min(around) - 1e-9 <= value <= max(around) + 1e-9
        assert len(around) > 1 or value == pytest.approx(known[frame])


@given(st.lists(st.booleans(), min_size=3, max_size=40))
def test_runs_round_a_line_hold_all_that_is_so_and_one_place_more_at_either_end(such: list[bool]) -> None:
    runs = runs_around(np.array(such))
    inner = [i for run in runs for i in (run if all(such) else run[1:-1]).tolist()]
    assert set(inner) == {i for i, so in enumerate(such) if so}
    if not all(such):
        assert len(inner) == len(set(inner))
        assert all(not such[run[0]] and not such[run[-1]] for run in runs)
