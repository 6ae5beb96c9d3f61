"""What is on disk and what the database says of it: nothing goes that is needed, nothing stays that is not."""

from __future__ import annotations

import contextlib
import os
import threading
import time
from pathlib import Path

import pytest
from sqlalchemy.exc import IntegrityError

from tests.builders import write_sequence
from wiseglove.demo import install
from wiseglove.jobs import take_in
from wiseglove.media.info import MediaInfo
from wiseglove.settings import Settings
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.store import clips, deliveries, jobs, locks, shots
from wiseglove.store.database import Database
from wiseglove.store.errors import StoreError
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


def test_files_are_on_the_disk_before_the_row_that_names_them(
    database: Database, settings: Settings, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What a loss of power leaves can only be seen by asking at that moment."""
    seen: list[tuple[str, bool, int]] = []

    def noted(what: str, path: Path) -> None:
        with database.transaction() as session:
            seen.append((what, path.exists(), session.query(ClipRow).count()))

    real_sync, real_place = take_in.sync_below, take_in.put_in_place
    monkeypatch.setattr(take_in, "sync_below", lambda path: (real_sync(path), noted("synced", path / "clip.json")))
    monkeypatch.setattr(
        take_in, "put_in_place", lambda made, to: (real_place(made, to), noted("placed", to / "clip.json"))
    )
    (picture,) = write_sequence(tmp_path, [1])
    install.take_in_movie(database, settings, picture, "Bench")
    assert seen == [("synced", True, 0), ("placed", True, 0)]
    with database.transaction() as session:
        assert session.query(ClipRow).count() == 1


def test_the_same_files_taken_in_while_their_last_shot_is_deleted(
    database: Database, settings: Settings, tmp_path: Path
) -> None:
    """Whoever is first: a shot that is listed has its pictures, and nothing is left where there is none."""
    (picture,) = write_sequence(tmp_path, [1])
    for _ in range(8):
        first = install.take_in_movie(database, settings, picture, "Bench")
        with database.transaction() as session:
            clip = session.get_one(ShotRow, first).clip
        made: list[str] = []

        def again(made: list[str] = made) -> None:
            with contextlib.suppress(StoreError):  # the files went in the same moment, and it says so
                made.append(install.take_in_movie(database, settings, picture, "Again"))

        thread = threading.Thread(target=again)
        thread.start()
        with database.transaction() as session:
            session.delete(session.get_one(ShotRow, first))
        clips.sweep(database, settings.media, [clip])
        thread.join()
        assert (settings.media / clip / "clip.json").exists() == bool(made)
        with database.transaction() as session:
            for shot in made:
                session.delete(session.get_one(ShotRow, shot))
        clips.sweep(database, settings.media)
        assert list(settings.media.iterdir()) == []
