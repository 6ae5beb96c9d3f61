from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from tests.builders import HAND, PANE, SQUARE, after, draft, shot_with_hand_and_pane, small_plate
from tests.strategies import blob, seeds
from wiseglove.core.geometry.bezier import flatten
from wiseglove.shot.edits import (
    AddCover,
    AddOutline,
    AddPane,
    DeleteElement,
    DeleteKeys,
    EaseKeys,
    Edit,
    InsertPoint,
    MoveKeys,
    OrderDepth,
    RemovePoints,
    SetCover,
    SetKey,
    SetPane,
    SetPointKind,
    SetShot,
    ShapePoints,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points, with_key, with_shape
from wiseglove.shot.model import Insert, Outline, Pane, new_shot
from wiseglove.shot.rider import Rider, key_points


def hand(shot: EvaluatedShot) -> Outline:
    found = shot.find(HAND, Outline)
    assert found is not None
    return found


def shaped(frame: int, seed: int) -> ShapePoints:
    return ShapePoints(type="shape-points", element=HAND, frame=frame, points=dict(enumerate(as_points(blob(seed)))))


def test_a_new_cover_lies_in_front_and_a_new_pane_behind() -> None:
    shot = after(
        shot_with_hand_and_pane(),
        AddCover(type="add-cover", frame=1003, outline=draft(2)),
        AddPane(type="add-pane", frame=1003, corners=SQUARE),
    )
    names = [e.name for e in map(shot.elements.__getitem__, shot.settings.depth)]
    assert names == ["Cover", "Hand", "Screen", "Pane"]


def test_covers_get_names_and_colours_that_differ() -> None:
    shot = EvaluatedShot.of(new_shot("s", "Tap", small_plate()))
    for seed in range(4):
        shot = after(shot, AddCover(type="add-cover", frame=1001, outline=draft(seed)))
    assert len({c.name for c in shot.covers}) == 4
    assert len({c.colour for c in shot.covers}) == 4


def test_changing_a_shape_on_a_frame_without_key_makes_one_and_leaves_the_others() -> None:
    before = after(shot_with_hand_and_pane(), shaped(1011, 2))
    changed = after(before, ShapePoints(type="shape-points", element=HAND, frame=1006, points={0: (1, 2, 0, 0, 0, 0)}))
    assert [k.frame for k in hand(changed).keys] == [1001, 1006, 1011]
    assert hand(changed).keys[0] == hand(before).keys[0]
    assert hand(changed).keys[2] == hand(before).keys[1]
    assert hand(changed).keys[1].points[0] == (1, 2, 0, 0, 0, 0, 0, 0)
    between = before.points_at(hand(before), [1006])[0][1:]
    assert np.allclose(hand(changed).keys[1].points[1:], between)


@given(seeds, st.integers(1002, 1010))
def test_setting_a_key_between_keys_changes_no_key_and_nothing_at_the_keys(seed: int, frame: int) -> None:
    before = after(shot_with_hand_and_pane(), shaped(1011, seed))
    changed = after(before, SetKey(type="set-key", element=HAND, frame=frame))
    at = [1001, frame, 1011]
    assert np.allclose(before.points_at(hand(before), at), changed.points_at(hand(changed), at), atol=1e-9)


@given(seeds, st.integers(0, 8), st.floats(0.05, 0.95))
def test_inserting_a_point_changes_the_curve_on_no_key(seed: int, segment: int, t: float) -> None:
    before = after(shot_with_hand_and_pane(), shaped(1011, seed))
    changed = after(before, InsertPoint(type="insert-point", outline=HAND, segment=segment, t=t))
    for old, new in zip(hand(before).keys, hand(changed).keys, strict=True):
        assert len(new.points) == len(old.points) + 1
        a, b = flatten(np.array(old.points), 0.01), flatten(np.array(new.points), 0.01)
        away = np.linalg.norm(a[:, None] - b[None], axis=2).min(axis=1)
        assert away.max() < 1.5  # as far as the flattened points lie apart along the curve
        assert abs(polygon_area(a) - polygon_area(b)) < 0.5


def polygon_area(points: np.ndarray) -> float:
    x, y = points.T
    return float(0.5 * np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))


