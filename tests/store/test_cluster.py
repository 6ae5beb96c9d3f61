"""The private cluster: nobody enters without a password, and the application is no superuser."""

from __future__ import annotations

import stat
from pathlib import Path
from uuid import uuid4

import psycopg
import pytest

from wiseglove.store.cluster import APPLICATION, SUPERUSER, Cluster
from wiseglove.store.database import migrate


@pytest.mark.parametrize("role", [SUPERUSER, APPLICATION, "postgres"])
@pytest.mark.parametrize("password", ["", ":wrong"])
def test_nobody_enters_without_the_password(cluster: Cluster, role: str, password: str) -> None:
    with pytest.raises(psycopg.OperationalError):
        psycopg.connect(f"postgresql://{role}{password}@127.0.0.1:{cluster.port}/template_ours", connect_timeout=10)


def test_the_application_rules_its_own_database_only(cluster: Cluster, url: str) -> None:
    with psycopg.connect(url, autocommit=True) as connection:
        found = connection.execute(
            "select rolsuper, rolcreaterole, rolcreatedb, rolbypassrls from pg_roles where rolname = current_user"
        ).fetchone()
        assert found == (False, False, False, False)
        for forbidden in ("copy shots to program 'true'", "select pg_read_file('/etc/passwd')", "create role other"):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                connection.execute(forbidden.encode())


def test_the_passwords_are_for_their_owner_only(tmp_path: Path) -> None:
    cluster = Cluster(tmp_path / "postgres", durable=False)
    cluster.start()
    try:
        assert stat.S_IMODE(cluster.secret.stat().st_mode) == 0o600
        first = cluster.url()
    finally:
        cluster.stop()
    again = Cluster(tmp_path / "postgres", durable=False)
    again.start()
    again.stop()
    assert again.url().split("@")[0] == first.split("@")[0]


def test_what_belonged_to_the_superuser_is_handed_over(cluster: Cluster) -> None:
    """A database from when the application was the superuser."""
    name = f"t{uuid4().hex[:12]}"
    cluster.sql(f"create database {name}")
    migrate(cluster.url(name, SUPERUSER))
    cluster.ensure_database(name)
    with psycopg.connect(cluster.url(name)) as connection:
        connection.execute("insert into clips (id, info) values ('x', '{}')")
        connection.execute("alter table shots add column more int")
        owners = connection.execute(
            "select distinct pg_get_userbyid(relowner) from pg_class where relnamespace = 'public'::regnamespace"
        ).fetchall()
        assert owners == [(APPLICATION,)]
    cluster.sql(f"drop database {name} with (force)")
