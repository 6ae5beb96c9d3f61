"""What is on disk and what the database says of it: nothing goes that is needed, nothing stays that is not."""

from __future__ import annotations

import contextlib
import os
import threading
import time
from pathlib import Path

import pytest
from sqlalchemy.exc import IntegrityError

from wiseglove.media.info import MediaInfo
from wiseglove.settings import Settings
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.store import clips, deliveries, jobs, locks, shots
from wiseglove.store.database import Database
from wiseglove.store.tables import ClipRow, ShotRow

ABOUT = MediaInfo(kind="still", name="bench", files=["000000.png"], width=8, height=8, count=1)


def add_clip(database: Database, settings: Settings, clip: str) -> Path:
    folder = settings.media / clip
    folder.mkdir()
    (folder / "clip.json").write_text(ABOUT.model_dump_json())
    with database.transaction() as session:
        clips.add(session, clip, ABOUT)
    return folder


def add_shot(database: Database, clip: str) -> EvaluatedShot:
    with database.transaction() as session:
        return shots.create(session, "Bench", clips.plate_of(clip, ABOUT))


def delete_shot(database: Database, shot: EvaluatedShot) -> None:
    with database.transaction() as session:
        session.delete(session.get_one(ShotRow, shot.id))


def test_a_clip_stays_while_any_shot_needs_it_and_goes_with_the_last(database: Database, settings: Settings) -> None:
    folder = add_clip(database, settings, "a" * 24)
    one, other = add_shot(database, "a" * 24), add_shot(database, "a" * 24)
    for shot, left in ((one, True), (other, False)):
        delete_shot(database, shot)
        clips.sweep(database, settings.media)
        assert folder.exists() == left
    with database.transaction() as session:
        assert session.get(ClipRow, "a" * 24) is None


@pytest.mark.parametrize("late", [0.0, 0.02])
def test_a_shot_made_while_its_clip_is_swept_keeps_its_pictures_or_is_not_made(
    database: Database, settings: Settings, late: float
) -> None:
    """Deleting a shot against starting a fresh one on the same plate: whoever is first, no shot is without its plate."""
    made: list[EvaluatedShot] = []
    for round_number in range(12):
        clip = f"{round_number:024x}"
        folder = add_clip(database, settings, clip)
        delete_shot(database, add_shot(database, clip))
        start = threading.Barrier(2)

        def fresh(clip: str = clip, start: threading.Barrier = start) -> None:
            start.wait()
            time.sleep(late)
            with contextlib.suppress(IntegrityError):  # the clip had just gone
                made.append(add_shot(database, clip))

        thread = threading.Thread(target=fresh)
        thread.start()
        start.wait()
        clips.sweep(database, settings.media, [clip])
        thread.join()
        there = any(shot.plate.media == clip for shot in made)
        assert folder.exists() == there
        with database.transaction() as session:
            assert (session.get(ClipRow, clip) is not None) == there


def test_a_sweep_that_was_killed_halfway_is_finished_by_the_next(database: Database, settings: Settings) -> None:
    """After the row has gone, and after the folder got its other name."""
    (settings.media / ("b" * 24)).mkdir()
    (settings.media / f"going-{'c' * 24}").mkdir()
    clips.sweep(database, settings.media)
    assert list(settings.media.iterdir()) == []


def test_nothing_is_deleted_while_a_backup_is_taken(database: Database, settings: Settings) -> None:
    folder = add_clip(database, settings, "d" * 24)
    with database.transaction() as keeping:
        keeping.connection().exec_driver_sql(f"select pg_advisory_xact_lock({locks.KEEP_ALL})")
        assert clips.sweep(database, settings.media) == 0
        assert folder.exists()
    assert clips.sweep(database, settings.media) == 1
    assert not folder.exists()


def test_packages_go_with_their_jobs_and_what_is_unfinished_after_a_day(database: Database, settings: Settings) -> None:
    with database.transaction() as session:
        kept = jobs.add(session, "deliver", "Package", {}, None, None).id
    old, new = settings.deliveries / f"{kept}.3.part", settings.deliveries / "tmpnew"
    deliveries.path(settings.deliveries, kept).touch()
    deliveries.path(settings.deliveries, "gone").touch()
    old.touch()
    new.mkdir()
    os.utime(old, (0, 0))
    assert deliveries.sweep(database, settings.deliveries) == 2
    assert {p.name for p in settings.deliveries.iterdir()} == {f"{kept}.zip", "tmpnew"}
