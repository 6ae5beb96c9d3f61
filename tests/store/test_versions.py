"""Versions: what was kept before they were packed is read as it was, and what is at hand is never another shot's."""

from __future__ import annotations

import psycopg
import pytest
from psycopg.types.json import Jsonb
from sqlalchemy.orm import Session

from tests.builders import shot_with_hand_and_pane
from tests.databases import older
from wiseglove.store import versions
from wiseglove.store.cluster import Cluster
from wiseglove.store.database import Database, migrate
from wiseglove.store.errors import NotFoundError


def insert(connection: psycopg.Connection, table: str, **row: object) -> None:
    names, places = ", ".join(row), ", ".join(["%s"] * len(row))
    connection.execute(f"insert into {table} ({names}) values ({places})".encode(), list(row.values()))


def written(connection: psycopg.Connection, document: object | None = None) -> None:
    """A shot, and where a document is given a first version of it as it was kept until format 0008."""
    plate = Jsonb(shot_with_hand_and_pane().plate.model_dump(mode="json"))
    insert(connection, "clips", id="c1", info=Jsonb({}))
    insert(connection, "shots", id="s1", name="Tap", clip="c1", plate=plate, revision=2)
    if document is not None:
        insert(
            connection, "versions", shot="s1", number=1, name="First pass", comment="", frame=1001, revision=2,
            document=Jsonb(document),
        )  # fmt: skip


def test_a_version_of_an_older_database_is_read_as_it_was(cluster: Cluster) -> None:
    shot = shot_with_hand_and_pane()
    with older(cluster, "0008") as url:
        with psycopg.connect(url) as connection:
            written(connection, shot.document.model_dump(mode="json"))
        migrate(url)
        database = Database(url)
        with database.transaction() as session:
            assert versions.opened(session, "s1", 1).document == shot.document
            with pytest.raises(NotFoundError):
                versions.opened(session, "s1", 2)
        database.close()


def given_up(session: Session) -> None:
    assert versions.make(session, "s1", "First pass", "", 1001, None).number == 1
    raise RuntimeError("no")


def test_a_version_is_at_hand_only_once_it_is_kept_and_is_the_same_read_anew(url: str) -> None:
    with psycopg.connect(url) as connection:
        written(connection)
    database, other = Database(url), Database(url)
    with pytest.raises(RuntimeError, match="no"):
        database.within(given_up)
    with pytest.raises(NotFoundError), database.transaction() as session:
        versions.opened(session, "s1", 1)
    with database.transaction() as session:
        versions.make(session, "s1", "Second try", "", 1001, None)
    with database.transaction() as session:
        kept = versions.opened(session, "s1", 1)
    with other.transaction() as session:
        read = versions.opened(session, "s1", 1)
    assert read is not kept
    assert read.document == kept.document
    for one in (database, other):
        one.close()
