"""The end of a delivery: rendered pieces put together, what is not rendered written, all read back, and a manifest."""

from __future__ import annotations

import os
import platform
import shutil
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any

import av
import numpy as np
import orjson

from wiseglove.core.compositing.colour import to_working
from wiseglove.delivery import outlines, readback
from wiseglove.delivery.chunk import Opened, codec_of, segment_name
from wiseglove.delivery.contact import contact_sheet
from wiseglove.delivery.files import Facts, picture_file
from wiseglove.delivery.plan import Output, Plan, is_sequence
from wiseglove.delivery.preset import MOVIES, STILLS
from wiseglove.delivery.shot_file import Media, written
from wiseglove.interchange import coco, lottie, pane_motion, svg, timeline
from wiseglove.media.encode import joined
from wiseglove.shot.beside import Beside
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Pane
from wiseglove.store.pictures import ExactPictures

FORMAT = 1
"""Of the manifest."""
TOOLS = (
    "wiseglove",
    "numpy",
    "numba",
    "opencv-python-headless",
    "av",
    "openexr",
    "openimageio",
    "tifffile",
    "pycocotools",
)


class NotWholeError(RuntimeError):
    """What was written is not what it should be, in words."""


@dataclass(frozen=True)
class Remarks:
    """What is known beside the shot's document: its version's name, notes and versions as markers, and its clips."""

    version: str
    notes: list[timeline.Marker] = field(default_factory=list)
    media: dict[str, Media] = field(default_factory=dict)
    comment: str = ""
    beside: Beside = field(default_factory=Beside)


@dataclass(frozen=True)
class Finishing:
    """What is to be finished: a plan of a shot, its rendered pieces, and where it goes."""

    shot: EvaluatedShot
    plan: Plan
    parts: Sequence[Path]
    target: Path
    remarks: Remarks
    opened: Opened


def finish(work: Finishing, said: Callable[[str], None] = lambda text: None) -> dict[str, Any]:
    """Put a delivery together below its folder, read it back and write its manifest last; the manifest.

    Raises NotWholeError where what is read back is not what was to be written.
    """
    work.target.mkdir(parents=True, exist_ok=True)
    entries: list[dict[str, Any]] = []
    pictures = work.opened()
    try:
        for output in work.plan.outputs:
            said(output.title)
            entries += _put(work, output, pictures)
    finally:
        pictures.close()
    manifest = {**_about(work), "files": entries}
    said("reading back")
    problems = readback.check(work.target, manifest, hashes=False)
    if problems:
        raise NotWholeError(
            f"What was written is not what it should be: {'; '.join(problems[:5])}"
            f"{f' and {len(problems) - 5} more' if len(problems) > 5 else ''}. The delivery was not finished; the shot is as "
            "it was. Render it again, and look at the disk where it happens again."
        )
    text = orjson.dumps(manifest, option=orjson.OPT_INDENT_2)
    (work.target / readback.MANIFEST).write_bytes(text + b"\n")
    return manifest


def _about(work: Finishing) -> dict[str, Any]:
    plate, plan = work.shot.plate, work.plan
    return {
        "format": FORMAT,
        "shot": work.shot.settings.name,
        "version": work.remarks.version,
        "revision": work.shot.revision,
        "comment": work.remarks.comment,
        "plate": {
            "width": plate.width, "height": plate.height, "first": plate.first, "count": plate.count,
            "rate": f"{plate.rate_num}/{plate.rate_den}", "pixel_aspect": plate.pixel_aspect, "media": plate.media,
        },
        "frames": [plan.frames.start, plan.frames.stop - 1],
        "numbers": [plan.numbers.start, plan.numbers.stop - 1],
        "mixing": work.shot.settings.mixing,
        "preset": plan.preset.model_dump(mode="json"),
        "tools": {**tools(), "python": platform.python_version()},
    }  # fmt: skip


def tools() -> dict[str, str]:
    """Versions of what computes and writes."""
    found = {"ffmpeg": ".".join(map(str, av.library_versions["libavcodec"]))}
    for name in TOOLS:
        try:
            found[name] = version(name)
        except PackageNotFoundError:  # run from its sources
            found[name] = "unknown"
    return found