def test_points_are_removed_on_every_key_and_three_stay() -> None:
    shot = after(shot_with_hand_and_pane(), shaped(1011, 3))
    fewer = after(shot, RemovePoints(type="remove-points", outline=HAND, indices=[0, 4]))
    assert {len(k.points) for k in hand(fewer).keys} == {7}
    with pytest.raises(EditError, match="at least three points"):
        after(shot, RemovePoints(type="remove-points", outline=HAND, indices=list(range(7))))


def test_a_corner_has_no_handles_and_a_smooth_point_has_them_in_line() -> None:
    shot = after(
        shot_with_hand_and_pane(), SetPointKind(type="set-point-kind", outline=HAND, indices=[2], kind="corner")
    )
    assert hand(shot).keys[0].points[2][2:6] == (0, 0, 0, 0)
    shot = after(shot, SetPointKind(type="set-point-kind", outline=HAND, indices=[2], kind="smooth"))
    _, _, ix, iy, ox, oy, *_ = hand(shot).keys[0].points[2]
    assert ix * oy - iy * ox == pytest.approx(0, abs=1e-9)
    assert ix * ox + iy * oy < 0


def test_keys_move_together_and_one_that_is_landed_on_gives_way() -> None:
    shot = after(shot_with_hand_and_pane(), shaped(1004, 2), shaped(1008, 3))
    moved = after(shot, MoveKeys(type="move-keys", element=HAND, frames=[1001, 1004], by=4))
    assert [k.frame for k in hand(moved).keys] == [1005, 1008]
    assert hand(moved).keys[1].points == hand(shot).keys[1].points


def test_the_last_key_cannot_be_deleted() -> None:
    shot = after(shot_with_hand_and_pane(), shaped(1004, 2))
    fewer = after(shot, DeleteKeys(type="delete-keys", element=HAND, frames=[1001]))
    assert [k.frame for k in hand(fewer).keys] == [1004]
    with pytest.raises(EditError, match="needs at least one key"):
        after(fewer, DeleteKeys(type="delete-keys", element=HAND, frames=[1004]))


def test_hold_keeps_a_shape_until_the_next_key() -> None:
    shot = after(
        shot_with_hand_and_pane(), shaped(1011, 2), EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="hold")
    )
    assert np.allclose(shot.points_at(hand(shot), [1010])[0], shot.points_at(hand(shot), [1001])[0])


def test_a_locked_cover_refuses_everything_but_unlocking() -> None:
    shot = shot_with_hand_and_pane()
    cover = shot.covers[0].id
    locked = after(shot, SetCover(type="set-cover", cover=cover, locked=True))
    refused: list[Edit] = [
        shaped(1003, 2),
        SetKey(type="set-key", element=HAND, frame=1003),
        MoveKeys(type="move-keys", element=HAND, frames=[1001], by=1),
        InsertPoint(type="insert-point", outline=HAND, segment=0, t=0.5),
        RemovePoints(type="remove-points", outline=HAND, indices=[0]),
        SetPointKind(type="set-point-kind", outline=HAND, indices=[0], kind="corner"),
        AddOutline(type="add-outline", cover=cover, frame=1001, outline=draft()),
        DeleteElement(type="delete", element=cover),
        DeleteElement(type="delete", element=HAND),
    ]
    for edit in refused:
        with pytest.raises(EditError, match="is locked"):
            after(locked, edit)
    assert not after(locked, SetCover(type="set-cover", cover=cover, locked=False)).covers[0].locked


def test_a_folded_pane_is_refused() -> None:
    shot = shot_with_hand_and_pane()
    crossed = (SQUARE[1], SQUARE[0], SQUARE[2], SQUARE[3])
    with pytest.raises(EditError, match="without crossing"):
        after(shot, AddPane(type="add-pane", frame=1001, corners=crossed))
    with pytest.raises(EditError, match="without crossing"):
        after(
            shot,
            ShapePoints(type="shape-points", element=PANE, frame=1001, points={0: (104, 79, 0, 0, 0, 0)}),
        )


