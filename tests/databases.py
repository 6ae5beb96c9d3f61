"""Databases for tests: copies of a template, which are emptied and lent again, as making and dropping one takes far longer."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from uuid import uuid4

import psycopg
from psycopg import sql

from wiseglove.store.cluster import SUPERUSER, Cluster
from wiseglove.store.database import migrate

EMPTY = "template_empty"
TABLES = "select tablename from pg_tables where schemaname = 'public' order by 1"
SEQUENCES = "select sequencename, last_value from pg_sequences where schemaname = 'public'"


@dataclass(frozen=True)
class Contents:
    """What is in a template: the rows of its tables as COPY gives them, and where its sequences are."""

    rows: dict[str, bytes]
    sequences: dict[str, int | None]


@dataclass
class Databases:
    """Lends databases that look as their template does."""

    cluster: Cluster
    _contents: dict[str, Contents] = field(default_factory=dict)
    _free: dict[str, list[str]] = field(default_factory=lambda: defaultdict(list))

    def __post_init__(self) -> None:
        self.cluster.ensure_database(EMPTY)
        migrate(self.cluster.url(EMPTY))
        self.remember(EMPTY)

    def copy(self, template: str, name: str) -> str:
        """A new database; its url."""
        self.cluster.sql(f"create database {name} template {template}")
        return self.cluster.url(name)

    def remember(self, template: str) -> None:
        """Let a database be a template from now on. Whoever is connected to it is put out."""
        with psycopg.connect(self.cluster.url(template, SUPERUSER), autocommit=True) as connection:
            _alone(connection)
            rows = {}
            for (table,) in connection.execute(TABLES).fetchall():
                with connection.cursor().copy(sql.SQL("copy {} to stdout").format(sql.Identifier(table))) as copy:
                    rows[table] = b"".join(bytes(part) for part in copy)
            self._contents[template] = Contents(rows, dict(connection.execute(SEQUENCES).fetchall()))

    def lend(self, template: str) -> str:
        """The name of a database that looks as the template does."""
        if self._free[template]:
            return self._free[template].pop()
        name = f"t{uuid4().hex[:12]}"
        self.copy(template, name)
        return name

    def take_back(self, name: str, template: str) -> None:
        """Make a database look as its template again."""
        contents = self._contents[template]
        with psycopg.connect(self.cluster.url(name, SUPERUSER), autocommit=True) as connection:
            _alone(connection)
            with connection.transaction():
                connection.execute("set local session_replication_role = replica")  # no triggers, no order of tables
                tables = sql.SQL(", ").join(map(sql.Identifier, contents.rows))
                connection.execute(sql.SQL("truncate {} restart identity").format(tables))
                for table, rows in contents.rows.items():
                    into = sql.SQL("copy {} from stdin").format(sql.Identifier(table))
                    with connection.cursor().copy(into) as copy:
                        copy.write(rows)
                for sequence, last in contents.sequences.items():
                    if last is not None:
                        connection.execute("select setval(%s, %s)", [sequence, last])
        self._free[template].append(name)


@contextmanager
def older(cluster: Cluster, version: str) -> Iterator[str]:
    """The url of a database as a version of the schema had it, which goes with the test."""
    name = f"old{uuid4().hex[:12]}"
    cluster.ensure_database(name)
    migrate(cluster.url(name), version)
    yield cluster.url(name)
    cluster.sql(f"drop database {name} with (force)")


def _alone(connection: psycopg.Connection) -> None:
    """Put out everybody else, and wait until they are gone."""
    connection.execute(
        "select pg_terminate_backend(pid, 5000) from pg_stat_activity "
        "where datname = current_database() and pid <> pg_backend_pid() and backend_type = 'client backend'"
    )
