"""The command line: the same work without a page, and the commands that start everything."""

from __future__ import annotations

import logging
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from typing import Annotated, Any, TypeVar, get_args

import numpy as np
import typer
from numpy.typing import NDArray

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
def serve(port: int = 8017) -> None:
    """Serve page and API on 127.0.0.1; the database is WISEGLOVE_DATABASE_URL."""
    import uvicorn

    from wiseglove.api.app import create_app
    from wiseglove.store.database import migrate

    migrate(get_settings().database_url)
    uvicorn.run(
        create_app(), host="127.0.0.1", port=port, log_level="warning", ws_per_message_deflate=False,
        timeout_graceful_shutdown=2,
    )  # fmt: skip


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
    from wiseglove.store.cluster import Cluster, ClusterError
    from wiseglove.store.database import Database, migrate

    folder.mkdir(parents=True, exist_ok=True)
    try:
        cluster = Cluster(folder / "postgres")
        cluster.start()
    except ClusterError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(1) from error
    children: list[subprocess.Popen[bytes]] = []
    helpers: list[subprocess.Popen[bytes]] = []

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
        port = _free_port_from(port)
        environment = {**os.environ, "WISEGLOVE_DATABASE_URL": url, "WISEGLOVE_FILES": str(settings.files.resolve())}
        program = [sys.executable, "-m", "wiseglove.cli"]
        for command in (["serve", "--port", str(port)], ["worker"]):
            children.append(subprocess.Popen([*program, *command], env=environment, start_new_session=True))
        _wait_until_answering(port, children)
        typer.echo(f"\nWise Glove is at http://127.0.0.1:{port}  (Ctrl+C stops it)\n")
        if pending.exists():
            typer.echo(
                "Five more demo shots are being rendered, keyed and solved; they appear in the list as they are ready."
            )
            helpers.append(subprocess.Popen([*program, "demo-shots", str(folder)], env=environment))
        while all(child.poll() is None for child in children):
            time.sleep(0.3)
        typer.echo("The server or the worker ended by itself; stopping the rest.", err=True)
    except KeyboardInterrupt:
        typer.echo("Stopping ...")
    finally:
        settle(signal.SIG_IGN)
        _end([*helpers, *children])
        cluster.stop()


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


def _wait_until_answering(port: int, children: list[subprocess.Popen[bytes]]) -> None:
    for _ in range(300):
        if any(child.poll() is not None for child in children):
            return
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/api/shots", timeout=2).close()
            return
        except OSError:
            time.sleep(0.1)


def _end(children: list[subprocess.Popen[bytes]]) -> None:
    for child in children:
        child.terminate()
    for child in children:
        try:
            child.wait(8)
        except subprocess.TimeoutExpired:
            child.kill()
            child.wait()


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
