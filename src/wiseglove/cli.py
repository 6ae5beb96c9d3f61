"""The command line: the same work without a page, and the commands that start everything."""

from __future__ import annotations

import contextlib
import ipaddress
import logging
import os
import re
import shutil
import signal
import socket
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, Any, TypeVar, get_args

import numpy as np
import typer
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from wiseglove.core.motion.channels import Channel
from wiseglove.core.motion.models import MODELS
from wiseglove.media.errors import MediaError
from wiseglove.media.probe import probe as probe_files
from wiseglove.settings import Settings, get_settings

Choice = TypeVar("Choice")
app = typer.Typer(no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False)


@app.callback()
def main() -> None:
    """Animated spline mattes that keep hands and props in front of inserted pictures."""
    logging.basicConfig(level=logging.INFO, format="%(levelname)s %(name)s: %(message)s")
    for chatty in ("alembic", "procrastinate"):
        logging.getLogger(chatty).setLevel(logging.WARNING)


@app.command()
def probe(files: Annotated[list[Path], typer.Argument(help="One movie, or the pictures of one sequence.")]) -> None:
    """Say what files are, as the intake page would."""
    for path in files:
        if not path.is_file():
            typer.echo(f"There is no file {path}.", err=True)
            raise typer.Exit(2)
    try:
        typer.echo(probe_files(files, get_settings().limits).model_dump_json(indent=2, exclude={"numbers"}))
    except MediaError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(1) from error


@app.command()
def serve(
    port: int = 8017,
    bind: Annotated[
        str, typer.Option(help="The address to listen on; other than loopback, people sign in.")
    ] = "127.0.0.1",
) -> None:
    """Serve page and API; the database is WISEGLOVE_DATABASE_URL."""
    import uvicorn

    from wiseglove.api.app import create_app
    from wiseglove.store import people
    from wiseglove.store.database import Database, migrate

    settings = get_settings()
    migrate(settings.database_url)
    if not _is_loopback(bind):
        database = Database(settings.database_url)
        with database.transaction() as session:
            anybody = bool(people.listed(session))
        database.close()
        if not settings.sign_in or not anybody:
            typer.echo(
                f"{bind} can be reached from other machines, so people have to sign in, and "
                + ("there is nobody who could. " if settings.sign_in else "signing in is off. ")
                + "Nothing was started. Add somebody with wiseglove users add NAME, set WISEGLOVE_SIGN_IN=true and "
                "WISEGLOVE_HOSTS to the names under which it is reached, then start it again.",
                err=True,
            )
            raise typer.Exit(2)
    uvicorn.run(
        create_app(settings), host=bind, port=port, log_level="warning", ws_per_message_deflate=False,
        timeout_graceful_shutdown=2,
    )  # fmt: skip


def _is_loopback(address: str) -> bool:
    if address == "localhost":
        return True
    try:
        return ipaddress.ip_address(address).is_loopback
    except ValueError:
        return False


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
    role: Annotated[str, typer.Option(help="artist, or reviewer, who reads only.")] = "artist",
    folder: Folder = None,
) -> None:
    """Let somebody sign in, or give a new password; it is read from the terminal, or from standard input."""
    from wiseglove.store import people

    chosen = _one_of(role, get_args(people.Role), "--role")
    if sys.stdin.isatty():
        password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    else:
        password = sys.stdin.readline().rstrip("\n")
    with _transaction(folder) as session:
        person = people.add(session, name, chosen, password)
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


@app.command()
def worker(concurrency: int = 1) -> None:
    """Take long work off the queue: decoding and deliveries."""
    from wiseglove.jobs.queue import work_forever

    settings = get_settings()
    settings.make_folders()
    work_forever(settings, concurrency)


