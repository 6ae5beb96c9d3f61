"""A backup, taken while there is work, opens in an empty place."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from uuid import uuid4

import pytest

from tests.store.test_files import ABOUT, add_clip, add_shot
from wiseglove.settings import Settings
from wiseglove.shot.edits import SetShot
from wiseglove.store import backup, deliveries, jobs, shots
from wiseglove.store.cluster import Cluster
from wiseglove.store.database import Database
from wiseglove.store.errors import StoreError
from wiseglove.store.tables import IntakeRow, JobRow

CLIP = "a" * 24


@pytest.fixture
def empty(cluster: Cluster, tmp_path: Path) -> Iterator[Settings]:
    """An empty database and an empty folder."""
    name = f"t{uuid4().hex[:12]}"
    cluster.ensure_database(name)
    yield Settings(database_url=cluster.url(name), files=tmp_path / "elsewhere")
    cluster.sql(f"drop database {name} with (force)")


def test_all_that_was_stored_is_there_again(
    database: Database, settings: Settings, empty: Settings, tmp_path: Path
) -> None:
    add_clip(database, settings, CLIP)
    shot = add_shot(database, CLIP)
    with database.transaction() as session:
        shots.apply(session, shot.id, 0, SetShot(type="set-shot", name="Panel at night"))
        done = jobs.add(session, "deliver", "Package", {}, shot.id, None)
        done.state = "done"
        going = jobs.add(session, "solve", "Solving", {}, shot.id, None)
        session.add(IntakeRow(id="half", purpose="plate", state="receiving", message=""))
    deliveries.path(settings.deliveries, done.id).write_bytes(b"zip")
    (settings.media / "unknown").mkdir()
    said: list[str] = []
    backup.back_up(settings, tmp_path / "all.tar", said.append)
    backup.restore(empty, tmp_path / "all.tar", said.append)
    assert "1 shots, 1 clips" in said[0]
    again = Database(empty.database_url)
    with again.transaction() as session:
        found = shots.load(session, shot.id)
        assert (found.settings.name, found.revision) == ("Panel at night", 1)
        assert shots.undo(session, shot.id, 1).shot.settings.name == "Bench"
        assert session.get_one(JobRow, going.id).state == "failed"
        assert session.get(IntakeRow, "half") is None
    again.close()
    assert [p.name for p in empty.media.iterdir()] == [CLIP]
    assert (empty.media / CLIP / "clip.json").read_text() == ABOUT.model_dump_json()
    assert deliveries.path(empty.deliveries, done.id).read_bytes() == b"zip"


def test_nothing_is_overwritten(database: Database, settings: Settings, empty: Settings, tmp_path: Path) -> None:
    out = tmp_path / "all.tar"
    backup.back_up(settings, out, lambda _: None)
    with pytest.raises(StoreError, match="is there already"):
        backup.back_up(settings, out, lambda _: None)
    with pytest.raises(StoreError, match="database holds something"):
        backup.restore(settings, out, lambda _: None)
    empty.make_folders()
    (empty.media / "x").write_text("somebody's")
    with pytest.raises(StoreError, match="holds something already"):
        backup.restore(empty, out, lambda _: None)
    assert (empty.media / "x").read_text() == "somebody's"


@pytest.mark.parametrize("content", [b"", b"no archive", b"\0" * 10240])
def test_what_is_no_backup_is_refused_and_leaves_nothing(empty: Settings, tmp_path: Path, content: bytes) -> None:
    (tmp_path / "all.tar").write_bytes(content)
    with pytest.raises(StoreError, match="cannot be read as a backup"):
        backup.restore(empty, tmp_path / "all.tar", lambda _: None)
    assert [p for p in empty.files.rglob("*") if p.is_file()] == []
