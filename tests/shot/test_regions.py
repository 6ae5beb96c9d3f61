"""Patches and blind spots that change their shape, and blind spots that ride on another carrier."""

from __future__ import annotations

import numpy as np
import pytest

from tests.builders import after as done
from tests.shot.test_riding import FIRST, PLATE, places, shot, square, turned
from wiseglove.core.geometry.homography import apply
from wiseglove.shot.edits import (
    AddCarrier,
    AddRegion,
    DeleteElement,
    FreezeRegion,
    KeepSolution,
    RideRegion,
    SetCarrier,
    ShapeRegion,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.looking import in_order, left_out, looked_at, looked_at_through, region_points
from wiseglove.shot.model import Carrier

__all__ = ["shot"]


def carrier(shot: EvaluatedShot, which: str = "motion") -> Carrier:
    found = shot.find(which, Carrier)
    assert found is not None
    return found


def shaped(frame: int, x: float, half: float, what: str = "blind") -> ShapeRegion:
    return ShapeRegion(
        type="shape-region", carrier="motion", what=what, index=0, frame=frame, points=square(x, 60, half)
    )  # type: ignore[arg-type]


@pytest.fixture
def spotted(shot: EvaluatedShot) -> EvaluatedShot:
    """The carrier with a blind spot about (60, 60)."""
    spot = AddRegion(type="add-region", carrier="motion", what="blind", frame=FIRST, points=square(60, 60, 10))
    return done(shot, spot)


def test_a_region_gets_keys_away_from_its_own_frame_and_changes_evenly_between(spotted: EvaluatedShot) -> None:
    whole = done(spotted, shaped(FIRST, 62, 10))
    assert carrier(whole).blind[0].keys == []
    there = apply(turned(FIRST + 8), np.array([[75.0, 30.0]]))[0]
    wanted = square(float(there[0]), float(there[1]), 8)
    keyed = done(
        whole,
        ShapeRegion(
            type="shape-region", carrier="motion", what="blind", index=0, frame=FIRST + 8, points=wanted
        ),
    )  # fmt: skip
    region = carrier(keyed).blind[0]
    assert [k.frame for k in region.keys] == [FIRST, FIRST + 8]
    ends = [region_points(region, f)[:, :2] for f in (FIRST, FIRST + 4, FIRST + 8)]
    assert ends[1] == pytest.approx((ends[0] + ends[2]) / 2)
    assert apply(turned(FIRST + 8), ends[2]) == pytest.approx(np.array(wanted)[:, :2], abs=1e-3)
    x, y = there.astype(int)
    assert looked_at(keyed, carrier(keyed), FIRST + 8)[y, x] == 0
    assert looked_at(keyed, carrier(keyed), FIRST)[30, 75] == 1
    still = looked_at_through(keyed, carrier(keyed), np.eye(3), FIRST + 8)
    assert (still[30, 75], still[60, 60], still[60, 90]) == (0, 0, 1)
    assert looked_at_through(keyed, carrier(keyed), np.eye(3))[60, 60] == 1
    frozen = done(keyed, FreezeRegion(type="freeze-region", carrier="motion", what="blind", index=0, frame=FIRST + 8))
    assert np.array(carrier(frozen).blind[0].points)[:, :2] == pytest.approx(ends[2])
    assert carrier(frozen).blind[0].keys == []


def test_a_keyed_patch_counts_where_it_is_on_each_frame(shot: EvaluatedShot) -> None:
    keyed = done(shot, shaped(FIRST + 8, 90, 20, "patch"))
    late = looked_at_through(keyed, carrier(keyed), np.eye(3), FIRST + 8)
    early = looked_at_through(keyed, carrier(keyed), np.eye(3), FIRST)
    both = looked_at_through(keyed, carrier(keyed), np.eye(3))
    assert early.sum() > 8000
    assert late.sum() == pytest.approx(40 * 40, rel=0.1)
    assert (both == np.maximum(early, late)).all()


def test_a_blind_spot_rides_on_another_carrier_and_lets_go_of_one_that_is_deleted(spotted: EvaluatedShot) -> None:
    made = done(with_another(spotted), SetCarrier(type="set-carrier", carrier="motion", avoids=False))
    riding = done(made, RideRegion(type="ride-region", carrier="motion", index=0, rides="other"))
    hidden = left_out(riding, carrier(riding), FIRST + 6, None)  # type: ignore[arg-type]
    assert hidden is not None
    assert (hidden[60, 78], hidden[60, 60 - 18]) == (1, 0)
    gone = done(riding, DeleteElement(type="delete", element="other"))
    assert left_out(gone, carrier(gone), FIRST + 6, None) is None  # type: ignore[arg-type]
    assert carrier(gone).blind[0].rides is None
    own = done(riding, RideRegion(type="ride-region", carrier="motion", index=0))
    assert np.array(carrier(own).blind[0].points) == pytest.approx(np.array(carrier(spotted).blind[0].points), abs=1e-6)


def with_another(shot: EvaluatedShot) -> EvaluatedShot:
    """A carrier besides, which goes 3 px to the right on each frame."""
    made = done(shot, AddCarrier(type="add-carrier", frame=FIRST, patch=square(30, 30, 20), id="other"))
    moving = [
        s.model_copy(
            update={"corners": tuple((x + 3.0 * (s.frame - FIRST), y) for x, y in carrier(made, "other").base)}
        )
        for s in places(carrier(made, "other"), range(FIRST, PLATE.last + 1))
    ]
    return done(made, KeepSolution(type="keep-solution", carrier="other", places=moving))


def test_patches_ride_on_another_carrier_and_nothing_counts_outside_them(shot: EvaluatedShot) -> None:
    made = done(with_another(shot), SetCarrier(type="set-carrier", carrier="motion", avoids=False))
    made = done(
        made,
        AddRegion(type="add-region", carrier="motion", what="patch", frame=FIRST, points=square(120, 60, 10)),
    )
    own = [looked_at(made, carrier(made), f) for f in (FIRST, FIRST + 6)]
    ride = RideRegion(type="ride-region", carrier="motion", what="patch", index=0, rides="other")
    riding = done(made, ride)
    assert {r.rides for r in carrier(riding).patches} == {"other"}
    assert np.array_equal(looked_at(riding, carrier(riding), FIRST), own[0])
    late = looked_at(riding, carrier(riding), FIRST + 6)
    assert np.array_equal(late[:, 18:], own[0][:, :-18])  # 3 px a frame, as the other carrier goes
    hidden = left_out(riding, carrier(riding), FIRST + 6, None)  # type: ignore[arg-type]
    assert hidden is not None
    assert np.array_equal(hidden, 1 - late)
    further = AddRegion(type="add-region", carrier="motion", what="patch", frame=FIRST + 6, points=square(90, 90, 8))
    added = done(riding, further)
    assert looked_at(added, carrier(added), FIRST + 6)[90, 90] == 1
    assert looked_at(added, carrier(added), FIRST)[90, 90 - 18] == 1
    back = done(riding, DeleteElement(type="delete", element="other"))
    assert {r.rides for r in carrier(back).patches} == {None}
    assert np.array_equal(looked_at(back, carrier(back), FIRST + 6), own[1])
    assert left_out(back, carrier(back), FIRST + 6, None) is None  # type: ignore[arg-type]


def test_a_carrier_begins_on_another_but_not_on_itself(shot: EvaluatedShot) -> None:
    begun = done(with_another(shot), SetCarrier(type="set-carrier", carrier="motion", begins="other"))
    assert carrier(begun).begins == "other"
    with pytest.raises(EditError, match="choose another carrier"):
        done(begun, SetCarrier(type="set-carrier", carrier="motion", begins="motion"))
    assert carrier(done(begun, SetCarrier(type="set-carrier", carrier="motion", begins=""))).begins is None
    assert carrier(done(begun, DeleteElement(type="delete", element="other"))).begins is None


def test_a_patch_that_rides_elsewhere_counts_where_it_lies_on_the_own_frame_also_beside_a_keyed_blind_spot(
    spotted: EvaluatedShot,
) -> None:
    made = done(with_another(spotted), SetCarrier(type="set-carrier", carrier="motion", avoids=False))
    spot = square(75, 75, 8)
    made = done(made, AddRegion(type="add-region", carrier="motion", what="blind", frame=FIRST, points=spot))
    before = looked_at_through(made, carrier(made), np.eye(3), FIRST)
    # The other carrier's reference is not this one's frame: what rides on it is stored elsewhere.
    later = done(
        made,
        AddCarrier(type="add-carrier", frame=FIRST + 4, patch=square(30, 30, 20), id="late"),
    )
    moving = [
        s.model_copy(
            update={"corners": tuple((x + 3.0 * (s.frame - FIRST - 4), y) for x, y in carrier(later, "late").base)}
        )
        for s in places(carrier(later, "late"), range(FIRST, PLATE.last + 1))
    ]
    later = done(later, KeepSolution(type="keep-solution", carrier="late", places=moving))
    riding = done(later, RideRegion(type="ride-region", carrier="motion", what="patch", index=0, rides="late"))
    keyed = done(riding, shaped(FIRST + 8, 64, 9))
    assert np.array_equal(looked_at_through(keyed, carrier(keyed), np.eye(3), FIRST), before)


def test_carriers_come_after_those_that_they_begin_or_look_on(shot: EvaluatedShot) -> None:
    made = with_another(shot)
    made = done(made, AddCarrier(type="add-carrier", frame=FIRST, patch=square(50, 50, 20), id="third"))
    made = done(made, SetCarrier(type="set-carrier", carrier="motion", begins="third"))
    made = done(made, RideRegion(type="ride-region", carrier="third", what="patch", index=0, rides="other"))
    all_three = [carrier(made, name) for name in ("motion", "third", "other")]
    assert [c.id for c in in_order(all_three)] == ["other", "third", "motion"]
    assert [c.id for c in in_order(all_three[:2])] == ["third", "motion"]
    round_again = done(made, SetCarrier(type="set-carrier", carrier="other", begins="motion"))
    circle = in_order([carrier(round_again, name) for name in ("motion", "third", "other")])
    assert sorted(c.id for c in circle) == ["motion", "other", "third"]


def test_a_region_keeps_its_number_of_points_and_an_area(spotted: EvaluatedShot) -> None:
    with pytest.raises(EditError, match="has 3 points"):
        ShapeRegion(
            type="shape-region", carrier="motion", what="blind", index=0, frame=FIRST, points=square(60, 60, 9)[:3]
        ).apply(spotted)  # fmt: skip
    with pytest.raises(EditError, match="no area"):
        shaped(FIRST, 60, 0.1).apply(spotted)
    with pytest.raises(EditError, match="no keys"):
        FreezeRegion(type="freeze-region", carrier="motion", what="blind", index=0, frame=FIRST).apply(spotted)
    with pytest.raises(EditError, match="not there any more"):
        RideRegion(type="ride-region", carrier="motion", index=4).apply(spotted)
