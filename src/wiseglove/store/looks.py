"""Pictures of shots that were rendered already, on disk, within a bound; named by all that they come from."""

from __future__ import annotations

import hashlib
import logging
import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path

import numpy as np
from diskcache import Cache, Timeout
from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.store.tables import RevisionRow

log = logging.getLogger(__name__)
FAILURES = (Timeout, sqlite3.Error, OSError)
"""What a full or broken disk raises: a picture is then rendered as if it had never been."""


@lru_cache(maxsize=1)
def _code() -> str:
    """Another program may render otherwise: what its files are, as far as their times and sizes tell."""
    root = Path(__file__).parents[1]
    found = sorted((str(p.relative_to(root)), p.stat().st_mtime_ns, p.stat().st_size) for p in root.rglob("*.py"))
    return hashlib.sha256(repr(found).encode()).hexdigest()[:16]


def key(shot: EvaluatedShot, frame: int, since: str, shown: str) -> str:
    """The name of a frame's picture; since: see below; shown: the look, and how it is shown."""
    return f"{_code()} {shot.id} {frame} {since} {shown}"


def since(session: Session, shot: EvaluatedShot, frame: int) -> str:
    """The change since which a frame of a shot looks as it does at its revision.

    It is told by its number and time: after going back to a backup the same numbers come again.
    """
    touched = _changes(shot).where(RevisionRow.first <= frame, RevisionRow.last >= frame)
    found = session.execute(touched.order_by(RevisionRow.revision.desc()).limit(1)).first()
    if found is not None:
        return _mark(found.revision, found.made_at)
    oldest = session.execute(_changes(shot).order_by(RevisionRow.revision).limit(1)).first()
    return _forgotten(shot, None if oldest is None else oldest.revision)


def since_all(session: Session, shot: EvaluatedShot) -> list[str]:
    """The same for every frame of the plate."""
    rows = session.execute(_changes(shot).order_by(RevisionRow.revision)).all()
    plate = shot.plate
    newest = np.full(plate.count, -1)
    for number, row in enumerate(rows):
        if row.first is not None and row.last is not None:
            newest[max(row.first - plate.first, 0) : max(row.last - plate.first + 1, 0)] = number
    marks = [_mark(r.revision, r.made_at) for r in rows]
    forgotten = _forgotten(shot, rows[0].revision if rows else None)
    return [marks[n] if n >= 0 else forgotten for n in newest]


def _changes(shot: EvaluatedShot) -> Select[int, int | None, int | None, datetime]:
    query = select(RevisionRow.revision, RevisionRow.first, RevisionRow.last, RevisionRow.made_at)
    return query.where(RevisionRow.shot == shot.id, RevisionRow.revision <= shot.revision)


def _mark(revision: int, made_at: datetime) -> str:
    return f"{revision}@{made_at.timestamp():.6f}"


def _forgotten(shot: EvaluatedShot, oldest: int | None) -> str:
    """Changes that are not known any more may have touched every frame."""
    return f"{shot.revision if oldest is None else oldest - 1}"


@dataclass(frozen=True)
class Rendered:
    """A picture as it was sent: its bytes, and the seconds its solved soft edge took, as they were told."""

    data: bytes
    soft_edge: str | None = None

    @property
    def media_type(self) -> str:
        """Mattes are PNG, the others JPEG."""
        return "image/png" if self.data.startswith(b"\x89PNG") else "image/jpeg"


class LookCache:
    """The least recently used go first when `most` bytes are passed; what cannot be kept is only slower."""

    def __init__(self, folder: Path, most: int) -> None:
        self._cache: Cache | None = None
        try:
            self._cache = Cache(str(folder), size_limit=most, eviction_policy="least-recently-used")
        except FAILURES as error:
            log.warning("Rendered pictures cannot be kept in %s: %s. They are rendered each time.", folder, error)

    def get(self, key: str) -> Rendered | None:
        """A picture that was kept."""
        if self._cache is None:
            return None
        try:
            data, soft_edge = self._cache.get(key, default=None, tag=True)
        except FAILURES:
            return None
        return None if data is None else Rendered(data, soft_edge)

    def put(self, key: str, rendered: Rendered) -> None:
        """Keep a picture, if that can be."""
        if self._cache is None:
            return
        try:
            self._cache.set(key, rendered.data, tag=rendered.soft_edge)
        except FAILURES as error:
            log.warning("A rendered picture could not be kept: %s", error)

    def which(self, keys: Iterable[str]) -> list[bool]:
        """Which of these are kept."""
        if self._cache is None:
            return [False for _ in keys]
        try:
            return [key in self._cache for key in keys]
        except FAILURES:
            return [False for _ in keys]

    def close(self) -> None:
        """Let go of the files."""
        if self._cache is not None:
            self._cache.close()
