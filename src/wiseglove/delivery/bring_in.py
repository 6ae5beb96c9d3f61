"""Files of others brought into a shot: outlines, mattes, corners, timelines, and other shot files."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import orjson
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import to_working
from wiseglove.core.geometry.homography import is_convex
from wiseglove.core.outline.from_mattes import traced
from wiseglove.delivery import outlines, shot_file
from wiseglove.interchange import coco, lottie, pane_motion, timeline
from wiseglove.interchange.drawn import Curve, Layer, UnreadableError
from wiseglove.media.light import Reading
from wiseglove.media.plate import PlateFiles
from wiseglove.shot.basics import Plate
from wiseglove.shot.edits.bring_in import BringIn, Came, CamePane, Shape
from wiseglove.shot.evaluated import EvaluatedShot

LARGEST = 512_000_000
"""Bytes of a file that is read."""
COVERAGE = Reading(light="display")
"""Mattes are linear coverage in every format, so no curve is laid on them."""
STILL_ENOUGH = 0.02
"""Pixels between two keys' in-between and the shape that was read for the latter to need no key."""


def bring_in(shot: EvaluatedShot, file: Path, frame: int, name: str | None = None) -> tuple[EvaluatedShot, list[str]]:
    """The shot with what a file, a folder of mattes or a pattern of them holds, and a line for each thing.

    frame: on which shapes without a time of their own lie. Raises UnreadableError, MediaError or EditError.
    """
    edit, told = edit_of(shot, file, frame, name)
    applied = edit.apply(shot)
    document = shot.document.with_elements(applied.after, shot.revision + 1)
    return shot.advanced(document), told


def edit_of(shot: EvaluatedShot, file: Path, frame: int, name: str | None = None) -> tuple[BringIn, list[str]]:
    """The edit that brings a file in, and a line for each thing of it."""
    if not file.is_file() or file.suffix.lower() in (
        ".png",
        ".tif",
        ".tiff",
        ".exr",
        ".mp4",
        ".mov",
        ".mkv",
        ".webm",
        ".avi",
    ):
        return _mattes(shot, file, name)
    if file.stat().st_size > LARGEST:
        raise UnreadableError(f"{file.name} is larger than {LARGEST // 1_000_000} MB. Nothing was brought in.")
    return read_into(shot, file.name, file.read_bytes(), frame, name)


def read_into(
    shot: EvaluatedShot, called: str, data: bytes, frame: int, name: str | None = None
) -> tuple[BringIn, list[str]]:
    """The same from a file's bytes."""
    plate = shot.plate
    if not plate.first <= frame <= plate.last:
        raise UnreadableError(
            f"The plate has no frame {frame}; it has {plate.first} to {plate.last}. Nothing was brought in. Choose one of these."
        )
    sheet = outlines.sheet_of(shot, range(plate.first, plate.last + 1))
    suffix = Path(called).suffix.lower()
    if suffix == ".svg":
        from wiseglove.interchange import svg_in  # its package takes a second to load

        return _layers(called, svg_in.read(data, sheet, frame), name)
    text = _text(called, data)
    if suffix == ".csv":
        return _corners(shot, called, pane_motion.read(text, sheet), name)
    if suffix == ".otio":
        return _timeline(shot, called, text)
    if suffix == ".json":
        return _json(shot, called, data, text, frame, name)
    raise UnreadableError(
        f"{called} is none of the kinds that are read: SVG, Lottie, COCO and corners as JSON, corners as CSV, OTIO, a shot file, "
        "or mattes as pictures. Nothing was brought in."
    )


def _text(called: str, data: bytes) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise UnreadableError(f"{called} is not a text in UTF-8. Nothing was brought in. Write it again.") from error


