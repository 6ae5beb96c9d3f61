"""Carries an outline on straight from files, without a database or a page."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field, FiniteFloat, ValidationError

from wiseglove.core.behind.clean import Behind
from wiseglove.core.behind.difference import as_noisy_as, difference_within
from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.towards import Delivered, carry_range
from wiseglove.core.parallel import workers
from wiseglove.jobs.behind_files import Request as BehindRequest
from wiseglove.jobs.behind_files import UnknownBehindError, View, behind_of, in_colours, read_behind
from wiseglove.jobs.solve_files import WrongUseError
from wiseglove.media.plate import PlateFiles, to_float

STRAIGHT = 0.985
"""Cosine of the angle up to which two handles lie in one line: ten degrees."""
KEPT = 24
"""Pictures that are kept in memory."""


class OutlineFile(BaseModel):
    """A closed cubic curve in plate pixels: x, y of each point, then its two handles relative to it."""

    points: list[tuple[FiniteFloat, FiniteFloat, FiniteFloat, FiniteFloat, FiniteFloat, FiniteFloat]] = Field(
        min_length=3, max_length=5000
    )


@dataclass(frozen=True)
class Request:
    """What is to be carried: a file of the outline on frame `at`, further keys as FILE@FRAME, and a range of frames."""

    plate: str
    outline: Path
    at: int
    first: int
    last: int
    also: list[str] = field(default_factory=list)
    behind: str = "none"


def carry_files(request: Request, out: Path, report: Callable[[str], None]) -> None:
    """Write the outline of every frame. Raises WrongUseError and MediaError; then nothing is written."""
    plate = PlateFiles(request.plate)
    keys = _keys(request)
    for frame in (request.first, request.last, *keys):
        if not plate.first <= frame <= plate.last:
            raise WrongUseError(f"Frame {frame} is not in the plate, whose frames are {plate.first} to {plate.last}.")
    if request.first > request.last:
        raise WrongUseError(f"The range {request.first}:{request.last} ends before it begins.")
    behind = _behind(request, report)

    @lru_cache(maxsize=KEPT * workers())
    def picture(frame: int) -> NDArray[np.uint8]:
        pixels = to_float(plate.read(frame))
        colours = pixels[..., :3] if pixels.shape[2] >= 3 else np.repeat(pixels[..., :1], 3, axis=2)
        return np.ascontiguousarray(np.round(np.clip(colours, 0, 255)), np.uint8)

    kinds = kinds_of(keys[request.at])
    covered = None if behind is None else partial(difference_within, behind)
    reach = (plate.first, plate.last)
    carried = carry_range(picture, keys, kinds, request.first, request.last, covered=covered, plate=reach)
    frames = {d.frame: _told(d) for d in carried}
    ordered = {str(frame): frames[frame] for frame in sorted(frames)}
    doubtful = [frame for frame, told in ordered.items() if any(d[2] >= 0.5 for d in told.get("doubt", []))]
    gone = [frame for frame, told in ordered.items() if told.get("gone")]
    part = out.with_name(out.name + ".part")
    part.write_text(json.dumps({"frames": ordered}))
    part.replace(out)
    report(
        f"{len(ordered)} frames are in {out}; {len(doubtful)} have doubtful stretches, on {len(gone)} nothing is in sight."
    )


def _behind(request: Request, report: Callable[[str], None]) -> Behind | None:
    """The picture behind, as it is wanted; with auto None where it cannot be known, and says why."""
    if request.behind == "none":
        return None
    if request.behind != "auto":
        plate = PlateFiles(request.plate)
        return as_noisy_as(in_colours(plate.read(plate.first)), read_behind(Path(request.behind), plate.size))
    try:
        return behind_of(View(BehindRequest(request.plate)), report)
    except UnknownBehindError as error:
        report(f"The edge is looked for in the plate alone. {error.why}")
        return None


def _told(delivered: Delivered) -> dict[str, Any]:
    if delivered.points is None or delivered.doubt is None:
        return {"gone": True}
    points = [[round(float(v), 3) for v in point[:6]] for point in delivered.points]
    doubt = [[i, i + 1, round(float(v), 3)] for i, v in enumerate(delivered.doubt) if v >= 0.05]
    return {"points": points, "doubt": doubt}


def _keys(request: Request) -> dict[int, Points]:
    keys = {request.at: read_outline(request.outline)}
    for text in request.also:
        name, _, frame = text.rpartition("@")
        if not name or not frame.isdecimal():
            raise WrongUseError(f"--also {text} is not a file and a frame, such as arm.json@1012.")
        keys[int(frame)] = read_outline(Path(name))
    if len({len(points) for points in keys.values()}) > 1:
        counts = ", ".join(f"{len(points)} at {frame}" for frame, points in sorted(keys.items()))
        raise WrongUseError(
            f"The keys have different numbers of points ({counts}). They need the same points in the same order."
        )
    return keys


def read_outline(where: Path) -> Points:
    """Points (N, 8) of an outline file. Raises WrongUseError."""
    try:
        told = OutlineFile.model_validate_json(where.read_bytes())
    except OSError as error:
        raise WrongUseError(f"There is no outline file {where} to read.") from error
    except ValidationError as error:
        raise WrongUseError(
            f'{where} is not an outline: it needs "points", at least three of them, each with six numbers '
            f"(x, y, in_x, in_y, out_x, out_y). {error.errors()[0]['msg']}."
        ) from error
    points = np.zeros((len(told.points), 8))
    points[:, :6] = told.points
    return points


def kinds_of(points: Points) -> list[str]:
    """Smooth where a point's two handles lie in one line, free elsewhere."""
    arriving, leaving = points[:, 2:4], points[:, 4:6]
    lengths = np.hypot(*arriving.T) * np.hypot(*leaving.T)
    straight = -(arriving * leaving).sum(axis=1) > STRAIGHT * np.maximum(lengths, 1e-9)
    return ["smooth" if s else "free" for s in straight & (lengths > 1e-9)]
