"""The command line: the same work without a page, and the commands that start everything."""

from __future__ import annotations

import contextlib
import logging
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, TypeVar, get_args

import numpy as np
import typer
from numpy.typing import NDArray

from wiseglove import cli_deliver, cli_keep, cli_serve
from wiseglove.cli_deliver import frames_of
from wiseglove.core.motion.channels import Channel
from wiseglove.core.motion.models import MODELS
from wiseglove.log import handler
from wiseglove.media.errors import MediaError
from wiseglove.media.probe import probe as probe_files
from wiseglove.settings import Settings, get_settings

Choice = TypeVar("Choice")
app = typer.Typer(no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False)
app.add_typer(cli_serve.app)
app.add_typer(cli_keep.app)
app.add_typer(cli_deliver.app)


@app.callback()
def main() -> None:
    """Animated spline mattes that keep hands and props in front of inserted pictures."""
    logging.basicConfig(level=logging.INFO, handlers=[handler()])
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
    from wiseglove.jobs.solve_files import Request, solve_files, write

    with _in_words():
        first, last = frames_of(range_)
        request = Request(
            plate, [_places(p, "--patch", 3) for p in patch or []], _places(pane, "--pane", 4, 4),
            [_places(b, "--blind", 3) for b in blind or []], at, first, last,
            _one_of(model, MODELS, "--model"), _one_of(channel, get_args(Channel), "--channel"), ignore,
        )  # fmt: skip
        _check_folder(out)
        write(solve_files(request, _say), out)


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

    with _in_words():
        first, last = frames_of(range_)
        samples: list[tuple[float, float, float, float]] = []
        for text in sample or []:
            x, y, w, h = _places(text.replace(";", ","), "--sample", 1, 1, 4)[0].tolist()
            samples.append((x, y, w, h))
        for folder in (out, despilled):
            if folder is not None:
                _check_folder(folder)
        request = Request(
            plate, out, samples, backing, clean_plate, low, high, shrink, garbage, core, first, last, despilled
        )
        count = key_files(request, _say)
        _say(f"{count} mattes are in {out}.")


@app.command()
def behind(
    plate: Annotated[str, typer.Argument(help="A movie, a folder of pictures, or a pattern such as tap.%04d.png.")],
    out: Annotated[Path, typer.Option(help="The PNG to write; alpha is 0 where nothing was ever uncovered.")],
    motion: Annotated[
        Path | None,
        typer.Option(help="Corners of a pane as `wiseglove solve` writes them; without, the camera is locked."),
    ] = None,
    range_: Annotated[str, typer.Option("--range", help="First and last frame, A:B.")] = "",
) -> None:
    """Make the clean picture behind what passes: of the plate, or of the unrolled pane."""
    from wiseglove.jobs.behind_files import Request, View, behind_of, read_motion, write_behind

    with _in_words():
        _check_folder(out)
        view = View(Request(plate, read_motion(motion) if motion else None, *frames_of(range_)))
        write_behind(behind_of(view, _say), out)


@app.command()
def difference(
    plate: Annotated[str, typer.Argument(help="A movie, a folder of pictures, or a pattern such as tap.%04d.png.")],
    out: Annotated[Path, typer.Option(help="The folder to write 16-bit mattes to.")],
    behind: Annotated[
        Path | None, typer.Option(help="The clean picture, as `wiseglove behind` writes it; made here where left out.")
    ] = None,
    motion: Annotated[Path | None, typer.Option(help="Corners of a pane as `wiseglove solve` writes them.")] = None,
    within: Annotated[str, typer.Option(help='Where to look, "x,y x,y x,y ..." in plate pixels.')] = "",
    range_: Annotated[str, typer.Option("--range", help="First and last frame, A:B.")] = "",
) -> None:
    """Write a matte for each frame of what covers the clean picture behind."""
    from wiseglove.jobs.behind_files import Request, View, behind_of, differences, read_behind, read_motion

    with _in_words():
        _check_folder(out)
        view = View(Request(plate, read_motion(motion) if motion else None, *frames_of(range_)))
        empty = read_behind(behind, view.size) if behind else behind_of(view, _say)
        differences(view, empty, _places(within, "--within", 3) if within else None, out, _say)


@app.command()
def carry(
    plate: Annotated[str, typer.Argument(help="A movie, a folder of pictures, or a pattern such as tap.%04d.png.")],
    outline: Annotated[
        Path, typer.Option(help='The outline that is right, {"points": [[x, y, in_x, in_y, out_x, out_y]]}.')
    ],
    at: Annotated[int, typer.Option(help="The frame on which it is right.")],
    range_: Annotated[str, typer.Option("--range", help="First and last frame, A:B.")],
    out: Annotated[Path, typer.Option(help="The JSON file to write.")],
    also: Annotated[
        list[str] | None,
        typer.Option(help="The same outline as it is right on another frame, FILE@FRAME. May be repeated."),
    ] = None,
    behind: Annotated[
        str, typer.Option(help="auto, none, or the clean picture behind as `wiseglove behind` writes it.")
    ] = "auto",
) -> None:
    """Carry an outline on to every frame of a range, with the doubt on each stretch."""
    from wiseglove.jobs.carry_files import Request, carry_files

    with _in_words():
        _check_folder(out)
        first, last = frames_of(range_)
        if first is None or last is None:
            raise typer.BadParameter("--range is needed: the first and last frame, A:B.")
        carry_files(Request(plate, outline, at, first, last, also or [], behind), out, _say)


def _say(text: str) -> None:
    typer.echo(text, err=True)


@contextlib.contextmanager
def _in_words() -> Iterator[None]:
    """What cannot be done is said, and the command ends with 2."""
    from wiseglove.jobs.solve_files import WrongUseError

    try:
        yield
    except (WrongUseError, MediaError) as error:
        _say(str(error))
        raise typer.Exit(2) from error


def _check_folder(out: Path) -> None:
    from wiseglove.jobs.solve_files import WrongUseError

    if not out.parent.is_dir():
        raise WrongUseError(f"There is no folder {out.parent} to write to. Make it first.")


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


@app.command(hidden=True)
def shot_schema(target: Path) -> None:
    """Write the JSON Schema of shot files."""
    import orjson

    from wiseglove.delivery.shot_file import ShotFile

    text = orjson.dumps(ShotFile.model_json_schema(), option=orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS)
    target.write_bytes(text + b"\n")


if __name__ == "__main__":
    app()