def _json(
    shot: EvaluatedShot, called: str, data: bytes, text: str, frame: int, name: str | None
) -> tuple[BringIn, list[str]]:
    try:
        found: Any = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise UnreadableError(f"{called} is not whole JSON: {error}. Nothing was brought in.") from error
    sheet = outlines.sheet_of(shot, range(shot.plate.first, shot.plate.last + 1))
    if isinstance(found, dict):
        if found.get("kind") == shot_file.KIND:
            return _other_shot(shot, called, found)
        if "OTIO_SCHEMA" in found:
            return _timeline(shot, called, text)
        if "annotations" in found:
            return _annotations(shot, called, coco.read(data, sheet))
        if "layers" in found:
            return _layers(called, lottie.read(data, sheet), name)
        if "frames" in found:
            return _corners(shot, called, pane_motion.read(text, sheet), name)
        if "points" in found:
            return _layers(called, [Layer(name or Path(called).stem, [_one(found, frame)])], name)
    raise UnreadableError(
        f"{called} is no JSON that is known here: not a shot file, Lottie, COCO, a timeline, corners or an outline. Nothing was "
        "brought in."
    )


def _one(found: Any, frame: int) -> Curve:
    try:
        points = np.array(found["points"], np.float64)
        if points.ndim != 2 or points.shape[1] < 6 or len(points) < 3 or not np.isfinite(points).all():
            raise ValueError("it needs at least three points of six numbers")
    except (ValueError, TypeError) as error:
        raise UnreadableError(f"This outline cannot be read: {error}. Nothing was brought in.") from error
    return Curve("adds", np.array([frame]), points[None, :, :6], np.ones(1))


# -- outlines --------------------------------------------------------------------------------------------------


def _layers(called: str, layers: list[Layer], name: str | None) -> tuple[BringIn, list[str]]:
    came, told = [], []
    for layer in layers:
        shapes = [_shape(each) for each in layer.curves if each.points.shape[1] >= 3]
        if not shapes:
            continue
        title = (name or layer.name).strip()[:80] or "Cover"
        came.append(Came(name=title, outlines=shapes))
        keys = sum(len(s.keys) for s in shapes)
        told.append(f"{title}: {len(shapes)} outline{'s' * (len(shapes) > 1)}, {keys} key{'s' * (keys > 1)}")
    if not came:
        raise UnreadableError(f"{called} holds no outline of three or more points. Nothing was brought in.")
    return BringIn(called=called, covers=came), told


def _shape(each: Curve, timed: bool = False) -> Shape:
    """timed: whether a shape with one frame only is there on that one and not all along."""
    there = each.strength > 0
    frames = each.frames[there] if there.any() else each.frames
    shapes = each.points[there] if there.any() else each.points
    kept = _needed(frames.astype(np.float64), shapes)
    hard = np.concatenate([shapes, np.zeros((*shapes.shape[:2], 2))], axis=2)
    lasts = timed or len(frames) > 1
    return Shape(
        mode=each.mode,
        kinds=["free"] * shapes.shape[1],
        keys={int(frames[i]): [tuple(p) for p in hard[i].tolist()] for i in kept},
        first=int(frames[0]) if lasts else None,
        last=int(frames[-1]) if lasts else None,
    )


def _needed(times: NDArray[np.float64], shapes: NDArray[np.float64]) -> list[int]:
    """Which of many shapes are needed as keys, so that going evenly between them gives all."""
    kept, start = [0], 0
    while start < len(times) - 1:
        end = start + 1
        while end + 1 < len(times) and _even(times, shapes, start, end + 1):
            end += 1
        kept.append(end)
        start = end
    if len(kept) == 2 and np.abs(shapes[kept[1]] - shapes[0]).max() <= STILL_ENOUGH:
        return [0]
    return kept


def _even(times: NDArray[np.float64], shapes: NDArray[np.float64], start: int, end: int) -> bool:
    share = ((times[start + 1 : end] - times[start]) / (times[end] - times[start]))[:, None, None]
    between = shapes[start] + (shapes[end] - shapes[start]) * share
    return bool(np.abs(between - shapes[start + 1 : end]).max(initial=0) <= STILL_ENOUGH)


