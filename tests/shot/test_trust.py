"""How far places are trusted, and that a table of corners says so: a lost frame is never one that was solved."""

from __future__ import annotations

import pytest

from tests.builders import PANE, SQUARE, after, shot_with_hand_and_pane
from wiseglove.delivery import outlines
from wiseglove.interchange import pane_motion
from wiseglove.shot.edits import AddCarrier, KeepSolution, Ride, SetByHand
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Pane, SolvedFrame
from wiseglove.shot.trust import Trust, trusted

FIRST = 1001
PATCH = [(x, y, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0) for x, y in SQUARE]


def place(frame: int, status: str = "solved", confidence: float = 0.9) -> SolvedFrame:
    corners = None if status == "lost" else tuple((x + frame - FIRST, y) for x, y in SQUARE)
    return SolvedFrame.model_validate(
        {"frame": frame, "corners": corners, "status": status, "confidence": confidence}, strict=False
    )


@pytest.fixture
def shot() -> EvaluatedShot:
    """A pane on a carrier that is solved up to frame 1004, unsure on 1005, lost to 1007, and solved again to 1010."""
    solved = [place(f) for f in (1002, 1003, 1004)]
    doubtful = [place(1005, "unsure", 0.4), place(1006, "lost", 0.0), place(1007, "lost", 0.0)]
    again = [place(f, confidence=0.8) for f in (1008, 1009, 1010)]
    return after(
        shot_with_hand_and_pane(),
        AddCarrier(type="add-carrier", frame=FIRST, patch=PATCH, id="k"),
        KeepSolution(type="keep-solution", carrier="k", places=[*solved, *doubtful, *again]),
        Ride(type="ride", elements=[PANE], carrier="k"),
    )


def pane(shot: EvaluatedShot) -> Pane:
    return shot.panes[0]


def test_a_frame_is_trusted_as_far_as_what_it_rides_on(shot: EvaluatedShot) -> None:
    found = dict(enumerate(trusted(shot, pane(shot), range(FIRST, FIRST + 12)), FIRST))
    assert found[1003] == Trust("solved", 0.9)
    assert found[1005] == Trust("unsure", 0.4)
    assert found[1006].status == found[1007].status == "lost"
    assert found[1006].confidence == 0.0
    assert found[1009] == Trust("solved", 0.8)
    assert found[1011].status == "held"
    assert trusted(shot, shot.outlines_of(shot.covers[0])[0], [1006]) == [Trust("set", 1.0)]


def test_the_table_of_corners_says_what_was_lost_and_is_read_back(shot: EvaluatedShot) -> None:
    frames = range(shot.plate.first, shot.plate.last + 1)
    sheet, made = outlines.sheet_of(shot, frames), outlines.moments(shot, pane(shot), frames)
    rows = pane_motion.read(pane_motion.to_csv(made, sheet, pane_motion.Manner(), None), sheet)
    by_frame = {int(row.time): row for row in rows}
    assert len(rows) == shot.plate.count
    assert [by_frame[f].status for f in (1004, 1005, 1006, 1008, 1012)] == [
        "solved",
        "unsure",
        "lost",
        "solved",
        "held",
    ]
    assert by_frame[1006].confidence == 0.0
    assert by_frame[1005].confidence == pytest.approx(0.4)
    assert all(row.corners is not None for row in rows)


def test_what_the_artist_sets_by_hand_is_trusted(shot: EvaluatedShot) -> None:
    corrected = after(shot, SetByHand(type="set-by-hand", carrier="k", frame=1006, corners=SQUARE))
    assert trusted(corrected, pane(corrected), [1006]) == [Trust("bridged", 1.0)]
