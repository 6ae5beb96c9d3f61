"""The journal against a real PostgreSQL."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from tests.builders import HAND, PANE, SQUARE, draft, small_plate
from tests.strategies import blob
from wiseglove.media.info import MediaInfo
from wiseglove.settings import Settings
from wiseglove.shot.edits import (
    AddCover,
    AddPane,
    DeleteElement,
    Duplicate,
    Edit,
    MoveKeys,
    SetKeys,
    SetPane,
    SetShot,
    ShapePoints,
)
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Insert
from wiseglove.store import clips, shots
from wiseglove.store.database import Database, migrate
from wiseglove.store.errors import NotFoundError, RevisionError, StoreError

CLIP = "0" * 24


def info() -> MediaInfo:
    return MediaInfo(kind="movie", name="tap", files=["tap.mp4"], width=128, height=96, count=20)


@pytest.fixture
def shot(database: Database) -> EvaluatedShot:
    with database.transaction() as session:
        clips.add(session, CLIP, info())
        return shots.create(session, "Tap", small_plate())


def apply(database: Database, shot_id: str, edit: Edit, revision: int | None = None) -> EvaluatedShot:
    with database.transaction() as session:
        now = shots.load(session, shot_id).revision if revision is None else revision
        return shots.apply(session, shot_id, now, edit).shot


def load(database: Database, shot_id: str) -> EvaluatedShot:
    with database.transaction() as session:
        return shots.load(session, shot_id)


def step(database: Database, shot_id: str, which: str) -> EvaluatedShot:
    with database.transaction() as session:
        now = shots.load(session, shot_id).revision
        return (shots.undo if which == "undo" else shots.redo)(session, shot_id, now).shot


def elements(shot: EvaluatedShot) -> dict[str, str]:
    return {i: e.model_dump_json() for i, e in shot.elements.items()}


ADD_HAND = AddCover(type="add-cover", outline_id=HAND, frame=1001, outline=draft(), name="Hand")
ADD_PANE = AddPane(type="add-pane", id=PANE, frame=1001, corners=SQUARE, name="Screen")


def shape(frame: int, seed: int) -> ShapePoints:
    return ShapePoints(type="shape-points", element=HAND, frame=frame, points=dict(enumerate(as_points(blob(seed)))))


EDITS: list[Edit] = [
    ADD_HAND,
    ADD_PANE,
    shape(1005, 2),
    shape(1010, 3),
    MoveKeys(type="move-keys", element=HAND, frames=[1005], by=2),
    SetPane(type="set-pane", pane=PANE, opacity=0.5, insert=Insert()),
    SetShot(type="set-shot", mixing="encoded", name="Tap, second try"),
    AddCover(type="add-cover", frame=1002, outline=draft(9)),
    DeleteElement(type="delete", element=HAND),
    DeleteElement(type="delete", element=PANE),
]


def test_what_is_read_from_the_rows_is_what_was_applied(database: Database, shot: EvaluatedShot, url: str) -> None:
    for edit in EDITS:
        last = apply(database, shot.id, edit)
        fresh = Database(url)  # reads the rows themselves
        again = load(fresh, shot.id)
        fresh.close()
        assert again.revision == last.revision
        assert elements(again) == elements(last)


def test_undoing_everything_and_redoing_it_meets_every_state_again(database: Database, shot: EvaluatedShot) -> None:
    states = [elements(shot)]
    for edit in EDITS:
        states.append(elements(apply(database, shot.id, edit)))
    for expected in states[-2::-1]:
        assert elements(step(database, shot.id, "undo")) == expected
    with pytest.raises(StoreError, match="nothing to undo"):
        step(database, shot.id, "undo")
    for expected in states[1:]:
        assert elements(step(database, shot.id, "redo")) == expected
    with pytest.raises(StoreError, match="nothing to redo"):
        step(database, shot.id, "redo")


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.sampled_from(["undo", "redo", "edit"]), max_size=14))
def test_any_walk_through_the_history_agrees_with_a_list(
    database: Database, shot: EvaluatedShot, walk: list[str]
) -> None:
    with database.transaction() as session:
        mine = shots.create(session, "Walk", small_plate())
    done, undone = [elements(mine)], []
    for number, move in enumerate(walk):
        if move == "edit":
            name = SetShot(type="set-shot", name=f"Take {number}")
            done.append(elements(apply(database, mine.id, name)))
            undone.clear()
        elif move == "undo" and len(done) > 1:
            step(database, mine.id, "undo")
            undone.append(done.pop())
        elif move == "redo" and undone:
            step(database, mine.id, "redo")
            done.append(undone.pop())
        assert elements(load(database, mine.id)) == done[-1]


def test_history_says_what_undo_and_redo_would_do(database: Database, shot: EvaluatedShot) -> None:
    apply(database, shot.id, ADD_HAND)
    apply(database, shot.id, shape(1005, 2))
    step(database, shot.id, "undo")
    with database.transaction() as session:
        past = shots.history(session, shot.id)
    assert past.undo == "Drew Hand, frame 1001"
    assert past.redo == "Moved whole Hand, frame 1005"


def test_an_edit_of_an_older_revision_is_refused_with_the_newer_state(database: Database, shot: EvaluatedShot) -> None:
    newer = apply(database, shot.id, ADD_HAND)
    other = apply(database, shot.id, shape(1005, 2))
    with pytest.raises(RevisionError, match="changed meanwhile by “Moved whole Hand, frame 1005”") as refused:
        apply(database, shot.id, shape(1005, 3), revision=newer.revision)
    assert elements(refused.value.shot) == elements(other)
    assert refused.value.by == ["Moved whole Hand, frame 1005"]
    assert load(database, shot.id).revision == 2


def test_a_refused_edit_leaves_no_trace(database: Database, shot: EvaluatedShot) -> None:
    apply(database, shot.id, ADD_HAND)
    with pytest.raises(EditError):
        apply(database, shot.id, shape(2000, 1))
    with database.transaction() as session:
        assert shots.load(session, shot.id).revision == 1
        assert shots.history(session, shot.id).undo == "Drew Hand, frame 1001"


def test_of_two_edits_at_once_exactly_one_is_taken(database: Database, shot: EvaluatedShot) -> None:
    apply(database, shot.id, ADD_HAND)

    def attempt(seed: int) -> bool:
        try:
            apply(database, shot.id, shape(1005, seed), revision=1)
            return True
        except RevisionError:
            return False

    with ThreadPoolExecutor(6) as pool:
        assert sum(pool.map(attempt, range(6))) == 1
    assert load(database, shot.id).revision == 2


def test_a_shot_that_is_not_there_says_so(database: Database) -> None:
    with pytest.raises(NotFoundError, match="does not exist any more"):
        load(database, "nothere")


def test_clips_go_when_nothing_uses_them(database: Database, shot: EvaluatedShot, settings: Settings) -> None:
    other = "1" * 24
    for clip in (CLIP, other):
        (settings.media / clip).mkdir()
    with database.transaction() as session:
        clips.add(session, other, info())
    clips.sweep(database, settings.media)
    assert [p.name for p in settings.media.iterdir()] == [CLIP]
    with database.transaction() as session, pytest.raises(NotFoundError):
        clips.info(session, other)


def test_migrating_twice_changes_nothing_and_the_tables_match_the_models(database: Database, url: str) -> None:
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from wiseglove.store.tables import Base

    migrate(url)
    with database.engine.connect() as connection:
        context = MigrationContext.configure(
            connection,
            opts={"include_object": lambda _o, name, kind, *_: kind != "table" or "procrastinate" not in name},
        )
        differences = [d for d in compare_metadata(context, Base.metadata) if "procrastinate" not in str(d)]
    assert differences == []


def test_a_dragged_point_of_a_long_outline_is_little_in_the_journal(database: Database, shot: EvaluatedShot) -> None:
    """One point of 24 on one of 100 keys: at most 2 kB, of which undo needs all and redo the same again."""
    with database.transaction() as session:
        shot = shots.create(session, "Long", small_plate(count=120))
    outline = draft(count=24)
    apply(database, shot.id, AddCover(type="add-cover", outline_id=HAND, frame=1001, outline=outline))
    shapes = {1001 + k: as_points(blob(k, 24)) for k in range(100)}
    apply(database, shot.id, SetKeys(type="set-keys", outline=HAND, shapes=shapes))
    before = load(database, shot.id)
    point = {7: (50.5, 40.25, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)}
    moved = apply(database, shot.id, ShapePoints(type="shape-points", element=HAND, frame=1051, points=point))
    step(database, shot.id, "undo")
    size = text("select octet_length(change::text) from journal where shot = :shot order by id desc limit 1")
    with database.engine.connect() as connection:
        assert connection.execute(size, {"shot": shot.id}).scalar_one() <= 2000
    assert elements(load(database, shot.id)) == elements(before)
    assert elements(step(database, shot.id, "redo")) == elements(moved)


def test_what_could_not_be_opened_again_is_refused_in_words(database: Database, shot: EvaluatedShot, url: str) -> None:
    name = "Glove, left, of the gardener who carries the trays past the panel, second take 2"
    assert len(name) == 80
    apply(database, shot.id, AddCover(type="add-cover", frame=1001, outline=draft(), name=name))
    cover = load(database, shot.id).covers[0].id
    twice = apply(database, shot.id, Duplicate(type="duplicate", cover=cover))
    assert len({c.name for c in twice.covers}) == 2
    fresh = Database(url)
    assert elements(load(fresh, shot.id)) == elements(twice)
    fresh.close()