def _put(work: Finishing, output: Output, pictures: ExactPictures) -> list[dict[str, Any]]:
    target, plan = work.target, work.plan
    left, top, right, bottom = plan.box
    if output.form in MOVIES:
        path = _place(target, output.names[0])
        codec = codec_of(output)
        joined([part / segment_name(output) for part in work.parts], path, codec, work.shot.plate.rate)
        wide, high = right - left, bottom - top
        size = (wide + wide % 2, high + high % 2) if codec.even else (wide, high)
        return [_entry(target, output, output.names[0], width=size[0], height=size[1], count=len(plan.frames))]
    if output.form in STILLS and is_sequence(output.item):
        channels = [name for name, _ in output.channels if name]
        more: dict[str, Any] = {"width": right - left, "height": bottom - top}
        if channels:
            more["channels"] = channels
        for part, piece in zip(work.parts, plan.chunks, strict=True):
            for frame in piece:
                name = output.names[frame - plan.frames.start]
                _moved(part / name, _place(target, name))
        return [
            _entry(target, output, name, frame=number, **more)
            for name, number in zip(output.names, plan.numbers, strict=True)
        ]
    made = _data(work, output, pictures)
    for name, data in made.items():
        _place(target, name).write_bytes(data)
    frames = plan.numbers if is_sequence(output.item) else [None] * len(made)
    return [
        _entry(target, output, name, **({} if number is None else {"frame": number}))
        for name, number in zip(made, frames, strict=True)
    ]


def _place(target: Path, name: str) -> Path:
    path = target / name
    path.parent.mkdir(parents=True, exist_ok=True)
    return path


def _moved(source: Path, target: Path) -> None:
    target.unlink(missing_ok=True)
    try:
        os.link(source, target)
    except OSError:
        shutil.copyfile(source, target)


def _entry(target: Path, output: Output, name: str, **more: Any) -> dict[str, Any]:
    path = target / name
    return {
        "name": name, "what": output.item.what, "form": output.form, **({"thing": output.thing} if output.thing else {}),
        "size": path.stat().st_size, "sha256": readback.digest(path), **more,
    }  # fmt: skip


# -- what is not rendered frame by frame -----------------------------------------------------------------------


def _data(work: Finishing, output: Output, pictures: ExactPictures) -> dict[str, bytes]:
    """Names and contents of the files of an output that is no picture of each frame."""
    shot, plan, item = work.shot, work.plan, output.item
    one = output.names[0]
    sheet = outlines.sheet_of(shot, plan.frames)
    if item.what == "motion":
        pane = shot.elements[output.source.thing]
        assert isinstance(pane, Pane)
        how = pane_motion.Manner(item.units, item.origin, item.insert)
        rows, ratio = outlines.moments(shot, pane, plan.frames, item.moments), outlines.proportions(shot, pane)
        if item.form == "csv":
            return {one: pane_motion.to_csv(rows, sheet, how, ratio).encode()}
        return {one: pane_motion.to_json(rows, sheet, how, ratio, pane.name)}
    if item.what == "outlines":
        return _outlines(work, output, pictures)
    if item.what == "shot":
        return {one: written(shot.document, work.remarks.media, work.remarks.beside)}
    if item.what == "timeline":
        plate = work.remarks.media.get(shot.plate.media)
        target = plate.path if plate is not None and plate.path else f"{shot.settings.name}"
        whole = outlines.sheet_of(shot, range(shot.plate.first, shot.plate.last + 1))
        return {one: timeline.write(shot.settings.name, whole, target, work.remarks.notes).encode()}
    if item.what == "clean":
        pane = shot.elements[output.source.thing]
        assert isinstance(pane, Pane)
        picture = to_working(pictures.clip(pane.sit.clean or "", 0, None), False)
        facts = Facts(plan.numbers.start, shot.plate.rate, 1.0, plan.preset.compression)
        return {one: picture_file(item.form, np.asarray(picture, np.float32), facts)}
    notes = [(m.frame, m.name if not m.text else m.text) for m in work.remarks.notes if m.kind == "note"]
    return {one: contact_sheet(shot, plan, pictures, notes, work.remarks.version, item.form == "pdf")}


def _outlines(work: Finishing, output: Output, pictures: ExactPictures) -> dict[str, bytes]:
    shot, plan, item = work.shot, work.plan, output.item
    sheet, names = outlines.sheet_of(shot, plan.frames), tuple(item.names)
    if item.form in ("coco", "coco-rle"):
        found = list(outlines.marked(shot, plan.frames, names, pictures, polygons=item.form == "coco"))
        return {output.names[0]: coco.write(found, sheet, shot.settings.name)}
    layers = outlines.layers(shot, plan.frames, names)
    if item.form == "lottie":
        return {output.names[0]: lottie.write(layers, sheet)}
    if item.form == "svg-moving":
        return {output.names[0]: svg.write(layers, sheet).encode()}
    return {
        name: svg.write(layers, sheet, frame).encode() for name, frame in zip(output.names, plan.frames, strict=True)
    }


def zipped(folder: Path, top: str, out: Path) -> None:
    """A delivery's folder as a zip, stored, with all below a folder `top`; the same bits for the same files."""
    names = sorted(p for p in folder.rglob("*") if p.is_file())
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as package:
        for path in names:
            about = zipfile.ZipInfo(f"{top}/{path.relative_to(folder).as_posix()}", (1980, 1, 1, 0, 0, 0))
            about.external_attr = 0o644 << 16
            with package.open(about, "w", force_zip64=True) as target, path.open("rb") as source:
                shutil.copyfileobj(source, target, 1 << 20)