# -- mattes ----------------------------------------------------------------------------------------------------


def _mattes(shot: EvaluatedShot, where: Path, name: str | None) -> tuple[BringIn, list[str]]:
    files = PlateFiles(str(where), reading=COVERAGE)
    title = name or files.about.name or where.stem
    return mattes_of(shot, Mattes(where.name, title, files.first, files.about.count, files.size, files.read))


@dataclass(frozen=True)
class Mattes:
    """Pictures of coverage, numbered from `first`; size is width and height."""

    called: str
    title: str
    first: int
    count: int
    size: tuple[int, int]
    read: Callable[[int], NDArray[Any]]


def check_size(size: tuple[int, int], plate: Plate) -> None:
    """Raise UnreadableError for mattes of another width and height than the plate's."""
    if size != (plate.width, plate.height):
        raise UnreadableError(
            f"These mattes are {size[0]}x{size[1]}; the plate has {plate.width}x{plate.height}. Nothing was brought in. Bring in "
            "mattes of the plate's own size."
        )


def mattes_of(
    shot: EvaluatedShot,
    mattes: Mattes,
    said: Callable[[int, int], None] = lambda done, all_: None,
    only: Collection[int] | None = None,
    least: int = 1,
) -> tuple[BringIn, list[str]]:
    """The edit that makes mattes a cover, and a line of it. They go by the plate's numbers, or else from its first frame on.

    said: called with frames done and all of them. only: the frames that count, between which it changes evenly.
    least: frames on which something has to be there to be no dirt. Raises UnreadableError for another size, or where nothing is white.
    """
    plate = shot.plate
    check_size(mattes.size, plate)
    first = mattes.first if plate.first <= mattes.first <= plate.last else plate.first
    frames = [f for f in range(first, first + mattes.count) if f <= plate.last and (only is None or f in only)]

    def read(frame: int) -> NDArray[np.float32]:
        said(min(frame - first, len(frames)), len(frames))
        picture = to_working(mattes.read(frame - first + mattes.first), False)
        if picture.ndim == 2:
            return np.asarray(picture, np.float32)
        return np.ascontiguousarray(picture[..., 3] if picture.shape[2] == 4 else picture[..., :3].mean(2))

    return _of_mattes(mattes.called, mattes.title.strip()[:80] or "Matte", frames, read, least)


def _of_mattes(
    called: str, title: str, frames: list[int], read: Callable[[int], NDArray[np.float32]], least: int = 1
) -> tuple[BringIn, list[str]]:
    found = traced(frames, read, least=least)
    if not found:
        raise UnreadableError(f"Nothing is white in {called}, so there is no outline. Nothing was brought in.")
    came = Came(name=title, outlines=[_shape(_curve(t.hole, t.shapes), len(frames) > 1) for t in found])
    keys = sum(len(s.keys) for s in came.outlines)
    return BringIn(called=called, covers=[came]), [f"{title}: {len(found)} outlines from mattes, {keys} keys"]


def _curve(hole: bool, shapes: dict[int, NDArray[np.float64]]) -> Curve:
    frames = sorted(shapes)
    return Curve(
        "cuts" if hole else "adds", np.array(frames), np.array([shapes[f] for f in frames]), np.ones(len(frames))
    )


def _annotations(shot: EvaluatedShot, called: str, marked: list[coco.Marked]) -> tuple[BringIn, list[str]]:
    plate = shot.plate
    sheet = outlines.sheet_of(shot, range(plate.first, plate.last + 1))
    covers: dict[str, dict[int, list[coco.Marked]]] = {}
    for each in marked:
        covers.setdefault(each.cover, {}).setdefault(each.frame, []).append(each)
    came, told = [], []
    for cover, by_frame in covers.items():

        def read(frame: int, there: dict[int, list[coco.Marked]] = by_frame) -> NDArray[np.float32]:
            found = [coco.pixels_of(m, sheet) for m in there[frame]]
            return np.asarray(np.maximum.reduce(found) / 255, np.float32)

        edit, lines = _of_mattes(called, cover.strip()[:80] or "Cover", sorted(by_frame), read)
        came += edit.covers
        told += lines
    if not came:
        raise UnreadableError(f"{called} annotates no frame of this plate. Nothing was brought in.")
    return BringIn(called=called, covers=came), told


