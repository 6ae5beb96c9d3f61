"""Advisory locks of PostgreSQL that parts of the application agree on."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

KEEP_ALL = 0x57474B41
"""Held while a backup is taken: nothing that is stored may be deleted from disk."""


def may_delete(session: Session) -> bool:
    """Whether files may be deleted now; if so, no backup begins until the transaction ends."""
    return bool(session.scalar(select(func.pg_try_advisory_xact_lock_shared(KEEP_ALL))))