@pytest.mark.parametrize("frame", [1000, 1021, -5])
def test_a_frame_outside_the_plate_is_refused(frame: int) -> None:
    with pytest.raises(EditError, match="1001 to 1020"):
        after(shot_with_hand_and_pane(), SetKey(type="set-key", element=HAND, frame=frame))


def test_in_after_out_is_refused_and_both_can_be_taken_back() -> None:
    shot = shot_with_hand_and_pane()
    cover = shot.covers[0].id
    short = after(shot, SetCover(type="set-cover", cover=cover, first=1004, last=1008))
    assert [short.covers[0].present(f) for f in (1003, 1004, 1008, 1009)] == [False, True, True, False]
    with pytest.raises(EditError, match="must not lie after"):
        after(short, SetCover(type="set-cover", cover=cover, first=1009))
    again = after(short, SetCover(type="set-cover", cover=cover, first=None, last=None))
    assert again.covers[0].present(1020)


def test_deleting_a_cover_takes_its_outlines_and_its_place() -> None:
    shot = shot_with_hand_and_pane()
    gone = after(shot, DeleteElement(type="delete", element=shot.covers[0].id))
    assert set(gone.elements) == {"settings", PANE}
    assert gone.settings.depth == [PANE]


def test_deleting_one_of_two_outlines_keeps_the_cover_and_the_last_one_takes_it() -> None:
    shot = shot_with_hand_and_pane()
    cover = shot.covers[0].id
    two = after(shot, AddOutline(type="add-outline", cover=cover, frame=1001, outline=draft(5), mode="cuts"))
    one = after(two, DeleteElement(type="delete", element=HAND))
    assert len(one.covers[0].outlines) == 1
    none = after(one, DeleteElement(type="delete", element=one.covers[0].outlines[0]))
    assert none.covers == []


def test_depth_must_name_what_is_there() -> None:
    shot = shot_with_hand_and_pane()
    turned = after(shot, OrderDepth(type="order-depth", depth=shot.settings.depth[::-1]))
    assert turned.nearer_than(turned.panes[0]) == []
    with pytest.raises(EditError, match="depth order"):
        after(shot, OrderDepth(type="order-depth", depth=["other", PANE]))


def test_an_insert_of_a_clip_starts_with_the_plate_and_needs_a_clip() -> None:
    shot = shot_with_hand_and_pane()
    with_clip = after(shot, SetPane(type="set-pane", pane=PANE, insert=Insert(source="media", media="f" * 24)))
    found = with_clip.find(PANE, Pane)
    assert found is not None
    assert found.insert.start == 1001
    with pytest.raises(EditError, match="No picture"):
        after(shot, SetPane(type="set-pane", pane=PANE, insert=Insert(source="media")))


def test_edits_of_what_is_gone_say_so() -> None:
    shot = shot_with_hand_and_pane()
    for edit in (
        SetKey(type="set-key", element="nothere", frame=1001),
        SetCover(type="set-cover", cover="nothere", name="x"),
        DeleteElement(type="delete", element="nothere"),
        RemovePoints(type="remove-points", outline="nothere", indices=[0]),
    ):
        with pytest.raises(EditError, match="not in the shot"):
            after(shot, edit)


