"""Joints, carriers set by hand and carriers of points, as edits of a shot."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.builders import after as done
from tests.builders import quads
from tests.shot.test_riding import FIRST, PLATE, outline, places, ride, shot, square, turned
from wiseglove.core.geometry.homography import apply
from wiseglove.shot.edits import (
    AddCarrier,
    AddHandCarrier,
    AddJoint,
    AddPoint,
    CarryCover,
    DeleteElement,
    InsertPoint,
    KeepSolution,
    PinCorner,
    RemoveJoint,
    RemovePoint,
    RemovePoints,
    SetByHand,
    SetCarrier,
    SetJoint,
    SetOutline,
    SetPoint,
    ShapePoints,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Carrier, FollowedFrame, Pane

__all__ = ["shot"]
ALL = list(range(FIRST, PLATE.last + 1))
LINE = ((60.0, 110.0), (60.0, -10.0))
"""Drawn upwards across the middle of the square cover: what lies right of it is beyond."""


def add_joint(frame: int = FIRST, line: Any = LINE, width: float | None = 20.0) -> AddJoint:
    return AddJoint(type="add-joint", outline="finger", carrier="still", frame=frame, line=line, width=width)


@pytest.fixture
def jointed(shot: EvaluatedShot) -> EvaluatedShot:
    """The cover rides on what turns; its right half rides on a carrier that stands still."""
    made = done(
        shot,
        ride("finger"),
        AddHandCarrier(
            type="add-hand-carrier", frame=FIRST, corners=((10, 10), (90, 10), (90, 90), (10, 90)), id="still"
        ),
        add_joint(),
    )
    return made


def carrier(shot: EvaluatedShot, which: str) -> Carrier:
    found = shot.find(which, Carrier)
    assert found is not None
    return found


def test_beyond_a_joint_an_outline_rides_on_the_other_carrier(jointed: EvaluatedShot) -> None:
    before = jointed.points_at(outline(jointed), [FIRST])[0]
    after = jointed.points_at(outline(jointed), [FIRST + 6])[0]
    left, right = before[:, 0] < 50, before[:, 0] > 70
    assert after[left, :2] == pytest.approx(apply(turned(FIRST + 6), before[left, :2]), abs=1e-3)
    assert after[right, :2] == pytest.approx(before[right, :2], abs=1e-6)


@pytest.mark.parametrize(
    "then",
    [
        SetJoint(type="set-joint", outline="finger", index=0, width=90.0),
        SetJoint(type="set-joint", outline="finger", index=0, swapped=True),
        RemoveJoint(type="remove-joint", outline="finger", index=0),
        DeleteElement(type="delete", element="still"),
        DeleteElement(type="delete", element="motion"),
        ride("finger", on=None),
        ride("finger", on="still"),
    ],
)
def test_whatever_is_changed_about_a_joint_nothing_moves_on_the_keys(jointed: EvaluatedShot, then: Any) -> None:
    for frame in (FIRST + 4, FIRST + 8):
        point = (float(20 + frame % 50), 40.0, 1.0, 0, -1.0, 0.5, 0, 0)
        jointed = done(jointed, ShapePoints(type="shape-points", element="finger", frame=frame, points={0: point}))
        assert jointed.points_at(outline(jointed), [frame])[0, 0] == pytest.approx(point, abs=1e-5)
    frames = [k.frame for k in outline(jointed).keys]
    assert len(frames) == 3
    changed = done(jointed, then)
    assert changed.points_at(outline(changed), frames) == pytest.approx(
        jointed.points_at(outline(jointed), frames), abs=1e-5
    )


def test_points_come_and_go_with_their_share_of_a_joint(jointed: EvaluatedShot) -> None:
    more = done(jointed, InsertPoint(type="insert-point", outline="finger", segment=0, t=0.5))
    shares = outline(more).joints[0].beyond
    assert len(shares) == 5
    assert shares[1] == pytest.approx((shares[0] + shares[2]) / 2)
    seen = more.points_at(outline(more), [FIRST + 5])[0]
    assert seen[[0, 2, 3, 4]] == pytest.approx(jointed.points_at(outline(jointed), [FIRST + 5])[0], abs=1e-6)
    fewer = done(more, RemovePoints(type="remove-points", outline="finger", indices=[1]))
    assert outline(fewer).joints[0].beyond == outline(jointed).joints[0].beyond


def test_an_outline_on_a_joint_turns_about_the_place_that_was_chosen(jointed: EvaluatedShot) -> None:
    put = done(jointed, SetOutline(type="set-outline", outline="finger", pivot=(64.0, 48.0), frame=FIRST + 5))
    assert put.rider(outline(put)).pivot_at(FIRST + 5) == pytest.approx((64.0, 48.0), abs=1e-3)


@pytest.mark.parametrize(
    ("edit", "said"),
    [
        (add_joint(line=((60, 10), (60, 10))), "no length"),
        (add_joint(line=((300, 100), (300, 0))), "one side"),
        (add_joint(frame=FIRST - 1), "outside the plate"),
    ],
)
def test_a_line_that_bends_nothing_is_refused(shot: EvaluatedShot, edit: AddJoint, said: str) -> None:
    made = done(shot, AddCarrier(type="add-carrier", frame=FIRST, patch=square(70, 60, 50), id="still"))
    with pytest.raises(EditError, match="Let the outline ride"):
        add_joint().apply(made)
    with pytest.raises(EditError, match=said):
        edit.apply(done(made, ride("finger")))


def test_a_carrier_set_by_hand_goes_where_it_is_put_in_the_way_that_is_chosen(shot: EvaluatedShot) -> None:
    corners = np.array(((10.0, 10.0), (90, 10), (90, 90), (10, 90)))
    made = done(shot, AddHandCarrier(type="add-hand-carrier", frame=FIRST, corners=corners.tolist(), id="hand"))

    def put(shot: EvaluatedShot, frame: int, by: float, ease: Any = None) -> EvaluatedShot:
        to = (corners + (by, 0)).tolist()
        return done(
            shot, SetByHand(type="set-by-hand", carrier="hand", frame=frame, how="bridge", corners=to, ease=ease)
        )

    def way(shot: EvaluatedShot) -> Any:
        return quads(shot, "hand", FIRST, FIRST + 8)[:, 0, 0] - 10

    made = put(put(made, FIRST + 4, 40.0), FIRST + 8, 40.0)
    smooth = way(made)
    assert smooth[[0, 4, 8]] == pytest.approx([0, 40, 40])
    assert 40 < smooth[5] < 45  # swings over, as its speed goes on
    assert way(put(made, FIRST, 0.0, "linear"))[:5] == pytest.approx([0, 10, 20, 30, 40])
    assert way(put(made, FIRST, 0.0, "hold"))[:5] == pytest.approx([0, 0, 0, 0, 40])


def test_smoothing_is_a_choice_that_can_be_taken_back(shot: EvaluatedShot) -> None:
    shaky = [
        s.model_copy(update={"corners": tuple((x + (0.5 if s.frame % 2 else -0.5), y) for x, y in s.corners or ())})
        for s in places(carrier(shot, "motion"), range(FIRST, PLATE.last + 1))
    ]
    made = done(shot, KeepSolution(type="keep-solution", carrier="motion", places=shaky))
    rough = quads(made, "motion", FIRST, PLATE.last)
    calm = done(made, SetCarrier(type="set-carrier", carrier="motion", smoothing=3))
    soft = quads(calm, "motion", FIRST, PLATE.last)
    assert np.abs(np.diff(soft, 2, axis=0)).max() < 0.7 * np.abs(np.diff(rough, 2, axis=0)).max()
    back = done(calm, SetCarrier(type="set-carrier", carrier="motion", smoothing=0))
    assert quads(back, "motion", FIRST, PLATE.last) == pytest.approx(rough)


def test_a_correction_ends_where_it_is_told_to(shot: EvaluatedShot) -> None:
    bare = quads(shot, "motion", FIRST, PLATE.last)
    moved = (bare[2] + (0, 6)).tolist()
    made = done(
        shot,
        SetByHand(type="set-by-hand", carrier="motion", frame=FIRST + 2, how="correction", corners=moved),
        SetByHand(type="set-by-hand", carrier="motion", frame=FIRST + 6, how="correction", none=True),
    )
    off = quads(made, "motion", FIRST, PLATE.last)[:, 0, 1] - bare[:, 0, 1]
    assert off[:3] == pytest.approx([6, 6, 6])
    assert 0 < off[4] < 6
    assert off[6:] == pytest.approx(np.zeros(len(off) - 6), abs=1e-9)


def test_points_are_put_changed_held_and_taken_away(shot: EvaluatedShot) -> None:
    made = done(shot, AddPoint(type="add-point", frame=FIRST, place=(40.0, 30.0), id="dots"))
    made = done(made, AddPoint(type="add-point", carrier="dots", frame=FIRST + 2, place=(80.0, 30.0)))
    first, second = carrier(made, "dots").points
    assert (first.at, second.at) == (FIRST, FIRST + 2)
    with pytest.raises(EditError, match="nothing to hold"):
        SetPoint(type="set-point", carrier="dots", point=first.id, held=True).apply(made)
    track = [FollowedFrame(frame=FIRST + 1, x=41.0, y=30.0, status="solved", confidence=0.8)]
    solved = places(carrier(made, "dots"), range(FIRST, FIRST + 2))
    made = done(made, KeepSolution(type="keep-solution", carrier="dots", places=solved, tracks={first.id: track}))
    made = done(made, SetPoint(type="set-point", carrier="dots", point=first.id, held=True))
    other = [track[0].model_copy(update={"x": 99.0})]
    made = done(made, KeepSolution(type="keep-solution", carrier="dots", places=solved, tracks={first.id: other}))
    assert carrier(made, "dots").points[0].track == track
    made = done(made, SetPoint(type="set-point", carrier="dots", point=second.id, pattern=61, search=41))
    assert (carrier(made, "dots").points[1].pattern, carrier(made, "dots").points[1].search) == (61, 63)
    made = done(made, RemovePoint(type="remove-point", carrier="dots", point=first.id))
    with pytest.raises(EditError, match="last one stays"):
        RemovePoint(type="remove-point", carrier="dots", point=second.id).apply(made)
    with pytest.raises(EditError, match="outside the plate"):
        AddPoint(type="add-point", carrier="dots", frame=FIRST, place=(-5.0, 3.0)).apply(made)
    with pytest.raises(EditError, match="does not follow points"):
        AddPoint(type="add-point", carrier="motion", frame=FIRST, place=(5.0, 3.0)).apply(made)


def test_a_cover_becomes_the_patch_of_a_carrier_and_rides_on_it_in_one_step(shot: EvaluatedShot) -> None:
    before = shot.points_at(outline(shot), ALL)
    made = done(shot, CarryCover(type="carry-cover", outline="finger", frame=FIRST))
    new = next(c for c in made.carriers if c.id != "motion")
    assert outline(made).rides == new.id
    assert made.points_at(outline(made), ALL) == pytest.approx(before)
    assert np.array(new.patches[0].points)[:, :2] == pytest.approx(before[0, :, :2])
    moved = done(made, KeepSolution(type="keep-solution", carrier=new.id, places=places(new, range(FIRST, FIRST + 9))))
    assert moved.points_at(outline(moved), [FIRST + 6])[0, :, :2] == pytest.approx(
        apply(turned(FIRST + 6), before[0, :, :2]), abs=1e-3
    )


@pytest.mark.parametrize("riding", [True, False])
def test_a_corner_of_a_pane_rides_on_a_carrier_of_its_own_and_comes_back(shot: EvaluatedShot, riding: bool) -> None:
    def pane(shot: EvaluatedShot) -> Pane:
        found = shot.find("screen", Pane)
        assert found is not None
        return found

    made = done(
        shot,
        AddHandCarrier(type="add-hand-carrier", frame=FIRST, corners=((0, 0), (9, 0), (9, 9), (0, 9)), id="still"),
        ride("screen", on="still" if riding else None),
    )
    start = made.corners_at(pane(made), FIRST)
    pinned = done(made, PinCorner(type="pin-corner", pane="screen", index=2, carrier="motion"))
    there = pinned.corners_at(pane(pinned), FIRST + 6)
    assert there[[0, 1, 3]] == pytest.approx(start[[0, 1, 3]], abs=1e-6)
    assert there[2] == pytest.approx(apply(turned(FIRST + 6), start[2:3])[0], abs=1e-3)
    moved = done(pinned, ShapePoints(
        type="shape-points", element="screen", frame=FIRST + 4, points={2: (140.0, 110.0, 0, 0, 0, 0)}
    ))  # fmt: skip
    assert moved.corners_at(pane(moved), FIRST + 4)[2] == pytest.approx((140, 110), abs=1e-6)
    for then in (
        PinCorner(type="pin-corner", pane="screen", index=2),
        DeleteElement(type="delete", element="motion"),
        ride("screen", on=None),
    ):
        after = done(moved, then)
        for frame in (FIRST, FIRST + 4):
            assert after.corners_at(pane(after), frame) == pytest.approx(moved.corners_at(pane(moved), frame), abs=1e-5)