# -- corners, timelines, other shots ---------------------------------------------------------------------------


def _corners(
    shot: EvaluatedShot, called: str, moments: list[pane_motion.Moment], name: str | None
) -> tuple[BringIn, list[str]]:
    plate = shot.plate
    found = {round(m.time): m.corners for m in moments if m.corners is not None and m.time == round(m.time)}
    keys = {f: c for f, c in found.items() if plate.first <= f <= plate.last}
    if not keys:
        raise UnreadableError(
            f"{called} has no corners on a frame of the plate ({plate.first} to {plate.last}). Nothing was brought in. Its "
            "frames have to be numbered like the plate's."
        )
    folded = [f for f, c in keys.items() if not is_convex(c)]
    if folded:
        raise UnreadableError(
            f"The corners on frame {folded[0]} cross each other. Nothing was brought in. They go round: top left, top right, "
            "bottom right, bottom left."
        )
    title = (name or Path(called).stem).strip()[:80] or "Pane"
    pane = CamePane(name=title, keys={f: _as_corners(c) for f, c in keys.items()})
    holes = max(keys) - min(keys) + 1 - len(keys)
    told = f"{title}: a pane with corners on {len(keys)} frames"
    return BringIn(called=called, panes=[pane]), [
        told + (f"; {holes} between them are missing and go evenly" if holes else "")
    ]


def _timeline(shot: EvaluatedShot, called: str, text: str) -> tuple[BringIn, list[str]]:
    found, plate = timeline.read(text), shot.plate
    told = [f"The shot is called {found.name}"]
    if (found.first, found.count) != (plate.first, plate.count):
        told.append(
            f"The timeline has frames {found.first} to {found.first + found.count - 1}, the plate {plate.first} to {plate.last}; "
            "the plate's stay"
        )
    if found.rate != plate.rate:
        told.append(f"The timeline has {found.rate} frames a second, the plate {plate.rate}; the plate's stay")
    return BringIn(called=called, renamed=found.name[:80] or None), told


def _other_shot(shot: EvaluatedShot, called: str, found: Any) -> tuple[BringIn, list[str]]:
    try:
        other = EvaluatedShot.of(shot_file.parsed(found, called).shot)
    except shot_file.ShotFileError as error:
        raise UnreadableError(str(error)) from error
    if (other.plate.width, other.plate.height) != (shot.plate.width, shot.plate.height):
        raise UnreadableError(
            f"{called} is of a plate of {other.plate.width}x{other.plate.height}, this one has "
            f"{shot.plate.width}x{shot.plate.height}. Nothing was brought in."
        )
    first, last = max(shot.plate.first, other.plate.first), min(shot.plate.last, other.plate.last)
    if first > last:
        raise UnreadableError(f"{called} has no frame in common with this plate. Nothing was brought in.")
    frames = range(first, last + 1)
    names = tuple(c.name for c in other.covers)
    layers = outlines.layers(other, frames, names) if names else []
    edit, told = _layers(called, layers, None) if layers else (BringIn(called=called), [])
    panes = [CamePane(name=p.name, keys={f: _as_corners(other.corners_at(p, f)) for f in frames}) for p in other.panes]
    told += [f"{p.name}: a pane with corners on {len(frames)} frames" for p in other.panes]
    if not told:
        raise UnreadableError(f"{called} holds no cover and no pane. Nothing was brought in.")
    return edit.model_copy(update={"panes": panes}), told


def _as_corners(corners: NDArray[np.float64]) -> Any:
    return tuple(map(tuple, corners.tolist()))
