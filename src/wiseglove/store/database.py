"""Connections and migrations."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Concatenate, ParamSpec, TypeVar

from alembic import command
from alembic.config import Config
from pydantic_core import from_json, to_json
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

from wiseglove.store.recent import MOST, RECENT, VERSIONS, RecentShots, RecentVersions

P = ParamSpec("P")
T = TypeVar("T")
LIMITS = "-c lock_timeout=8s -c statement_timeout=30s -c idle_in_transaction_session_timeout=30s"
"""How long a statement waits for a lock, how long it may take, and how long a transaction may do nothing."""
QUEUE_FOR_CONNECTION = 10.0
"""Seconds to wait for one of the connections."""


def make_engine(url: str, limits: str = LIMITS) -> Engine:
    """An engine on psycopg 3 for a postgresql:// URL; limits: options of the server for its connections."""
    return create_engine(
        url.replace("postgresql://", "postgresql+psycopg://", 1), pool_size=8, max_overflow=24, pool_pre_ping=True,
        json_serializer=_to_json, json_deserializer=from_json,
        pool_timeout=QUEUE_FOR_CONNECTION, connect_args={"options": limits, "connect_timeout": 10},
    )  # fmt: skip


def _to_json(value: object) -> str:
    """Five times as quick as the standard library's, which a shot with many keys needs."""
    return to_json(value).decode()


def migrate(url: str, to: str = "head") -> None:
    """Bring the database to the newest schema, or to an older one on the way there."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    command.upgrade(config, to)


class Database:
    """Hands out transactions; at_hand: how many shots are kept as they were read."""

    def __init__(self, url: str, at_hand: int = MOST) -> None:
        self.engine = make_engine(url)
        at_hand_here = {RECENT: RecentShots(at_hand), VERSIONS: RecentVersions()}
        self._sessions = sessionmaker(self.engine, expire_on_commit=False, info=at_hand_here)

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        """A session that commits at the end, or rolls back when something is raised."""
        with self._sessions.begin() as session:
            yield session

    def within(self, what: Callable[Concatenate[Session, P], T], *args: P.args, **words: P.kwargs) -> T:
        """What a function returns that is given a transaction of its own."""
        with self.transaction() as session:
            return what(session, *args, **words)

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()
