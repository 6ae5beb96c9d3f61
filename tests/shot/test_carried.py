"""What was in doubt when an outline was carried on stays pinned and marked until its shape changes or it is said to be right."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.builders import HAND, PANE, after, shot_with_hand_and_pane
from wiseglove.shot.carried import doubted_on, doubted_stretches, of_carrying
from wiseglove.shot.doubts import need_of_doubted
from wiseglove.shot.edits import LooksRight, OrderDepth, SetKeys, ShapePoints
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Outline
from wiseglove.shot.report import report_of
from wiseglove.shot.reviewing import Reviewed, Reviewer, Weighing


def carrying(shot: EvaluatedShot, frames: range, doubtful: dict[int, list[int]]) -> SetKeys:
    rows = shot.rider(shot.elements[HAND]).shape_at(1001)  # type: ignore[arg-type]
    shapes = {f: as_points(rows + np.eye(8)[0] * (f - 1001)) for f in frames}
    return SetKeys(type="set-keys", outline=HAND, shapes=shapes, doubtful=doubtful)


def carried(shot: EvaluatedShot, doubtful: dict[int, list[int]]) -> EvaluatedShot:
    return after(shot, carrying(shot, range(1002, 1012), doubtful))


def hand(shot: EvaluatedShot) -> Reviewed:
    (thing,) = Reviewer().things(shot, HAND)
    return thing


def pinned(shot: EvaluatedShot) -> list[int]:
    return [d.frame for d in of_carrying(hand(shot), Weighing(shot, everything=True))]


def test_a_run_of_frames_in_doubt_is_pinned_by_its_first_and_from_there_on_by_the_next() -> None:
    shot = carried(shot_with_hand_and_pane(), {1004: [1], 1005: [1, 2], 1006: [1], 1009: [0]})
    assert pinned(shot) == [1004, 1009]
    assert [doubted_on(hand(shot), f) for f in (1003, 1005, 1009)] == [[], [1, 2], [0]]
    row = shot.rider(hand(shot).outline).shape_at(1004)
    dragged = ShapePoints(type="shape-points", element=HAND, frame=1004, points={0: tuple(row[0] + np.eye(8)[0] * 3)})
    after_drag = after(shot, dragged)
    assert pinned(after_drag) == [1005, 1009]
    assert doubted_on(hand(after_drag), 1004) == []
    said = after(after_drag, LooksRight(type="looks-right", outline=HAND, frame=1005))
    assert pinned(said) == [1006, 1009]


def test_what_is_carried_anew_has_the_doubts_of_the_last_time() -> None:
    shot = carried(shot_with_hand_and_pane(), {1004: [1], 1008: [0]})
    again = carrying(shot, range(1004, 1007), {1006: [2, 2, 99]})
    outline = after(shot, again).elements[HAND]
    assert isinstance(outline, Outline)
    assert {f: d.segments for f, d in outline.doubted.items()} == {1006: [2], 1008: [0]}


def test_only_what_matters_is_pinned_and_a_report_tells_of_it() -> None:
    shot = carried(shot_with_hand_and_pane(), {1004: [0, 1, 2, 3]})
    others = [d for d in shot.settings.depth if d != PANE]
    behind = after(shot, OrderDepth(type="order-depth", depth=[PANE, *others]))
    assert of_carrying(hand(behind), Weighing(behind)) == []
    (worst,) = report_of(shot, Reviewer(), everything=True).worst
    assert (worst.frame, worst.carried, worst.ghost) == (1004, True, [])
    assert len(worst.places) >= 2


@given(st.sets(st.integers(0, 3), min_size=1))
def test_its_stretches_lie_on_the_segments_in_doubt_and_the_more_the_worse(segments: set[int]) -> None:
    shot = carried(shot_with_hand_and_pane(), {1004: sorted(segments)})
    weighing = Weighing(shot, everything=True)
    found = doubted_stretches(hand(shot), 1004, weighing)
    assert set().union(*(s.segments for s in found)) == segments
    (doubt,) = of_carrying(hand(shot), weighing)
    assert doubt.need == need_of_doubted(len(segments), len(hand(shot).outline.kinds))
