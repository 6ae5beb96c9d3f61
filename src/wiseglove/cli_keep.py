"""Commands about people and backups."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from wiseglove.settings import Settings, get_settings

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

app = typer.Typer()
users = typer.Typer(no_args_is_help=True, help="Who may sign in.")
app.add_typer(users, name="users")
Folder = Annotated[
    Path | None, typer.Option(help="The folder of a demo that runs, such as .run; else WISEGLOVE_DATABASE_URL counts.")
]


def _settings_of(folder: Path | None) -> Settings:
    """The settings, or those of a demo that runs in a folder."""
    if folder is None:
        return get_settings()
    from wiseglove.store.cluster import Cluster, ClusterError

    cluster = Cluster(folder / "postgres")
    try:
        cluster.find()
    except ClusterError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from error
    return Settings(database_url=cluster.url(), files=folder / "files")


@contextlib.contextmanager
def _transaction(folder: Path | None) -> Iterator[Session]:
    """A transaction on the database; what it refuses is said, and ends the command."""
    from wiseglove.store.database import Database, migrate
    from wiseglove.store.errors import StoreError

    settings = _settings_of(folder)
    migrate(settings.database_url)
    database = Database(settings.database_url)
    try:
        with database.transaction() as session:
            yield session
    except StoreError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from error
    finally:
        database.close()


@users.command("add")
def add_user(
    name: str,
    role: Annotated[
        Literal["artist", "reviewer"], typer.Option(help="artist, or reviewer, who reads only.")
    ] = "artist",
    folder: Folder = None,
) -> None:
    """Let somebody sign in, or give a new password; it is read from the terminal, or from standard input."""
    from wiseglove.store import people

    if sys.stdin.isatty():
        password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    else:
        password = sys.stdin.readline().rstrip("\n")
    with _transaction(folder) as session:
        person = people.add(session, name, role, password)
    typer.echo(f"{person.name} may sign in, as {person.role}.")


@users.command("list")
def list_users(folder: Folder = None) -> None:
    """Everybody who may sign in."""
    from wiseglove.store import people

    with _transaction(folder) as session:
        for person in people.listed(session):
            typer.echo(f"{person.role}\t{person.name}")


@users.command("remove")
def remove_user(name: str, folder: Folder = None) -> None:
    """Somebody may not sign in any more; what they made stays."""
    from wiseglove.store import people

    with _transaction(folder) as session:
        people.remove(session, name)
    typer.echo(f"{name} is signed out and may not sign in any more.")


@app.command()
def backup(out: Annotated[Path, typer.Argument(help="The file to write.")], folder: Folder = None) -> None:
    """Write all shots, clips and deliveries to one file, also while everything runs."""
    from wiseglove.store.backup import back_up
    from wiseglove.store.errors import StoreError

    try:
        back_up(_settings_of(folder), out, typer.echo)
    except StoreError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(1) from error


@app.command()
def restore(archive: Annotated[Path, typer.Argument(help="A file that wiseglove backup wrote.")]) -> None:
    """Put a backup into the empty database WISEGLOVE_DATABASE_URL and the empty folder WISEGLOVE_FILES."""
    from wiseglove.store.backup import restore as put_back
    from wiseglove.store.errors import StoreError

    try:
        put_back(get_settings(), archive, typer.echo)
    except StoreError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(1) from error
