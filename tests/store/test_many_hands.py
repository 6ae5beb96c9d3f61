"""Two pages and a worker on one shot at the same time, each with connections and a memory of its own."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from random import Random
from threading import Barrier

from pydantic import ValidationError
from sqlalchemy import func, select

from tests.builders import HAND, small_plate
from tests.random_edits import KINDS, Maker, NothingToEditError
from tests.store.test_shots import ADD_HAND, ADD_PANE, CLIP, apply, info
from wiseglove.shot.edits import AddHandCarrier, AddSubject, Ride
from wiseglove.shot.edits.base import Editing
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.places import read
from wiseglove.store import clips, shots
from wiseglove.store.database import Database
from wiseglove.store.errors import RevisionError
from wiseglove.store.tables import JournalRow, RevisionRow

EDITS = 240
CORNERS = ((10.0, 10.0), (110.0, 12.0), (108.0, 85.0), (12.0, 83.0))


@dataclass
class Hand:
    """A page or a worker, and what it was answered."""

    name: str
    url: str
    shot: str
    count: int
    round: Barrier
    """All begin each of their edits together: how often they meet does not depend on how busy the machine is."""
    known: dict[str, int] = field(default_factory=dict)
    """The revision on which each acknowledged edit was made."""
    refused: list[tuple[int, RevisionError]] = field(default_factory=list)

    def work(self) -> None:
        random, database = Random(self.name), Database(self.url)
        with database.transaction() as session:
            seen = shots.load(session, self.shot)
        for number in range(self.count):
            self.round.wait(300)
            if random.random() < 0.4:  # else it goes on with what it saw last
                with database.transaction() as session:
                    seen = shots.load(session, self.shot)
            kind = "keep-solution" if self.name == "worker" else random.choice(KINDS)
            try:
                edit = Maker(seen, random).edit(kind)
                self.send(database, edit, seen, f"{self.name}-{number}", random)
            except (EditError, NothingToEditError, ValidationError):
                continue
            except RevisionError as error:
                self.refused.append((seen.revision, error))
        database.close()

    def send(self, database: Database, edit: Editing, seen: EvaluatedShot, edit_id: str, random: Random) -> None:
        known = None if self.name == "worker" else seen.revision
        for _ in range(2 if random.random() < 0.2 else 1):  # as if an answer was lost now and then
            with database.transaction() as session:
                shots.apply(session, self.shot, known, edit, edit_id)  # type: ignore[arg-type]
        self.known[edit_id] = -1 if known is None else known


def test_nothing_acknowledged_is_lost_nothing_is_done_twice_and_refusals_say_by_what(
    database: Database, url: str
) -> None:
    with database.transaction() as session:
        clips.add(session, CLIP, info())
        shot = shots.create(session, "Tap", small_plate())
    for edit in (
        ADD_HAND,
        ADD_PANE,
        AddHandCarrier(type="add-hand-carrier", frame=1003, corners=CORNERS, id="wrist"),
        Ride(type="ride", elements=[HAND], carrier="wrist"),
        AddSubject(type="add-subject", frame=1001, id="who"),
    ):
        start = apply(database, shot.id, edit)

    together = Barrier(3)
    hands = [Hand(name, url, shot.id, EDITS // 3 + 1, together) for name in ("page one", "page two", "worker")]
    with ThreadPoolExecutor(3) as pool:
        list(pool.map(Hand.work, hands))

    with database.transaction() as session:
        rows = session.scalars(
            select(RevisionRow).where(RevisionRow.shot == shot.id).order_by(RevisionRow.revision)
        ).all()
        edits = session.scalar(select(func.count()).where(JournalRow.shot == shot.id))
    assert [r.revision for r in rows] == list(range(1, len(rows) + 1))
    assert len(rows) == edits
    acknowledged = {edit_id: known for hand in hands for edit_id, known in hand.known.items()}
    assert len(acknowledged) > EDITS / 5
    sent = [r.edit for r in rows if r.edit is not None]
    assert sorted(sent) == sorted(acknowledged)  # each once, and none that was not acknowledged

    by_revision = {r.revision: r for r in rows}
    on_top = 0
    for row in rows:
        known = acknowledged.get(row.edit or "", -1)
        if known < 0 or known == row.revision - 1:
            continue
        on_top += 1
        mine = read(row.places)
        for between in range(known + 1, row.revision):  # what went on top took nothing from what was there
            theirs = read(by_revision[between].places)
            assert not any(a[: len(b)] == b or b[: len(a)] == a for a in mine for b in theirs), (row.label, between)
    assert on_top > 10
    refused = [entry for hand in hands for entry in hand.refused]
    assert refused  # how many depends on who is first how often
    for known, error in refused:
        later = {r.label for r in rows if r.revision > known}
        assert error.by
        assert set(error.by) <= later
        assert error.by[-1] in str(error)

    assert_all_is_in_the_journal(database, shot.id, start, len(sent))


def assert_all_is_in_the_journal(database: Database, shot_id: str, start: EvaluatedShot, count: int) -> None:
    """Taking all back leads to where it began, and doing all again to where it ended, for a reader that knows nothing."""
    with database.transaction() as session:
        end = shots.load(session, shot_id)
    for step in (shots.undo, shots.redo):
        for _ in range(count):
            with database.transaction() as session:
                now = shots.load(session, shot_id).revision
                reached = step(session, shot_id, now).shot
        expected = start if step is shots.undo else end
        assert bodies(reached) == bodies(expected)


def bodies(shot: EvaluatedShot) -> str:
    return json.dumps({i: e.model_dump(mode="json") for i, e in shot.elements.items()}, sort_keys=True)
