"""Edits of keys, groups, copies, edges and spans."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import TypeAdapter, ValidationError

from tests.builders import HAND, PANE, PlainPictures, after, draft, shot_with_hand_and_pane, small_plate
from tests.strategies import blob
from wiseglove.shot.changes import changed_frames
from wiseglove.shot.edits import (
    AddCover,
    AddOutline,
    Copied,
    DeleteElement,
    DeleteKeys,
    Duplicate,
    EaseKeys,
    Edit,
    GroupCovers,
    Mirror,
    MoveKeys,
    OrderDepth,
    Paste,
    RemovePoints,
    SetCover,
    SetGroup,
    SetKey,
    SetKeys,
    SetOutline,
    SetPointKind,
    SetShot,
    ShapePoints,
    ShiftCovers,
    StretchKeys,
    ThinOut,
    TurnKeys,
    Ungroup,
    copied,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import Range, as_points
from wiseglove.shot.model import Cover, Group, Outline, new_shot
from wiseglove.shot.render import FrameScene
from wiseglove.shot.rider import key_points
from wiseglove.shot.scene import Manner


def outline(shot: EvaluatedShot, name: str = HAND) -> Outline:
    found = shot.find(name, Outline)
    assert found is not None
    return found


def frames(shot: EvaluatedShot) -> list[int]:
    return [k.frame for k in outline(shot).keys]


def shaped(frame: int, seed: int) -> ShapePoints:
    return ShapePoints(type="shape-points", element=HAND, frame=frame, points=dict(enumerate(as_points(blob(seed)))))


def keyed(*at: int) -> EvaluatedShot:
    return after(shot_with_hand_and_pane(), *(shaped(f, f) for f in at))


def matte_at(shot: EvaluatedShot, frame: int, only: str | None = None) -> np.ndarray:
    manner = Manner(frozenset([only])) if only else Manner()
    scene = FrameScene(shot, frame, PlainPictures(), manner=manner)
    return scene.covers.matte(scene.whole)


# Keys -----------------------------------------------------------------------------------------------------


def test_keys_are_copied_and_stretched_and_what_meets_becomes_one() -> None:
    shot = keyed(1005, 1009)
    copies = after(shot, MoveKeys(type="move-keys", element=HAND, frames=[1005], by=6, copies=True))
    assert frames(copies) == [1001, 1005, 1009, 1011]
    assert outline(copies).keys[3].points == outline(shot).keys[1].points
    wide = after(shot, StretchKeys(type="stretch-keys", element=HAND, frames=[1001, 1005, 1009], first=1003, last=1019))
    assert frames(wide) == [1003, 1011, 1019]
    tight = after(
        shot, StretchKeys(type="stretch-keys", element=HAND, frames=[1001, 1005, 1009], first=1001, last=1002)
    )
    assert frames(tight) == [1001, 1002]
    turned = after(
        shot, StretchKeys(type="stretch-keys", element=HAND, frames=[1001, 1005, 1009], first=1009, last=1001)
    )
    assert outline(turned).keys[0].points == outline(shot).keys[2].points
    with pytest.raises(EditError, match="two keys"):
        StretchKeys(type="stretch-keys", element=HAND, frames=[1005], first=1001, last=1009).apply(shot)
    with pytest.raises(EditError, match="outside the plate"):
        StretchKeys(type="stretch-keys", element=HAND, frames=[1001, 1009], first=1001, last=1900).apply(shot)


def test_a_curve_eases_as_css_does_and_needs_its_numbers() -> None:
    shot = keyed(1011)
    eased = after(shot, EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="curve", curve=(0.42, 0, 0.58, 1)))
    assert outline(eased).keys[0].curve == (0.42, 0, 0.58, 1)
    # CSS ease-in-out is symmetric: half way in the middle; at a quarter of the time it has done 12.9 % (Chromium agrees).
    moving = after(
        EvaluatedShot.of(new_shot("s", "t", small_plate())),
        AddCover(type="add-cover", outline_id=HAND, frame=1001, outline=draft(), name="Hand"),
        ShapePoints(
            type="shape-points", element=HAND, frame=1005,
            points={i: (p[0] + 40, *p[1:]) for i, p in enumerate(as_points(blob(1)))},
        ),
        EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="curve", curve=(0.42, 0, 0.58, 1)),
    )  # fmt: skip
    way = moving.points_at(outline(moving), [1002, 1003, 1004])[:, 0, 0] - blob(1)[0, 0]
    assert way / 40 == pytest.approx([0.1292, 0.5, 0.8708], abs=2e-4)
    back = after(eased, EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="smooth"))
    assert outline(back).keys[0].curve is None
    with pytest.raises(EditError, match="four numbers"):
        EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="curve").apply(shot)
    with pytest.raises(ValidationError):
        EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="curve", curve=(1.2, 0, 0.5, 1))


def test_a_new_key_takes_over_the_stretch_it_lies_in() -> None:
    shot = after(
        keyed(1011),
        EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="curve", curve=(0.2, 0, 0.8, 1)),
        SetKey(type="set-key", element=HAND, frame=1006),
    )
    assert [k.ease for k in outline(shot).keys] == ["curve", "curve", "smooth"]


def test_a_turn_by_hand_goes_round_once_more() -> None:
    shot = after(shot_with_hand_and_pane(), SetKey(type="set-key", element=HAND, frame=1009))
    once = after(shot, TurnKeys(type="turn-keys", outline=HAND, frame=1001, turns=1))
    half = once.points_at(outline(once), [1005])[0]
    centre = blob(1)[:, :2].mean(axis=0)
    assert half[:, :2] == pytest.approx(2 * centre - blob(1)[:, :2], abs=1e-6)
    with pytest.raises(EditError, match="no key"):
        TurnKeys(type="turn-keys", outline=HAND, frame=1004, turns=1).apply(shot)


def test_the_pivot_is_where_an_outline_turns_about() -> None:
    knuckle = (90.0, 50.0)
    start = blob(1)
    turn = np.array([[0, 1], [-1, 0]])
    quarter = start.copy()
    quarter[:, :2] = (start[:, :2] - knuckle) @ turn + knuckle
    quarter[:, 2:4], quarter[:, 4:6] = start[:, 2:4] @ turn, start[:, 4:6] @ turn
    shot = after(
        shot_with_hand_and_pane(),
        ShapePoints(type="shape-points", element=HAND, frame=1009, points=dict(enumerate(as_points(quarter)))),
        SetOutline(type="set-outline", outline=HAND, pivot=knuckle, frame=1009),
    )
    assert [shot.rider(outline(shot)).pivot_at(f) for f in (1001, 1005, 1009)] == [pytest.approx(knuckle, abs=1e-6)] * 3
    middle = shot.points_at(outline(shot), [1005])[0]
    away = np.linalg.norm(middle[:, :2] - knuckle, axis=1)
    assert away == pytest.approx(np.linalg.norm(start[:, :2] - knuckle, axis=1), abs=1e-6)
    # Without its first key the outline still turns about the same place, and points may come and go.
    later = after(
        shot,
        SetKey(type="set-key", element=HAND, frame=1005),
        DeleteKeys(type="delete-keys", element=HAND, frames=[1001]),
    )
    assert later.rider(outline(later)).pivot_at(1007) == pytest.approx(knuckle, abs=1e-6)
    fewer = after(shot, RemovePoints(type="remove-points", outline=HAND, indices=[3]))
    assert fewer.rider(outline(fewer)).pivot_at(1001) == pytest.approx(knuckle, abs=1e-6)
    centred = after(shot, SetOutline(type="set-outline", outline=HAND, pivot=None))
    assert outline(centred).pivot is None


def test_thinning_out_drops_needless_keys_only() -> None:
    shot = after(keyed(1011), *(SetKey(type="set-key", element=HAND, frame=f) for f in (1003, 1005, 1008)))
    before = shot.points_at(outline(shot), range(1001, 1012))
    thin = after(shot, ThinOut(type="thin-out", outline=HAND, tolerance=0.3))
    assert len(outline(thin).keys) < 5
    assert np.abs(thin.points_at(outline(thin), range(1001, 1012))[..., :2] - before[..., :2]).max() <= 0.3
    with pytest.raises(EditError, match="All 2 keys"):
        ThinOut(type="thin-out", outline=HAND, tolerance=0.3).apply(keyed(1011))


def test_whole_shapes_are_set_on_many_frames_and_another_topology_is_refused() -> None:
    shot = shot_with_hand_and_pane()
    shapes = {f: as_points(blob(f)) for f in (1004, 1005, 1006)}
    changed = after(shot, SetKeys(type="set-keys", outline=HAND, shapes=shapes))
    assert frames(changed) == [1001, 1004, 1005, 1006]
    assert key_points(outline(changed).keys[2]) == pytest.approx(blob(1005))
    with pytest.raises(EditError, match="4 points, this outline has 9"):
        SetKeys(type="set-keys", outline=HAND, shapes={1004: as_points(blob(1, 4))}).apply(shot)
    with pytest.raises(EditError, match="outside the plate"):
        SetKeys(type="set-keys", outline=HAND, shapes={90: as_points(blob(1))}).apply(shot)


@pytest.mark.parametrize(("frame", "share"), [(1009, 1.0), (1006, 1.0), (1004, 0.84375), (1002, 0.5), (998, 0.0)])
def test_a_range_dies_away_smoothly(frame: int, share: float) -> None:
    # 1 - 3 t^2 + 2 t^3 with t = frames beyond the range over 8.
    assert Range(first=1006, last=1012, soft=7).share(frame) == pytest.approx(share)


def test_a_range_must_be_said() -> None:
    shot = keyed(1005)
    with pytest.raises(EditError, match="Which frames"):
        ShapePoints(
            type="shape-points", element=HAND, frame=1001, points={0: (1, 1, 0, 0, 0, 0, 0, 0)}, reach="range"
        ).apply(shot)


# Shape and edges ------------------------------------------------------------------------------------------


def test_soft_edges_are_keyed_and_in_betweened_like_the_points_but_do_not_scale() -> None:
    big = blob(1, size=60.0)
    big[:, 6:] = (4, 10)
    shot = after(
        shot_with_hand_and_pane(),
        ShapePoints(type="shape-points", element=HAND, frame=1011, points=dict(enumerate(as_points(big)))),
    )
    middle = shot.points_at(outline(shot), [1006])[0]
    assert middle[:, 6:] == pytest.approx(np.tile([2.0, 5.0], (9, 1)), abs=0.2)
    with pytest.raises(ValidationError):
        ShapePoints(type="shape-points", element=HAND, frame=1001, points={0: (1, 1, 0, 0, 0, 0, -2, 0)})


def test_points_of_six_numbers_have_a_hard_edge() -> None:
    edit = TypeAdapter(Edit).validate_python(
        {"type": "shape-points", "element": HAND, "frame": 1001, "points": {"0": [1, 2, 0, 0, 0, 0]}}
    )
    assert edit.points[0] == (1, 2, 0, 0, 0, 0, 0, 0)


def test_roundness_is_set_on_all_keys_and_mirroring_keeps_the_pivot() -> None:
    shot = keyed(1011)
    full = after(shot, SetPointKind(type="set-point-kind", outline=HAND, indices=[2], kind="smooth", roundness=1.5))
    for key in outline(full).keys:
        here, following = np.array(key.points[2]), np.array(key.points[3])
        assert np.hypot(*here[4:6]) == pytest.approx(np.hypot(*(following - here)[:2]) / 2)
    flipped = after(shot, Mirror(type="mirror", outline=HAND))
    assert flipped.points_at(outline(flipped), [1001])[0, :, 1] == pytest.approx(blob(1)[:, 1])
    assert flipped.points_at(outline(flipped), [1001])[0, :, :2].mean(axis=0) == pytest.approx(
        blob(1)[:, :2].mean(axis=0)
    )


def test_fades_in_and_out_of_covers_and_outlines_weaken_the_matte() -> None:
    shot = after(
        shot_with_hand_and_pane(),
        SetOutline(type="set-outline", outline=HAND, first=1003, last=1010, fade_in=3, fade_out=1),
    )
    inside = [float(matte_at(shot, f).max()) for f in (1002, 1003, 1004, 1006, 1009, 1010, 1011)]
    assert inside == pytest.approx([0, 0.25, 0.5, 1.0, 1.0, 0.5, 0], abs=1e-5)
    with pytest.raises(EditError, match="must not lie after"):
        SetOutline(type="set-outline", outline=HAND, first=1012).apply(shot)


def test_growth_and_shutter_reach_the_picture() -> None:
    shot = shot_with_hand_and_pane()
    cover = outline(shot).cover
    grown = after(shot, SetCover(type="set-cover", cover=cover, grow=2.0))
    assert matte_at(grown, 1001).sum() > matte_at(shot, 1001).sum() * 1.08
    moved = blob(1)
    moved[:, 0] += 30
    moving = after(
        shot,
        ShapePoints(type="shape-points", element=HAND, frame=1003, points=dict(enumerate(as_points(moved)))),
        EaseKeys(type="ease-keys", element=HAND, frames=[1001], ease="linear"),
        SetCover(type="set-cover", cover=cover, shutter=360.0),
    )
    blurred = matte_at(moving, 1002)
    assert ((blurred > 0.05) & (blurred < 0.95)).sum() > 400
    assert blurred.sum() == pytest.approx(matte_at(shot, 1001).sum(), rel=0.02)


# Groups ---------------------------------------------------------------------------------------------------


def hands(count: int = 4) -> tuple[EvaluatedShot, list[str]]:
    """A shot with covers "A", "B" ... near to far, and a pane behind them."""
    shot = shot_with_hand_and_pane()
    for k in reversed(range(count)):
        shot = after(shot, AddCover(type="add-cover", frame=1001, outline=draft(k), name="ABCDEF"[k]))
    return shot, [c.id for c in shot.covers][:count]


def group_of(shot: EvaluatedShot) -> Group:
    return next(e for e in shot.elements.values() if isinstance(e, Group))


def members(shot: EvaluatedShot) -> str:
    return "".join(c.name for c in shot.covers if c.group == group_of(shot).id)


def test_a_group_gathers_its_covers_where_the_nearest_is() -> None:
    shot, (_a, b, _c, d) = hands()
    grouped = after(shot, GroupCovers(type="group-covers", covers=[b, d], name="Fingers"))
    assert [x.name for x in grouped.covers] == ["A", "B", "D", "C", "Hand"]
    assert members(grouped) == "BD"
    apart = after(grouped, Ungroup(type="ungroup", group=group_of(grouped).id))
    assert all(x.group is None for x in apart.covers)
    assert not any(isinstance(e, Group) for e in apart.elements.values())
    with pytest.raises(EditError, match="not in the shot"):
        GroupCovers(type="group-covers", covers=["nobody"]).apply(shot)


def test_reordering_lets_covers_join_and_leave_and_an_empty_group_is_gone() -> None:
    shot, (a, b, c, d) = hands()
    hand = outline(shot).cover
    grouped = after(shot, GroupCovers(type="group-covers", covers=[a, b]))
    joined = after(grouped, OrderDepth(type="order-depth", depth=[a, c, b, d, hand, PANE]))
    assert members(joined) == "ACB"
    parted = after(joined, OrderDepth(type="order-depth", depth=[a, c, d, hand, b, PANE]))
    assert members(parted) == "AC"
    gone = after(parted, DeleteElement(type="delete", element=a), DeleteElement(type="delete", element=c))
    assert not any(isinstance(e, Group) for e in gone.elements.values())
    regrouped = after(grouped, GroupCovers(type="group-covers", covers=[a, b], name="Again"))
    assert [e.name for e in regrouped.elements.values() if isinstance(e, Group)] == ["Again"]


def test_a_hidden_group_is_in_no_matte_and_a_locked_one_cannot_be_changed() -> None:
    shot, (a, b, *_) = hands(2)
    grouped = after(shot, GroupCovers(type="group-covers", covers=[a, b]))
    group = group_of(grouped).id
    first = grouped.find(a, Cover)
    assert first is not None
    assert matte_at(grouped, 1001, a).max() == 1
    hidden = after(grouped, SetGroup(type="set-group", group=group, shown=False))
    assert matte_at(hidden, 1001, a).max() == 0
    locked = after(grouped, SetGroup(type="set-group", group=group, locked=True, folded=True))
    with pytest.raises(EditError, match="group “Group” is locked"):
        SetKey(type="set-key", element=first.outlines[0], frame=1004).apply(locked)
    with pytest.raises(EditError, match="locked"):
        ShiftCovers(type="shift-covers", covers=[a], frame=1001, dx=1, dy=0).apply(locked)
    with pytest.raises(EditError, match="locked"):
        DeleteElement(type="delete", element=group).apply(locked)
    both = after(grouped, DeleteElement(type="delete", element=group))
    assert [c.name for c in both.covers] == ["Hand"]


def test_several_covers_move_together_on_a_frame() -> None:
    shot, ids = hands(3)
    moved = after(shot, ShiftCovers(type="shift-covers", covers=ids[:2], frame=1001, dx=5, dy=-2))
    for index, cover in enumerate(ids):
        step = (
            moved.points_at(moved.outlines_of(moved.find(cover, Cover))[0], [1001])[0]
            - shot.points_at(  # type: ignore[arg-type]
                shot.outlines_of(shot.find(cover, Cover))[0],
                [1001],  # type: ignore[arg-type]
            )[0]
        )
        assert step[:, :2] == pytest.approx(np.tile([5, -2] if index < 2 else [0, 0], (9, 1)))


# Copies ---------------------------------------------------------------------------------------------------


def test_a_duplicate_is_like_the_first_and_lies_before_it() -> None:
    shot = after(keyed(1011), SetOutline(type="set-outline", outline=HAND, pivot=(50, 50), frame=1001))
    cover = outline(shot).cover
    twice = after(shot, Duplicate(type="duplicate", cover=cover, offset=(3, 4)))
    assert [c.name for c in twice.covers] == ["Hand 2", "Hand"]
    twin = twice.outlines_of(twice.covers[0])[0]
    assert twin.id != HAND
    step = twice.points_at(twin, [1006])[0] - twice.points_at(outline(twice), [1006])[0]
    assert step[:, :2] == pytest.approx(np.tile([3, 4], (9, 1)))
    assert twin.pivot == (53, 54)


def test_pasting_into_another_shot_leaves_out_what_lies_beyond_its_plate() -> None:
    what = copied(keyed(1011, 1018), HAND)
    short = EvaluatedShot.of(new_shot("s2", "Other", small_plate(count=12, first=1)))
    with pytest.raises(EditError, match="All keys of that lie outside"):
        Paste(type="paste", what=what).apply(short)
    pasted = Paste(type="paste", what=what, frame=1).apply(short)
    assert pasted.label.endswith("1 key beyond the plate left out")
    there = after(short, Paste(type="paste", what=what, frame=1))
    assert [k.frame for k in there.outlines_of(there.covers[0])[0].keys] == [1, 11]
    into = shot_with_hand_and_pane()
    grown = after(into, Paste(type="paste", what=what, into=outline(into).cover))
    assert len(grown.covers[0].outlines) == 2


def test_what_is_pasted_is_checked() -> None:
    shot = shot_with_hand_and_pane()
    what = copied(shot, outline(shot).cover)
    body = what.model_dump(mode="json")
    body["outlines"][0]["kinds"].append("corner")
    broken = TypeAdapter(Copied).validate_python(body, strict=False)
    with pytest.raises(EditError, match="other numbers of points"):
        Paste(type="paste", what=broken).apply(shot)
    body = what.model_dump(mode="json")
    body["outlines"][0]["keys"] *= 2
    with pytest.raises(EditError, match="disorder"):
        Paste(type="paste", what=TypeAdapter(Copied).validate_python(body, strict=False)).apply(shot)
    body["outlines"][0]["keys"] = []
    with pytest.raises(EditError, match="no outline"):
        Paste(type="paste", what=TypeAdapter(Copied).validate_python(body, strict=False)).apply(shot)


def test_an_outline_that_limits_keeps_the_cover_within_it() -> None:
    shot = shot_with_hand_and_pane()
    limited = after(
        shot,
        AddOutline(
            type="add-outline", cover=outline(shot).cover, frame=1001, outline=draft(3, size=15.0), mode="limits"
        ),
    )
    assert matte_at(limited, 1001).sum() < matte_at(shot, 1001).sum() * 0.5


def test_what_will_be_seen_is_said_lies_in_the_plate_and_changes_no_picture() -> None:
    shot = shot_with_hand_and_pane()
    plate = shot.plate
    middle = (10, 20, plate.width - 10, plate.height - 20)
    cropped = after(shot, SetShot(type="set-shot", crop=middle))
    assert cropped.settings.crop == middle
    assert changed_frames(shot, cropped) is None
    assert after(cropped, SetShot(type="set-shot", name="Tap two")).settings.crop == middle
    assert after(cropped, SetShot(type="set-shot", crop=None)).settings.crop is None
    for wrong in ((0, 0, plate.width + 1, 10), (30, 0, 30, 10), (-1, 0, 10, 10), (0, 50, 10, 40)):
        with pytest.raises(EditError, match="does not lie in the plate"):
            after(shot, SetShot(type="set-shot", crop=wrong))
