"""Packages on disk: each belongs to a job that is done, and goes when that is gone."""

from __future__ import annotations

import shutil
import time
from pathlib import Path

from sqlalchemy import select

from wiseglove.store.database import Database
from wiseglove.store.locks import may_delete
from wiseglove.store.tables import JobRow

UNFINISHED = 24 * 3600.0
"""Seconds after which what nobody goes on writing to is deleted: left by a worker that was killed."""


def path(folder: Path, job: str) -> Path:
    """Where a job's package is."""
    return folder / f"{job}.zip"


def sweep(database: Database, folder: Path) -> int:
    """Delete packages whose job is gone, and what was left unfinished long ago; how many files."""
    entries = list(folder.iterdir())  # before the jobs are asked for: a job is there before its package is
    with database.transaction() as session:
        if not may_delete(session):
            return 0
        known = set(session.scalars(select(JobRow.id).where(JobRow.kind == "deliver")))
    border, gone = time.time() - UNFINISHED, 0
    for entry in entries:
        try:
            keep = entry.stem in known if entry.suffix == ".zip" else entry.stat().st_mtime > border
            if keep:
                continue
            shutil.rmtree(entry) if entry.is_dir() else entry.unlink()
            gone += 1
        except FileNotFoundError:  # its own job was quicker
            continue
    return gone