@pytest.mark.parametrize(
    "body",
    [
        {"type": "shape-points", "element": HAND, "frame": 1001, "points": {"0": [float("nan"), 0, 0, 0, 0, 0]}},
        {"type": "shape-points", "element": HAND, "frame": 1001, "points": {"0": [float("inf"), 0, 0, 0, 0, 0]}},
        {"type": "shape-points", "element": HAND, "frame": 1001, "points": {"0": [1e9, 0, 0, 0, 0, 0]}},
        {"type": "shape-points", "element": HAND, "frame": True, "points": {"0": [0, 0, 0, 0, 0, 0]}},
        {"type": "shape-points", "element": HAND, "frame": 1001, "points": {}},
        {"type": "set-pane", "pane": PANE, "opacity": 1.5},
        {"type": "set-cover", "cover": "c", "colour": "red"},
        {"type": "set-cover", "cover": "c", "name": ""},
        {"type": "unheard-of"},
    ],
)
def test_malformed_edits_never_reach_a_shot(body: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        TypeAdapter(Edit).validate_python(body)


def test_an_edit_changes_nothing_of_the_shot_it_is_given() -> None:
    shot = shot_with_hand_and_pane()
    copy = shot.document.model_dump_json()
    after(shot, shaped(1005, 4), SetShot(type="set-shot", mixing="encoded"), DeleteElement(type="delete", element=PANE))
    assert shot.document.model_dump_json() == copy


def keyed(*frames: int) -> EvaluatedShot:
    return after(shot_with_hand_and_pane(), *(shaped(f, f) for f in frames))


def nudged(shot: EvaluatedShot, frame: int, reach: str, points: dict[int, tuple[float, float]]) -> ShapePoints:
    shape = shot.points_at(hand(shot), [frame])[0]
    rows = {i: (shape[i, 0] + dx, shape[i, 1] + dy, *shape[i, 2:].tolist()) for i, (dx, dy) in points.items()}
    return ShapePoints(type="shape-points", element=HAND, frame=frame, points=rows, reach=reach)  # type: ignore[arg-type]


EVERY = {i: (4.0, -2.0) for i in range(9)}


@pytest.mark.parametrize(
    ("reach", "touched"), [("frame", {1008}), ("all", {1001, 1004, 1008, 1012}), ("onward", {1008, 1012})]
)
def test_reach_says_which_keys_a_moved_outline_touches(reach: str, touched: set[int]) -> None:
    before = keyed(1004, 1008, 1012)
    moved = after(before, nudged(before, 1008, reach, EVERY))
    for old, new in zip(hand(before).keys, hand(moved).keys, strict=True):
        step = np.array(new.points) - np.array(old.points)
        expected = (4, -2, 0, 0, 0, 0, 0, 0) if old.frame in touched else (0,) * 8
        assert np.allclose(step, expected)


def test_a_changed_point_goes_with_the_outline_when_it_turns() -> None:
    square = np.zeros((4, 8))
    square[:, :2] = [[10, 10], [30, 10], [30, 30], [10, 30]]
    square[0, 4] = 3
    quarter = square.copy()
    quarter[:, 0], quarter[:, 1] = 40 - square[:, 1], square[:, 0]  # turned by 90 degrees about (20, 20)
    quarter[:, 4], quarter[:, 5] = -square[:, 5], square[:, 4]
    outline = Rider(hand(shot_with_hand_and_pane()).model_copy(update={"kinds": ["free"] * 4}))
    twice = with_key(with_key(outline, 1001, square), 1010, quarter)
    turned = with_shape(twice, 1001, square + _only_first(), "all").element
    assert np.allclose(key_points(turned.keys[0])[0], (15, 10, 0, 0, 3, 2, 0, 0))
    assert np.allclose(key_points(turned.keys[1])[0], (30, 15, 0, 0, -2, 3, 0, 0))


def _only_first() -> np.ndarray:
    change = np.zeros((4, 8))
    change[0] = (5, 0, 0, 0, 0, 2, 0, 0)
    return change


def test_reach_on_a_frame_without_key_sets_one_and_keeps_eases() -> None:
    before = after(keyed(1008, 1016), EaseKeys(type="ease-keys", element=HAND, frames=[1008], ease="hold"))
    moved = after(before, nudged(before, 1004, "onward", {0: (1.0, 1.0)}))
    assert [(k.frame, k.ease) for k in hand(moved).keys] == [
        (1001, "smooth"), (1004, "smooth"), (1008, "hold"), (1016, "smooth"),
    ]  # fmt: skip
    assert hand(moved).keys[0] == hand(before).keys[0]


def test_reach_is_refused_where_it_would_fold_a_pane_on_another_key() -> None:
    shot = after(
        shot_with_hand_and_pane(),
        ShapePoints(type="shape-points", element=PANE, frame=1010, points={0: (90, 20, 0, 0, 0, 0)}),
    )
    pull = ShapePoints(type="shape-points", element=PANE, frame=1001, points={0: (60, 15, 0, 0, 0, 0)}, reach="all")
    with pytest.raises(EditError, match="without crossing"):
        after(shot, pull)
