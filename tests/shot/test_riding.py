"""What rides on what: nothing moves when it begins or ends, and what is solved again moves all that rides."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from tests.builders import after as done
from tests.builders import quads, small_plate
from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.path import Motion, homographies, path
from wiseglove.shot.edits import (
    AddCarrier,
    AddCover,
    AddPane,
    AddRegion,
    ClearSolution,
    DeleteElement,
    KeepSolution,
    OutlineDraft,
    RemoveRegion,
    Ride,
    SetByHand,
    ShapePoints,
    copied,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.looking import left_out, looked_at
from wiseglove.shot.model import Carrier, Outline, Pane, SolvedFrame, new_shot
from wiseglove.shot.rider import Rider

Array = NDArray[np.float64]
PLATE = small_plate()
FIRST = PLATE.first


def square(x: float, y: float, half: float) -> list[tuple[float, ...]]:
    """Four corners about a place, without handles."""
    ring = ((-half, -half), (half, -half), (half, half), (-half, half))
    return [(x + dx, y + dy, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0) for dx, dy in ring]


def turned(frame: int) -> Array:
    """A motion in perspective, the identity on the first frame."""
    t = frame - FIRST
    a = np.radians(2.0 * t)
    return np.array([[np.cos(a), -np.sin(a), 5.0 * t], [np.sin(a), np.cos(a), 2.0 * t], [1e-5 * t, 0, 1]])


def places(carrier: Carrier, frames: range) -> list[SolvedFrame]:
    base = np.array(carrier.base)
    return [
        SolvedFrame(
            frame=f, corners=tuple(map(tuple, apply(turned(f), base).tolist())), status="solved", confidence=0.9
        )
        for f in frames
    ]  # fmt: skip


@pytest.fixture
def shot() -> EvaluatedShot:
    """A cover, a pane and a solved carrier; nothing rides yet."""
    draft = OutlineDraft(kinds=["corner"] * 4, points=square(60, 50, 40))
    made = done(
        EvaluatedShot.of(new_shot("s", "Door", PLATE)),
        AddCover(type="add-cover", frame=FIRST, outline=draft, outline_id="finger"),
        AddPane(type="add-pane", frame=FIRST, corners=((20, 20), (120, 25), (115, 90), (18, 80)), id="screen"),
        AddCarrier(type="add-carrier", frame=FIRST, patch=square(70, 60, 50), id="motion"),
    )
    carrier = made.find("motion", Carrier)
    assert carrier is not None
    return done(
        made, KeepSolution(type="keep-solution", carrier="motion", places=places(carrier, range(FIRST, PLATE.last + 1)))
    )


def outline(shot: EvaluatedShot) -> Outline:
    found = shot.find("finger", Outline)
    assert found is not None
    return found


def ride(*elements: str, on: str | None = "motion") -> Ride:
    return Ride(type="ride", elements=list(elements), carrier=on)


def test_what_begins_to_ride_stays_on_its_keys_and_goes_along_between_and_beyond(shot: EvaluatedShot) -> None:
    before = shot.points_at(outline(shot), [FIRST])
    riding = done(shot, ride("finger", "screen"))
    assert riding.points_at(outline(riding), [FIRST]) == pytest.approx(before, abs=1e-6)
    seen = riding.points_at(outline(riding), [FIRST + 6])[0, :, :2]
    assert seen == pytest.approx(apply(turned(FIRST + 6), before[0, :, :2]), abs=1e-3)
    pane = riding.find("screen", Pane)
    assert pane is not None
    assert riding.corners_at(pane, FIRST + 3) == pytest.approx(
        apply(turned(FIRST + 3), np.array([[20, 20], [120, 25], [115, 90], [18, 80.0]])), abs=1e-3
    )


def test_an_edit_on_any_frame_is_where_it_was_put_and_edges_keep_their_width(shot: EvaluatedShot) -> None:
    riding = done(shot, ride("finger"))
    frame = FIRST + 7
    point = (101.0, 77.0, -3.0, 1.0, 4.0, -2.0, 5.0, 6.0)
    edited = done(riding, ShapePoints(type="shape-points", element="finger", frame=frame, points={2: point}))
    assert edited.points_at(outline(edited), [frame])[0, 2] == pytest.approx(point, abs=1e-6)
    others = [0, 1, 3]
    assert edited.points_at(outline(edited), [frame])[0, others] == pytest.approx(
        riding.points_at(outline(riding), [frame])[0, others], abs=1e-6
    )
    assert edited.points_at(outline(edited), [PLATE.last])[0, 2, 6:] == pytest.approx([5.0, 6.0])


@pytest.mark.parametrize("then", [ride("finger", on=None), DeleteElement(type="delete", element="motion")])
def test_what_stops_riding_stays_on_all_of_its_keys(shot: EvaluatedShot, then: Any) -> None:
    riding = done(shot, ride("finger"))
    for frame in (FIRST + 4, FIRST + 8):
        point = (float(frame % 50), 40.0, 0, 0, 0, 0, 0, 0)
        riding = done(riding, ShapePoints(type="shape-points", element="finger", frame=frame, points={0: point}))
    frames = [k.frame for k in outline(riding).keys]
    free = done(riding, then)
    assert outline(free).rides is None
    assert free.points_at(outline(free), frames) == pytest.approx(riding.points_at(outline(riding), frames), abs=1e-6)


def test_solving_again_moves_what_rides_and_the_old_state_stays_as_it_was(shot: EvaluatedShot) -> None:
    riding = done(shot, ride("finger"))
    old = riding.points_at(outline(riding), [FIRST + 5]).copy()
    carrier = riding.find("motion", Carrier)
    assert carrier is not None
    moved = [
        s.model_copy(update={"corners": tuple((x + 9.0, y) for x, y in s.corners or ())})
        for s in places(carrier, range(FIRST + 5, FIRST + 6))
    ]
    again = done(riding, KeepSolution(type="keep-solution", carrier="motion", places=moved))
    assert again.points_at(outline(again), [FIRST + 5])[..., 0] == pytest.approx(old[..., 0] + 9, abs=0.3)
    assert riding.points_at(outline(riding), [FIRST + 5]) == pytest.approx(old)
    assert again.differing(riding) == {"motion", "finger"}


def test_a_copy_rides_on_nothing_and_is_where_the_first_one_is(shot: EvaluatedShot) -> None:
    riding = done(shot, ride("finger"))
    frame = FIRST + 6
    riding = done(
        riding, ShapePoints(type="shape-points", element="finger", frame=frame, points={0: (9, 9, 0, 0, 0, 0, 0, 0)})
    )
    twin = copied(riding, "finger").outlines[0]
    assert twin.rides is None
    assert Rider(twin).points_at([FIRST, frame]) == pytest.approx(
        riding.points_at(outline(riding), [FIRST, frame]), abs=1e-6
    )


def test_a_bridge_meets_both_ends_in_place_and_speed_and_passes_its_stitches() -> None:
    base = np.array([[0, 0], [10, 0], [10, 10], [0, 10.0]])
    known = {f: base + 3.0 * f for f in [*range(5), *range(15, 20)]}
    stitch = {9: base + np.array([20.0, 40.0])}
    quads = path(range(20), known, stitch)
    assert quads[9] == pytest.approx(stitch[9])
    speed = np.diff(quads, axis=0)
    assert speed[4] == pytest.approx(speed[3], abs=1.6)  # goes on as it came
    assert speed[14] == pytest.approx(speed[15], abs=1.6)
    straight = path(range(20), known, {})
    assert straight == pytest.approx(base + 3.0 * np.arange(20)[:, None, None], abs=1e-9)


def test_a_correction_moves_its_frame_blends_between_and_can_be_taken_away(shot: EvaluatedShot) -> None:
    def quad(which: EvaluatedShot, frame: int) -> Array:
        return np.asarray(quads(which, "motion", frame, frame)[0])

    def corrected(which: EvaluatedShot, frame: int, by: float) -> EvaluatedShot:
        corners = tuple((x + by, y) for x, y in quad(which, frame).tolist())
        return done(
            which, SetByHand(type="set-by-hand", carrier="motion", frame=frame, how="correction", corners=corners)
        )

    # The first one holds to both sides; the second takes its four pixels back from its own frame on.
    twice = corrected(corrected(shot, FIRST + 2, 4.0), FIRST + 8, -4.0)
    assert quad(twice, FIRST + 2) - quad(shot, FIRST + 2) == pytest.approx(np.tile([4.0, 0], (4, 1)), abs=1e-6)
    assert quad(twice, FIRST + 5) - quad(shot, FIRST + 5) == pytest.approx(np.tile([2.0, 0], (4, 1)), abs=1e-6)
    back = twice
    for frame in (FIRST + 2, FIRST + 8):
        back = done(back, SetByHand(type="set-by-hand", carrier="motion", frame=frame, how="correction"))
    assert quad(back, FIRST + 5) == pytest.approx(quad(shot, FIRST + 5))


def test_lost_frames_are_bridged_until_something_better_is_known(shot: EvaluatedShot) -> None:
    lost = [
        SolvedFrame(frame=f, corners=None, status="lost", confidence=0, reason="covered")
        for f in (FIRST + 4, FIRST + 5)
    ]
    gap = done(shot, ride("finger"), KeepSolution(type="keep-solution", carrier="motion", places=lost))
    whole = done(shot, ride("finger"))
    there = gap.points_at(outline(gap), [FIRST + 4])[0, :, :2]
    assert np.abs(there - whole.points_at(outline(whole), [FIRST + 4])[0, :, :2]).max() < 2.0


def test_what_a_carrier_looks_at_is_its_patches_without_blind_spots_and_covers(shot: EvaluatedShot) -> None:
    spot = square(90, 80, 10)
    looking = done(shot, AddRegion(type="add-region", carrier="motion", what="blind", frame=FIRST, points=spot))
    carrier = looking.find("motion", Carrier)
    assert carrier is not None
    seen = looked_at(looking, carrier, FIRST)
    assert seen[65, 75] == 1
    assert seen[85, 95] == 0
    hidden = left_out(looking, carrier, FIRST, None)  # type: ignore[arg-type]
    assert hidden is not None
    assert hidden[60, 70] == 1
    assert hidden[50 - carrier.margin + 1, 70] == 1
    riding = done(looking, ride("finger"))
    assert left_out(riding, carrier, FIRST, None) is None  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        (AddCarrier(type="add-carrier", frame=FIRST, patch=square(5000, 5000, 40)), "outside the plate"),
        (AddCarrier(type="add-carrier", frame=FIRST, patch=square(50, 50, 0.5)), "no area"),
        (AddCarrier(type="add-carrier", frame=1, patch=square(50, 50, 20)), "outside the plate"),
        (RemoveRegion(type="remove-region", carrier="motion", what="patch", index=0), "needs a patch"),
        (RemoveRegion(type="remove-region", carrier="motion", what="blind", index=3), "not there any more"),
        (ClearSolution(type="clear-solution", carrier="motion", first=1, last=2), "Nothing is solved"),
        (SetByHand(type="set-by-hand", carrier="motion", frame=FIRST, how="bridge"), "There is not a stitch"),
        (
            SetByHand(
                type="set-by-hand",
                carrier="motion",
                frame=FIRST,
                how="bridge",
                corners=((0, 0), (9, 9), (9, 0), (0, 9)),
            ),
            "without crossing",
        ),
        (Ride(type="ride", elements=["settings"], carrier="motion"), "cannot ride"),
        (Ride(type="ride", elements=["finger"], carrier="gone"), "not in the shot"),
    ],
)
def test_what_cannot_be_is_refused_with_a_sentence(shot: EvaluatedShot, edit: Any, says: str) -> None:
    with pytest.raises(EditError, match=says):
        edit.apply(shot)


@given(st.lists(st.floats(-18, 18), min_size=8, max_size=8))
def test_carrying_there_and_back_gives_what_was(shifts: list[float]) -> None:
    base = np.array([[0, 0], [100, 0], [100, 80], [0, 80.0]])
    quad = base + np.array(shifts).reshape(4, 2)
    motion = Motion(base, 1, np.stack([base, quad]))
    points = np.array([[50, 40, -4, 1, 3, 2, 1, 0], [10, 10, 0, 0, 0, 0, 0, 0]], np.float64)
    there = motion.carry(np.array([2.0]), points[None])[0]
    assert motion.back(2.0, there) == pytest.approx(points, abs=1e-6)
    assert apply(homographies(base, quad[None])[0], base) == pytest.approx(quad, abs=1e-6)


def test_a_carriers_corners_are_its_patchs_own_where_it_has_four(shot: EvaluatedShot) -> None:
    def base(*points: tuple[float, float]) -> list[tuple[float, float]]:
        patch = [(x, y, 0, 0, 0, 0) for x, y in points]
        made = done(shot, AddCarrier(type="add-carrier", frame=FIRST, patch=patch, id="fresh"))
        found = made.find("fresh", Carrier)
        assert found is not None
        return list(found.base)

    assert base((90, 22), (20, 20), (24, 70), (84, 66)) == [(20, 20), (90, 22), (84, 66), (24, 70)]
    around = [(20, 20), (90, 20), (90, 70), (20, 70)]
    assert np.allclose(base((20, 20), (90, 20), (84, 66), (24, 70), (22, 40)), around), "five corners"
    assert np.allclose(base((20, 20), (90, 20), (40, 40), (20, 70)), around), "not convex"
