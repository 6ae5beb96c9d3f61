"""What was found to be missed, as the covers are now."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import psycopg

from tests.builders import HAND, PANE, SQUARE, after, empty_shot
from tests.strategies import blob
from wiseglove.jobs.holes import still_there
from wiseglove.shot.edits import AddCover, AddOutline, AddPane, DeleteElement, OutlineDraft, SetCover
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.report import HoleReport, of_holes
from wiseglove.store.database import Database
from wiseglove.store.jobs import CHANNEL, announce

INSIDE, OUTSIDE = (60.0, 45.0), (30.0, 70.0)


def hole(what: Any, centre: tuple[float, float], area: float = 200.0, frame: int = 1001) -> HoleReport:
    outline = as_points(blob(5, 8, centre, 4.0))
    return HoleReport(frame=frame, pane="Screen", pane_id=PANE, what=what, area=area, centre=centre, outline=outline)


def covered() -> EvaluatedShot:
    """A pane with a cover before it, round INSIDE."""
    pane = AddPane(type="add-pane", id=PANE, frame=1001, corners=SQUARE, name="Screen")
    shape = OutlineDraft(kinds=["smooth"] * 8, points=as_points(blob(3, 8, INSIDE, 20.0)))
    cover = AddCover(type="add-cover", outline_id=HAND, frame=1001, outline=shape, name="Hand")
    return after(empty_shot(), pane, cover)


def test_what_is_covered_meanwhile_is_open_no_more_and_what_is_not_is_too_wide_no_more() -> None:
    found = [hole("open", INSIDE), hole("open", OUTSIDE), hole("wide", INSIDE), hole("wide", OUTSIDE)]
    assert still_there(covered(), found) == [found[1], found[2]]


def test_a_cut_opens_it_again_and_a_cover_that_is_not_there_holds_nothing() -> None:
    shot, found = covered(), [hole("open", INSIDE)]
    cover = shot.covers[0].id
    cut = OutlineDraft(kinds=["smooth"] * 8, points=as_points(blob(4, 8, INSIDE, 9.0)))
    assert still_there(
        after(shot, AddOutline(type="add-outline", cover=cover, frame=1001, outline=cut, mode="cuts")), found
    )
    assert still_there(after(shot, SetCover(type="set-cover", cover=cover, first=1005)), found)
    assert still_there(after(shot, SetCover(type="set-cover", cover=cover, shown=False)), found)


def test_a_pane_that_has_gone_has_no_holes() -> None:
    shot = after(covered(), DeleteElement(type="delete", element=PANE))
    assert still_there(shot, [hole("open", OUTSIDE)]) == []


def test_larger_holes_need_a_hand_more() -> None:
    needs = [d.need for d in of_holes([hole("open", OUTSIDE, area) for area in (150.0, 900.0, 9000.0)])]
    assert needs == sorted(needs)
    assert all(0 < n < 1 for n in needs)
    assert np.isclose(of_holes([hole("wide", INSIDE, 3000.0)])[0].need, 0.5)


def test_a_result_that_is_too_long_for_a_notice_is_left_out_of_it(url: str, database: Database) -> None:
    with psycopg.connect(url, autocommit=True) as listening:
        listening.execute(f"listen {CHANNEL}")
        results = [{"holes": []}, {"holes": ["x" * 9000]}]
        for result in results:
            with database.transaction() as session:
                announce(session, "job", {"id": "j1", "state": "done", "result": result})
        told = [json.loads(n.payload) for n in listening.notifies(timeout=60, stop_after=2)]
    assert [t["result"] for t in told] == [results[0], None]
    assert {t["state"] for t in told} == {"done"}
