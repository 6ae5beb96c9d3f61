"""Commands on shot files: mattes, composites, deliveries, bringing in, and checking what was delivered."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, Literal

import typer

app = typer.Typer()
ShotPath = Annotated[Path, typer.Argument(help="A shot file, .json.")]
Store = Annotated[
    Path | None,
    typer.Option(help="A folder of clips, where they are not beside the shot file (WISEGLOVE_FILES/media)."),
]
Range = Annotated[str, typer.Option("--range", help="First and last frame, A:B.")]


@contextlib.contextmanager
def _in_words() -> Iterator[None]:
    """Wrong use ends a command with 2, what failed with 1; both are said in a sentence."""
    from wiseglove.delivery.finish import NotWholeError
    from wiseglove.delivery.preset import PresetError
    from wiseglove.delivery.readback import NoDeliveryError
    from wiseglove.delivery.run import CannotWriteError
    from wiseglove.delivery.shot_file import ShotFileError
    from wiseglove.interchange.drawn import UnreadableError
    from wiseglove.media.errors import MediaError
    from wiseglove.shot.errors import EditError

    try:
        yield
    except (PresetError, ShotFileError, NoDeliveryError, UnreadableError, EditError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from error
    except (MediaError, CannotWriteError, NotWholeError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(1) from error


def frames_of(text: str) -> tuple[int | None, int | None]:
    """First and last frame of --range; None for none."""
    if not text:
        return None, None
    match = re.fullmatch(r"\s*(-?\d+)\s*:\s*(-?\d+)\s*", text)
    if match is None:
        raise typer.BadParameter(f"--range {text} is not two frame numbers, such as 1001:1060.")
    return int(match[1]), int(match[2])


def _said(done: int, total: int, what: str) -> None:
    if total and done % 24 == 0:
        typer.echo(f"{done} of {total} frames, {what}", err=True)


def _deliver(shot: Any, preset: Any, out: Path, span: tuple[int | None, int | None]) -> None:
    manifest = shot.deliver(preset, out, *span, said=_said)
    files = manifest["files"]
    typer.echo(f"{len(files)} files, {sum(f['size'] for f in files) / 1e6:.1f} MB, are in {out} and were read back.")


@app.command()
def new(
    plate: Annotated[str, typer.Argument(help="A movie, a folder of pictures, or a pattern such as tap.%04d.png.")],
    out: Annotated[Path, typer.Option(help="The shot file to write.")],
    name: Annotated[str | None, typer.Option(help="What the shot is called.")] = None,
    layer: Annotated[str, typer.Option(help="A layer of EXR pictures.")] = "",
    light: Annotated[
        Literal["usual", "display", "linear", "bt709"], typer.Option(help="How the plate's numbers are understood.")
    ] = "usual",
    lut: Annotated[Path | None, typer.Option(help="A .cube file that brings the plate to the display.")] = None,
) -> None:
    """Write a shot file for a plate, with nothing drawn yet."""
    from wiseglove.delivery.opened import Shot
    from wiseglove.delivery.run import CannotWriteError

    with _in_words():
        if out.exists():
            raise CannotWriteError(f"{out} is there already and is left as it is. Name another file.")
        shot = Shot.new(plate, out, name, layer, light, lut)
        shot.save()
        plate_ = shot.document.plate
        typer.echo(
            f"{out}: {plate_.width}x{plate_.height}, frames {plate_.first} to {plate_.last}, {plate_.rate} a second."
        )


@app.command()
def matte(
    shot: ShotPath,
    out: Annotated[Path, typer.Option(help="The folder to write to; empty, or not there yet.")],
    cover: Annotated[list[str] | None, typer.Option(help="Only this cover; may be repeated.")] = None,
    pane: Annotated[str | None, typer.Option(help="A pane, for its holdout.")] = None,
    holdout: Annotated[bool, typer.Option("--holdout", help="What stays in front of the pane.")] = False,
    range_: Range = "",
    depth: Annotated[Literal["8", "16", "half", "float"], typer.Option(help="8, 16, half or float.")] = "8",
    format_: Annotated[Literal["png", "tiff", "exr"] | None, typer.Option("--format", help="png, tiff or exr.")] = None,
    store: Store = None,
) -> None:
    """Write mattes of a shot, numbered like the plate: of all, of some covers, or the holdout of a pane."""
    from wiseglove.delivery.opened import Shot
    from wiseglove.delivery.preset import Form, Item, Preset, PresetError

    chosen = format_ or ("exr" if depth in ("half", "float") else "png")
    forms: dict[tuple[str, str], Form] = {
        ("png", "8"): "png8", ("png", "16"): "png16", ("tiff", "16"): "tiff16", ("exr", "half"): "exr-half",
        ("exr", "float"): "exr-float",
    }  # fmt: skip
    with _in_words():
        form = forms.get((chosen, depth))
        if form is None:
            raise PresetError(
                f"{chosen} is not written with depth {depth} here: PNG has 8 or 16, TIFF 16, EXR half or float. Nothing was "
                "rendered. Choose another --depth or --format."
            )
        if holdout != (pane is not None):
            raise PresetError("A holdout is of a pane: give --pane NAME and --holdout together. Nothing was rendered.")
        if cover and pane:
            raise PresetError("Give either covers or a pane. Nothing was rendered.")
        if pane is not None:
            item = Item(what="holdout", form=form, names=[pane])
        else:
            item = Item(what="cover", form=form, names=cover) if cover else Item(what="union", form=form)
        with Shot.open(shot, store) as opened:
            pattern = "{shot}_{what}.{frame:04d}.{ext}"
            _deliver(opened, Preset(name="Mattes", items=[item], pattern=pattern), out, frames_of(range_))


@app.command()
def composite(
    shot: ShotPath,
    out: Annotated[Path, typer.Option(help="A movie to write (.mp4, .mov, .mkv), or a folder for 16-bit PNG.")],
    range_: Range = "",
    store: Store = None,
) -> None:
    """Write the composite of a shot as a movie or as pictures."""
    import shutil
    from tempfile import TemporaryDirectory

    from wiseglove.delivery.opened import Shot
    from wiseglove.delivery.preset import Form, Item, Preset
    from wiseglove.delivery.run import CannotWriteError

    movies: dict[str, Form] = {".mp4": "mp4", ".mov": "prores", ".mkv": "ffv1"}
    form = movies.get(out.suffix.lower())
    with _in_words(), Shot.open(shot, store) as opened:
        if form is None:
            items = Preset(
                name="Composite",
                items=[Item(what="composite", form="png16")],
                pattern="{shot}_{what}.{frame:04d}.{ext}",
            )
            _deliver(opened, items, out, frames_of(range_))
            return
        if out.exists() or not out.resolve().parent.is_dir():
            raise CannotWriteError(
                f"{out} is there already and is left as it is. Name another file."
                if out.exists()
                else f"There is no folder {out.resolve().parent}. Make it first."
            )
        with TemporaryDirectory(dir=out.resolve().parent, prefix=".composite-") as scratch:
            preset = Preset(
                name="Composite", items=[Item(what="composite", form=form)], pattern="{what}{frame:04d}.{ext}"
            )
            manifest = opened.deliver(preset, Path(scratch) / "made", *frames_of(range_), said=_said)
            file = manifest["files"][0]
            shutil.move(Path(scratch) / "made" / file["name"], out)
        typer.echo(
            f"{out}: {file['count']} frames of {file['width']}x{file['height']}, {file['size'] / 1e6:.1f} MB, read back."
        )


@app.command()
def deliver(
    shot: ShotPath,
    preset: Annotated[str, typer.Option(help="A preset's name, or a JSON file with one.")],
    out: Annotated[
        Path, typer.Option(help="The folder to write to; empty, or left by the same command that was cut short.")
    ],
    range_: Range = "",
    store: Store = None,
) -> None:
    """Render a delivery, read it back, and write its manifest."""
    from wiseglove.delivery.opened import Shot

    with _in_words(), Shot.open(shot, store) as opened:
        _deliver(opened, preset, out, frames_of(range_))


@app.command("import")
def import_(
    shot: ShotPath,
    file: Annotated[Path, typer.Argument(help="SVG, Lottie, COCO, corners, OTIO, a shot file, or mattes.")],
    out: Annotated[Path | None, typer.Option(help="Another shot file to write; by default the same.")] = None,
    at: Annotated[
        int | None, typer.Option(help="The frame on which shapes without a time lie; the first by default.")
    ] = None,
    name: Annotated[str | None, typer.Option(help="What the cover or pane is called.")] = None,
) -> None:
    """Bring outlines, corners or mattes of others into a shot file."""
    from wiseglove.delivery.opened import Shot
    from wiseglove.interchange.drawn import UnreadableError

    with _in_words(), Shot.open(shot) as opened:
        if not file.exists() and not re.search(r"%0?\d*d|#|\*", file.name):
            raise UnreadableError(f"There is no file {file}. Nothing was brought in. Check its name.")
        told = opened.bring_in(file, at, name)
        opened.save(out)
        for line in told:
            typer.echo(line)


@app.command()
def check(folder: Annotated[Path, typer.Argument(help="A delivery's folder.")]) -> None:
    """Read a delivery back against its manifest; ends with 1 where anything is not as it was written."""
    from wiseglove.delivery import readback

    with _in_words():
        manifest = readback.read_manifest(folder)
        problems = readback.check(folder, manifest)
    for line in problems:
        typer.echo(line, err=True)
    if problems:
        typer.echo(f"{len(problems)} of {len(manifest['files'])} files are not as they were delivered.", err=True)
        raise typer.Exit(1)
    typer.echo(f"All {len(manifest['files'])} files are as they were delivered.")


@app.command()
def review(
    shot: ShotPath,
    out: Annotated[Path, typer.Option(help="A folder for review.json, index.html and pictures.")],
    span: Range = "",
    store: Store = None,
    everything: Annotated[
        bool, typer.Option(help="Judge whole outlines, not only where they lie over what is put in.")
    ] = False,
    holes: Annotated[
        bool, typer.Option(help="Look for holes in holdouts against the clean picture of each pane.")
    ] = True,
    max_fault: Annotated[
        float | None, typer.Option(min=0, help="Pixels by which an outline may be off on a frame.")
    ] = None,
    max_boil: Annotated[float | None, typer.Option(min=0, help="Pixels by which an edge may boil.")] = None,
    max_flicker: Annotated[float | None, typer.Option(min=0, help="Square pixels that a holdout may flicker.")] = None,
    max_pins: Annotated[int | None, typer.Option(min=0, help="Frames that may need a hand.")] = None,
    max_holes: Annotated[int | None, typer.Option(min=0, help="Holes that holdouts may have.")] = None,
    max_notes: Annotated[int | None, typer.Option(min=0, help="Notes that may be open.")] = None,
    max_over_budget: Annotated[float | None, typer.Option(min=0, help="Minutes beyond the budget.")] = None,
) -> None:
    """Judge a shot and tell where it needs a hand; ends with 3 where it is worse than a limit that is given."""
    from wiseglove.delivery.opened import Shot
    from wiseglove.delivery.run import CannotWriteError
    from wiseglove.jobs import review_files

    with _in_words():
        if out.exists() and (not out.is_dir() or any(out.iterdir())):
            raise CannotWriteError(f"{out} is not an empty folder and is left as it is. Name another one.")
        with Shot.open(shot, store) as opened:
            bounds = review_files.Bounds(
                max_fault, max_boil, max_pins, max_holes, max_flicker, max_notes, max_over_budget
            )
            report = review_files.review(
                opened, out, frames_of(span), bounds, everything, holes, lambda line: typer.echo(line, err=True)
            )
    exceeded = bounds.exceeded(report)
    worst = max((o.worst_fault for o in report.outlines), default=0.0)
    boil = max((o.worst_boil for o in report.outlines), default=0.0)
    typer.echo(
        f"{len(report.outlines)} outlines on frames {report.first} to {report.last}: worst off by {worst:.1f} px, boil at most "
        f"{boil:.2f} px, {report.pins} frames need a hand, {len(report.holes)} holes. {out / 'index.html'} shows them."
    )
    for line in exceeded:
        typer.echo(line, err=True)
    if exceeded:
        raise typer.Exit(3)
