"""People who may sign in, and their sessions.

Passwords are kept as Argon2id hashes (RFC 9106). A session is a random token in a cookie, of which only a SHA-256 is stored.
After a few wrong passwords each further try has to wait longer, for that name and however many ask at once.
"""

from __future__ import annotations

import hashlib
import secrets
import unicodedata
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from threading import BoundedSemaphore
from typing import Literal

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError, VerifyMismatchError
from pydantic import BaseModel
from sqlalchemy import ColumnElement, delete, func, select, update
from sqlalchemy.orm import Session

from wiseglove.store.database import Database
from wiseglove.store.errors import NotFoundError, StoreError
from wiseglove.store.tables import SessionRow, UserRow

Role = Literal["artist", "reviewer"]
SHORTEST_PASSWORD = 10
LONGEST_PASSWORD = 200
FREE_TRIES = 5
LONGEST_WAIT = timedelta(minutes=15)
UNUSED_FOR = timedelta(days=7)
"""A session that is not used for so long is over."""
OLDEST = timedelta(days=30)
_hasher = PasswordHasher()
_at_once = BoundedSemaphore(2)
"""Hashing takes 64 MB each: not as many at once as there are who ask."""


class Person(BaseModel):
    """Somebody who may sign in."""

    name: str
    role: Role


class WrongPasswordError(StoreError):
    """A name and a password that do not belong together."""


class WaitError(StoreError):
    """Too many wrong passwords; `seconds` until the next try counts."""

    def __init__(self, seconds: int) -> None:
        super().__init__(
            f"There were several wrong passwords for this name. Nothing is lost; wait {seconds} s, then try again."
        )
        self.seconds = seconds


def add(session: Session, name: str, role: Role, password: str) -> Person:
    """Somebody new, or a new password and role of somebody; then all of their sessions end. Raises StoreError."""
    name = _checked_name(name)
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise StoreError(f"A password has {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters. Nobody was added.")
    session.merge(UserRow(name=name, role=role, password=_hashed(password), failures=0, failed_at=None))
    session.execute(delete(SessionRow).where(SessionRow.person == name))
    return Person(name=name, role=role)


def listed(session: Session) -> list[Person]:
    """Everybody, by name."""
    rows = session.scalars(select(UserRow).order_by(UserRow.name))
    return [Person.model_validate(row, from_attributes=True) for row in rows]


def remove(session: Session, name: str) -> None:
    """Somebody may not sign in any more, and is signed out. Raises NotFoundError."""
    row = session.get(UserRow, _checked_name(name))
    if row is None:
        raise NotFoundError(f"There is nobody called {name}.")
    session.delete(row)


def sign_in(database: Database, name: str, password: str) -> tuple[Person, str] | None:
    """A new session's token, or None where name and password do not belong together. Raises WaitError.

    Each try is counted before the password is looked at, so that many at once gain nothing.
    """
    with database.transaction() as session:
        row = session.get(UserRow, name, with_for_update=True)
        if row is not None:
            now = datetime.now(UTC)
            over = (row.failed_at or now) + _wait(row.failures)
            if row.failures >= FREE_TRIES and now < over:
                raise WaitError(max(round((over - now).total_seconds()), 1))
            row.failures, row.failed_at = row.failures + 1, now
    # Somebody who is not there takes as long as somebody who is.
    fits = _fits(row.password if row is not None else _nobody(), password)
    if row is None or not fits:
        return None
    token = secrets.token_urlsafe(32)
    with database.transaction() as session:
        session.execute(update(UserRow).where(UserRow.name == name).values(failures=0, failed_at=None))
        session.add(SessionRow(token=_kept(token), person=name))
        session.execute(delete(SessionRow).where(_over()))
    return Person.model_validate(row, from_attributes=True), token


def who(session: Session, token: str) -> Person | None:
    """Whose session it is, where it is not over."""
    row = session.scalars(
        update(SessionRow)
        .where(SessionRow.token == _kept(token), ~_over())
        .values(used_at=func.now())
        .returning(SessionRow.person)
    ).first()
    person = session.get(UserRow, row) if row is not None else None
    return Person.model_validate(person, from_attributes=True) if person is not None else None


def sign_out(session: Session, token: str) -> None:
    """End a session."""
    session.execute(delete(SessionRow).where(SessionRow.token == _kept(token)))


def _over() -> ColumnElement[bool]:
    return (SessionRow.used_at < func.now() - UNUSED_FOR) | (SessionRow.made_at < func.now() - OLDEST)


def _wait(failures: int) -> timedelta:
    return min(timedelta(seconds=2 ** min(max(failures - FREE_TRIES, 0), 12)), LONGEST_WAIT)


def _kept(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _hashed(password: str) -> str:
    with _at_once:
        return _hasher.hash(unicodedata.normalize("NFKC", password))


@lru_cache(maxsize=1)
def _nobody() -> str:
    return _hashed(secrets.token_urlsafe())


def _fits(kept: str, password: str) -> bool:
    if len(password) > LONGEST_PASSWORD:
        return False
    with _at_once:
        try:
            return _hasher.verify(kept, unicodedata.normalize("NFKC", password))
        except (VerifyMismatchError, VerificationError, InvalidHashError):
            return False


def _checked_name(name: str) -> str:
    name = name.strip()
    if not 1 <= len(name) <= 40 or not name.isprintable():
        raise StoreError("A name has 1 to 40 printable characters. Nobody was added.")
    return name
