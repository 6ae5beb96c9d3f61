"""All that is stored in one file, taken while the application runs, and put back into an empty place.

The file is a tar archive: `about.json`, `database.dump` (pg_dump's custom format, one snapshot), `media/` and `deliveries/`.
What a clip or package consists of never changes once the database names it, so it is copied after the snapshot; that none is
deleted meanwhile is seen to by a lock that the sweepers respect. Files that are just being taken in are left out.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Protocol

import psycopg
from psycopg.conninfo import conninfo_to_dict, make_conninfo
from sqlalchemy import delete, func, select, text, update

from wiseglove.store import deliveries
from wiseglove.store.cluster import programs
from wiseglove.store.database import Database, migrate
from wiseglove.store.errors import StoreError
from wiseglove.store.locks import KEEP_ALL
from wiseglove.store.tables import ClipRow, IntakeRow, JobRow, ShotRow, WorkerRow

VERSION = 1
Say = Callable[[str], None]


class Places(Protocol):
    """Where everything is."""

    @property
    def database_url(self) -> str: ...
    @property
    def files(self) -> Path: ...
    @property
    def media(self) -> Path: ...
    @property
    def deliveries(self) -> Path: ...
    def make_folders(self) -> None: ...


def back_up(settings: Places, out: Path, say: Say) -> None:
    """Write everything to a file, whole or not at all. Raises StoreError."""
    if out.exists():
        raise StoreError(f"{out} is there already. Nothing was written; name another file, or delete it first.")
    if not out.parent.is_dir():
        raise StoreError(f"There is no folder {out.parent}. Nothing was written; make it first.")
    part = out.with_name(out.name + ".part")
    database = Database(settings.database_url)
    try:
        with (
            psycopg.connect(settings.database_url, autocommit=True) as keeping,
            tempfile.TemporaryDirectory(dir=out.parent) as scratch,
        ):
            keeping.execute("select pg_advisory_lock(%s)", [KEEP_ALL])
            dump = Path(scratch) / "database.dump"
            _run(settings.database_url, "pg_dump", "--format=custom", f"--file={dump}")
            with database.transaction() as session:
                clips = session.scalars(select(ClipRow.id)).all()
                done = session.scalars(select(JobRow.id).where(JobRow.kind == "deliver", JobRow.state == "done")).all()
                shots = session.scalar(select(func.count()).select_from(ShotRow))
            about = {"version": VERSION, "made": datetime.now(UTC).isoformat(timespec="seconds"), "shots": shots}
            (Path(scratch) / "about.json").write_text(json.dumps(about))
            with tarfile.open(part, "w") as archive:
                archive.add(Path(scratch) / "about.json", "about.json")
                archive.add(dump, "database.dump")
                for clip in clips:
                    archive.add(settings.media / clip, f"media/{clip}")
                for job in done:
                    package = deliveries.path(settings.deliveries, job)
                    if package.exists():
                        archive.add(package, f"deliveries/{package.name}")
        part.replace(out)
        say(f"{shots} shots, {len(clips)} clips and {out.stat().st_size / 1e6:,.1f} MB are in {out}.")
    except (OSError, psycopg.Error) as error:
        raise StoreError(f"The backup could not be written: {error}. What is stored is untouched.") from error
    finally:
        part.unlink(missing_ok=True)
        database.close()


def restore(settings: Places, archive: Path, say: Say) -> None:
    """Put a backup into an empty database and an empty folder. Raises StoreError; then the folder is empty again."""
    _check_empty(settings)
    settings.make_folders()
    try:
        with tarfile.open(archive) as opened, tempfile.TemporaryDirectory(dir=settings.files) as scratch:
            opened.extractall(scratch, filter="data")
            about = json.loads((Path(scratch) / "about.json").read_text())
            if about["version"] != VERSION:
                raise StoreError(
                    f"{archive} was written by a newer version. Nothing was restored; restore it with that."
                )
            for name, folder in (("media", settings.media), ("deliveries", settings.deliveries)):
                if (Path(scratch) / name).is_dir():
                    for entry in (Path(scratch) / name).iterdir():
                        entry.rename(folder / entry.name)
            _run(
                settings.database_url, "pg_restore", "--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction",
                str(Path(scratch) / "database.dump"),
            )  # fmt: skip
    except (OSError, tarfile.TarError, KeyError, ValueError) as error:
        for folder in (settings.media, settings.deliveries):
            shutil.rmtree(folder, ignore_errors=True)
        if isinstance(error, StoreError):
            raise
        raise StoreError(f"{archive} cannot be read as a backup: {error}. Nothing was restored.") from error
    migrate(settings.database_url)
    _tidy(settings)
    say(f"{about['shots']} shots of {about['made']} are restored.")


def _check_empty(settings: Places) -> None:
    with psycopg.connect(settings.database_url) as connection:
        tables = connection.execute("select count(*) from pg_tables where schemaname = 'public'").fetchone()
    if tables and tables[0]:
        raise StoreError("The database holds something already. Nothing was restored; name an empty one.")
    if settings.files.exists() and any(p.is_file() for p in settings.files.rglob("*")):
        raise StoreError(f"{settings.files} holds something already. Nothing was restored; name an empty folder.")


def _tidy(settings: Places) -> None:
    """What was under way when the backup was taken cannot go on: its files are not in it."""
    database = Database(settings.database_url)
    with database.transaction() as session:
        words = "This was under way when the backup was taken. Start it again."
        going = JobRow.state.in_(["queued", "running"])
        session.execute(update(JobRow).where(going).values(state="failed", message=words))
        session.execute(delete(IntakeRow).where(IntakeRow.state != "done"))
        session.execute(text("delete from procrastinate_jobs where status in ('todo', 'doing')"))
        session.execute(text("delete from procrastinate_workers"))
        session.execute(delete(WorkerRow))
    database.close()


def _run(url: str, program: str, *words: str) -> None:
    """One of PostgreSQL's programs; the password goes through its environment, for everybody can read command lines."""
    parts = conninfo_to_dict(url)
    environment = {**os.environ, "PGPASSWORD": str(parts.pop("password", ""))}
    where = f"--dbname={make_conninfo('', **parts)}"
    command = [str(programs() / program), where, *words]
    ended = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    if ended.returncode:
        raise StoreError(f"{program} failed: {ended.stderr.strip()[:500]}")