@app.command()
def demo(
    folder: Annotated[Path, typer.Option(help="Where the database, the files and the footage live.")] = Path(".run"),
    port: Annotated[int, typer.Option(help="The page's port; the next free one is taken where it is in use.")] = 8017,
) -> None:
    """Start everything with demo data on 127.0.0.1, until Ctrl+C."""
    from wiseglove.demo.install import install
    from wiseglove.demo.running import Left, Running, RunningError
    from wiseglove.store.cluster import Cluster, ClusterError
    from wiseglove.store.database import Database, migrate

    folder.mkdir(parents=True, exist_ok=True)
    left = Left(folder)
    try:
        left.end(typer.echo)
        left.write(f"http://127.0.0.1:{port}", [])
        cluster = Cluster(folder / "postgres")
        cluster.start()
    except (ClusterError, RunningError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(1) from error
    port = _free_port_from(port)
    running = Running(cluster, left, f"http://127.0.0.1:{port}", typer.echo)
    failed = False

    def settle(what: Any) -> None:
        for which in (signal.SIGINT, signal.SIGTERM):
            signal.signal(which, what)

    def stop(_signal: int, _frame: object) -> None:
        # A second one (from an impatient hand, or from make, which passes it on) would cut the stopping short.
        settle(signal.SIG_IGN)
        raise KeyboardInterrupt

    settle(stop)
    try:
        cluster.ensure_database()
        url = cluster.url()
        migrate(url)
        settings = Settings(database_url=url, files=folder / "files")
        settings.make_folders()
        database = Database(url)
        pending = folder / "demo-shots.pending"
        if install(database, settings, folder / "footage", typer.echo) is not None:
            pending.touch()
        database.close()
        environment = {**os.environ, "WISEGLOVE_DATABASE_URL": url, "WISEGLOVE_FILES": str(settings.files.resolve())}
        for command in (["serve", "--port", str(port)], ["worker"]):
            running.add(command, environment)
        _wait_until_answering(port, running.look)
        typer.echo(f"\nWise Glove is at http://127.0.0.1:{port}  (Ctrl+C stops it)\n")
        if pending.exists():
            typer.echo(
                "Five more demo shots are being rendered, keyed and solved; they appear in the list as they are ready."
            )
            running.also(["demo-shots", str(folder)], environment)
        while True:
            running.look()
            time.sleep(0.3)
    except RunningError as error:
        typer.echo(str(error), err=True)
        failed = True
    except KeyboardInterrupt:
        typer.echo("Stopping ...")
    finally:
        settle(signal.SIG_IGN)
        running.end()
        cluster.stop()
    if failed:
        raise typer.Exit(1)


@app.command("demo-shots", hidden=True)
def demo_shots(folder: Path) -> None:
    """Render, take in and solve the demo's further shots, as a child of `wiseglove demo`."""
    from wiseglove.demo import keyed_shots, solved_shots
    from wiseglove.store.database import Database

    os.nice(10)
    settings = get_settings()
    database = Database(settings.database_url)
    made = [
        s
        for shots in (keyed_shots, solved_shots)
        for s in shots.install(database, settings, folder / "footage", typer.echo)
    ]
    database.close()
    import pymatting  # noqa: F401 -- compiles itself the first time, so that nobody waits for it later

    (folder / "demo-shots.pending").unlink(missing_ok=True)
    typer.echo(f"The demo has {len(made)} more shots now.")


def _free_port_from(port: int) -> int:
    for candidate in range(port, port + 100):
        with socket.socket() as probing:
            if probing.connect_ex(("127.0.0.1", candidate)) != 0:
                return candidate
    raise typer.Exit(1)


def _wait_until_answering(port: int, look: Callable[[], None]) -> None:
    for _ in range(600):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/api/shots", timeout=2).close()
            return
        except OSError:
            look()
            time.sleep(0.1)


@app.command()
def footage(folder: Annotated[Path, typer.Option(help="Where it goes.")] = Path(".run/footage")) -> None:
    """Render the demo footage with its truth, if it is not there yet."""
    from wiseglove.demo.install import render_footage

    folder.mkdir(parents=True, exist_ok=True)
    render_footage(folder, typer.echo)


@app.command()
def solve(
    plate: Annotated[str, typer.Argument(help="A movie, a folder of pictures, or a pattern such as tap.%04d.png.")],
    pane: Annotated[str, typer.Option(help='Four corners on the first frame looked at: "x,y x,y x,y x,y".')],
    out: Annotated[Path, typer.Option(help="The table of corners to write.")],
    patch: Annotated[list[str] | None, typer.Option(help='Where to look: "x,y x,y x,y ...". May be repeated.')] = None,
    blind: Annotated[list[str] | None, typer.Option(help="Where not to look within it. May be repeated.")] = None,
    at: Annotated[
        int | None, typer.Option(help="Frame on which patch and pane are given; the first by default.")
    ] = None,
    range_: Annotated[str, typer.Option("--range", help="First and last frame, A:B.")] = "",
    model: Annotated[str, typer.Option(help="shift, shift_scale, similarity, affine or perspective.")] = "perspective",
    channel: Annotated[str, typer.Option(help="auto, luma, red, green or blue.")] = "auto",
    ignore: Annotated[str | None, typer.Option(help="Pictures whose bright pixels are not looked at.")] = None,
) -> None:
    """Solve the motion of a flat patch and write where the pane's corners are on each frame."""
    from wiseglove.jobs.solve_files import Request, WrongUseError, solve_files, write

    def say(text: str) -> None:
        typer.echo(text, err=True)

    try:
        first, last = _frames(range_)
        request = Request(
            plate, [_places(p, "--patch", 3) for p in patch or []], _places(pane, "--pane", 4, 4),
            [_places(b, "--blind", 3) for b in blind or []], at, first, last,
            _one_of(model, MODELS, "--model"), _one_of(channel, get_args(Channel), "--channel"), ignore,
        )  # fmt: skip
        if not out.parent.is_dir():
            raise WrongUseError(f"There is no folder {out.parent} to write to. Make it first.")
        write(solve_files(request, say), out)
    except (WrongUseError, MediaError) as error:
        say(str(error))
        raise typer.Exit(2) from error


@app.command()
def key(
    plate: Annotated[str, typer.Argument(help="A movie, a folder of pictures, or a pattern such as tap.%04d.png.")],
    out: Annotated[Path, typer.Option(help="The folder to write 16-bit mattes to.")],
    sample: Annotated[
        list[str] | None, typer.Option(help='Part of the backing on the first frame, "x,y,w,h". May be repeated.')
    ] = None,
    backing: Annotated[str | None, typer.Option(help='The backing\'s colour instead, "#rrggbb".')] = None,
    clean_plate: Annotated[str | None, typer.Option(help="A picture of the backing without the subject.")] = None,
    low: Annotated[float | None, typer.Option(help="Matte that becomes 0 (0.015).")] = None,
    high: Annotated[float | None, typer.Option(help="Matte that becomes 1 (0.965).")] = None,
    shrink: Annotated[float, typer.Option(help="Pixels by which the matte shrinks; it grows where negative.")] = 0.0,
    garbage: Annotated[str | None, typer.Option(help="Mattes of what is to go.")] = None,
    core: Annotated[str | None, typer.Option(help="Mattes of what is surely the subject.")] = None,
    range_: Annotated[str, typer.Option("--range", help="First and last frame, A:B.")] = "",
    despilled: Annotated[Path | None, typer.Option(help="A folder to write the subject's own colours to.")] = None,
) -> None:
    """Key a subject before a coloured backing and write a matte for each frame."""
    from wiseglove.jobs.key_files import Request, key_files
    from wiseglove.jobs.solve_files import WrongUseError

    try:
        first, last = _frames(range_)
        samples: list[tuple[float, float, float, float]] = []
        for text in sample or []:
            x, y, w, h = _places(text.replace(";", ","), "--sample", 1, 1, 4)[0].tolist()
            samples.append((x, y, w, h))
        for folder in (out, despilled):
            if folder is not None and not folder.parent.is_dir():
                raise WrongUseError(f"There is no folder {folder.parent} to write to. Make it first.")
        request = Request(
            plate, out, samples, backing, clean_plate, low, high, shrink, garbage, core, first, last, despilled
        )
        count = key_files(request, lambda text: typer.echo(text, err=True))
        typer.echo(f"{count} mattes are in {out}.", err=True)
    except (WrongUseError, MediaError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from error


def _frames(text: str) -> tuple[int | None, int | None]:
    if not text:
        return None, None
    match = re.fullmatch(r"\s*(\d+)\s*:\s*(\d+)\s*", text)
    if match is None:
        raise typer.BadParameter(f"--range {text} is not two frame numbers, such as 1001:1060.")
    return int(match[1]), int(match[2])


def _places(text: str, name: str, least: int, most: int | None = None, numbers: int = 2) -> NDArray[np.float64]:
    """Places written as "x,y x,y ...", (N, 2); or groups of so many numbers, (N, numbers)."""
    try:
        places = np.array([[float(v) for v in pair.split(",")] for pair in text.split()], np.float64)
        fits = (
            places.ndim == 2 and places.shape[1] == numbers and len(places) >= least and bool(np.isfinite(places).all())
        )
    except ValueError:
        fits = False
    if not fits or (most is not None and len(places) > most):
        wanted = f"{least} places" if most == least else f"at least {least} places"
        if numbers > 2:
            raise typer.BadParameter(f'{name} "{text}" is not {numbers} numbers written as "x,y,w,h".')
        raise typer.BadParameter(f'{name} "{text}" is not {wanted} written as "x,y x,y x,y".')
    return places


def _one_of(text: str, choices: tuple[Choice, ...], name: str) -> Choice:
    for choice in choices:
        if choice == text:
            return choice
    raise typer.BadParameter(f"{name} {text} is not one of {', '.join(map(str, choices))}.")


@app.command(hidden=True)
def schema(target: Path) -> None:
    """Write the API's description, from which the page's types are made."""
    import orjson

    from wiseglove.api.app import create_app

    text = orjson.dumps(create_app(Settings()).openapi(), option=orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS)
    target.parent.mkdir(parents=True, exist_ok=True)
    part = target.with_suffix(".part")
    part.write_bytes(text + b"\n")
    shutil.move(part, target)


if __name__ == "__main__":
    app()
