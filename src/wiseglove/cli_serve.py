"""Commands that start something: server, worker, the demo and its footage."""

from __future__ import annotations

import ipaddress
import os
import signal
import socket
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from wiseglove.settings import Settings, get_settings
from wiseglove.store.cluster import Cluster

app = typer.Typer()


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
        timeout_graceful_shutdown=2, timeout_keep_alive=75,  # longer than what asks keeps a connection, so that it ends it
    )  # fmt: skip


def _is_loopback(address: str) -> bool:
    if address == "localhost":
        return True
    try:
        return ipaddress.ip_address(address).is_loopback
    except ValueError:
        return False


@app.command()
def worker(
    concurrency: int = 1,
    queues: Annotated[
        str, typer.Option(help="What it takes, of take-in, render and solve, with commas; all by default.")
    ] = "",
) -> None:
    """Take long work off the queue: decoding, solving and deliveries."""
    from wiseglove.jobs.putting import QUEUES
    from wiseglove.jobs.queue import work_forever

    wanted = [name.strip() for name in queues.split(",") if name.strip()]
    unknown = sorted(set(wanted) - set(QUEUES.values()))
    if unknown:
        typer.echo(
            f"There is no queue {', '.join(unknown)}; there are {', '.join(sorted(set(QUEUES.values())))}.", err=True
        )
        raise typer.Exit(2)
    settings = get_settings()
    settings.make_folders()
    work_forever(settings, concurrency, wanted or None)


def _pending(folder: Path) -> Path:
    """There while the demo's further shots are to be made."""
    return folder / "demo-shots.pending"


def _with_demo(cluster: Cluster, folder: Path) -> dict[str, str]:
    """The database with the demo shot in it, as the environment of what works on it."""
    from wiseglove.demo.install import install
    from wiseglove.store.database import Database, migrate

    cluster.ensure_database()
    url = cluster.url()
    migrate(url)
    settings = Settings(database_url=url, files=folder / "files")
    settings.make_folders()
    database = Database(url)
    if install(database, settings, folder / "footage", typer.echo) is not None:
        _pending(folder).touch()
    database.close()
    return {**os.environ, "WISEGLOVE_DATABASE_URL": url, "WISEGLOVE_FILES": str(settings.files.resolve())}


@app.command()
def demo(
    folder: Annotated[Path, typer.Option(help="Where the database, the files and the footage live.")] = Path(".run"),
    port: Annotated[int, typer.Option(help="The page's port; the next free one is taken where it is in use.")] = 8017,
    more: Annotated[bool, typer.Option("--more/--no-more", help="Render the demo's further shots too.")] = True,
) -> None:
    """Start everything with demo data on 127.0.0.1, until Ctrl+C."""
    from wiseglove.demo.running import Left, Running, RunningError
    from wiseglove.store.cluster import ClusterError

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
        environment = _with_demo(cluster, folder)
        for command in (["serve", "--port", str(port)], ["worker"]):
            running.add(command, environment)
        _wait_until_answering(port, running.look)
        typer.echo(f"\nWise Glove is at http://127.0.0.1:{port}  (Ctrl+C stops it)\n")
        if more and _pending(folder).exists():
            typer.echo(
                "Six more demo shots are being rendered, keyed and solved; they appear in the list as they are ready."
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
    from wiseglove.demo import keyed_shots, sat_shots, solved_shots
    from wiseglove.store.database import Database

    os.nice(10)
    settings = get_settings()
    database = Database(settings.database_url)
    made = [
        s
        for put_in in (sat_shots.install_tap, keyed_shots.install, solved_shots.install)
        for s in put_in(database, settings, folder / "footage", typer.echo)
    ]
    database.close()
    import wiseglove.core.keying.closed_form  # noqa: F401 -- compiles itself the first time, so that nobody waits for it later

    _pending(folder).unlink(missing_ok=True)
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
            urllib.request.urlopen(f"http://127.0.0.1:{port}/healthz", timeout=2).close()
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
