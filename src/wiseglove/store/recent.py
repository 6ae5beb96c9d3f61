"""The last few shots of a database as they were read or made, each good while its revision is the database's."""

from __future__ import annotations

from threading import Lock

from cachetools import LRUCache
from sqlalchemy import event
from sqlalchemy.orm import Session

from wiseglove.shot.evaluated import EvaluatedShot

RECENT = "recent shots"
"""Under which a session's `info` has them."""
MOST = 16
"""Shots that are kept, if nothing else is said."""
VERSIONS = "recent versions"
"""The same for versions of shots."""
MOST_VERSIONS = 8


class RecentShots:
    """Shots by id; only committed ones are ever put in."""

    def __init__(self, most: int = MOST) -> None:
        self._shots: LRUCache[str, EvaluatedShot] = LRUCache(most)
        self._lock = Lock()

    def find(self, shot: str, revision: int) -> EvaluatedShot | None:
        """A shot at that very revision, if it is at hand."""
        with self._lock:
            found = self._shots.get(shot)
        return found if found is not None and found.revision == revision else None

    def _keep(self, shot: EvaluatedShot) -> None:
        with self._lock:
            there = self._shots.get(shot.id)
            if there is None or there.revision <= shot.revision:
                self._shots[shot.id] = shot


class RecentVersions:
    """Versions by shot and number, which never change; only committed ones are ever put in."""

    def __init__(self) -> None:
        self._versions: LRUCache[tuple[str, int], EvaluatedShot] = LRUCache(MOST_VERSIONS)
        self._lock = Lock()

    def find(self, shot: str, number: int) -> EvaluatedShot | None:
        """A version, if it is at hand."""
        with self._lock:
            return self._versions.get((shot, number))

    def keep_when_committed(self, session: Session, number: int, version: EvaluatedShot) -> None:
        """Have a version at hand from when the session's transaction is committed; never if it is not."""

        def keep(_: Session) -> None:
            with self._lock:
                self._versions[version.id, number] = version

        event.listen(session, "after_commit", keep, once=True)


def recent_versions(session: Session) -> RecentVersions:
    """The recent versions of a session's database."""
    found = session.info[VERSIONS]
    assert isinstance(found, RecentVersions)
    return found


def recent(session: Session) -> RecentShots:
    """The recent shots of a session's database."""
    found = session.info[RECENT]
    assert isinstance(found, RecentShots)
    return found


def keep_when_committed(session: Session, shot: EvaluatedShot) -> None:
    """Have a shot at hand from when the session's transaction is committed; never if it is not."""
    shots = recent(session)
    event.listen(session, "after_commit", lambda _: shots._keep(shot), once=True)
