"""Keys a subject straight from files, without a database or a page."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import decode, encode, of_hex, to_working
from wiseglove.core.keying.doubts import doubt
from wiseglove.core.keying.key import GreyError, Keyer, finished, key, sampled, shrunk, subject
from wiseglove.core.parallel import each
from wiseglove.jobs.solve_files import WrongUseError, matching
from wiseglove.media.plate import PlateFiles

Picture = NDArray[np.float32]


@dataclass(frozen=True)
class Request:
    """What is to be keyed. samples: x, y, width and height in plate pixels, on the first frame of the range."""

    plate: str
    out: Path
    samples: list[tuple[float, float, float, float]] = field(default_factory=list)
    backing: str | None = None
    clean_plate: str | None = None
    low: float | None = None
    high: float | None = None
    shrink: float = 0.0
    garbage: str | None = None
    core: str | None = None
    first: int | None = None
    last: int | None = None
    despilled: Path | None = None


def key_files(request: Request, report: Callable[[str], None]) -> int:
    """Write a matte for each frame, and the subject if wanted; how many. Raises WrongUseError and MediaError.

    A frame that stands there already is written anew; each file is written whole or not at all.
    """
    plate = PlateFiles(request.plate)
    first = plate.first if request.first is None else request.first
    last = plate.last if request.last is None else request.last
    if not plate.first <= first <= last <= plate.last:
        raise WrongUseError(
            f"The range {first}:{last} does not lie in the plate, whose frames are {plate.first} to {plate.last}."
        )
    low = Keyer.low if request.low is None else request.low
    high = Keyer.high if request.high is None else request.high
    if not 0 <= low < high <= 1:
        raise WrongUseError("--low must be at least 0 and less than --high, which is 1 at most.")
    keyer = Keyer(_colour(request, plate, first), low, high)
    clean = _clean(request, plate)
    masks = [
        matching(where, plate, first, last, what) if where else None
        for where, what in ((request.core, "core mattes"), (request.garbage, "garbage mattes"))
    ]
    shares = ", ".join(f"{v:.3f}" for v in keyer.sample)
    report(f"Keying frames {first} to {last}, backing {shares} in linear light.")
    doubtful = doubt(_linear(plate.read(first)), keyer, {last: _linear(plate.read(last))})
    if doubtful:
        report(doubtful)

    for folder in (request.out, request.despilled):
        if folder is not None:
            folder.mkdir(exist_ok=True)

    def one(frame: int) -> None:
        picture = _linear(plate.read(frame))
        core, garbage = (None if m is None else m(frame) for m in masks)
        keyed = key(picture, keyer, clean, core)
        alpha = finished(shrunk(keyed.alpha, request.shrink), core, garbage)
        _save(request.out / f"matte.{frame:04d}.png", alpha)
        if request.despilled is not None:
            colours = encode(np.clip(subject(picture, alpha, keyed.backing, keyer), 0, 1)).astype(np.float32)
            _save(request.despilled / f"subject.{frame:04d}.png", colours[..., ::-1])

    each(one, range(first, last + 1))
    return last - first + 1


def _linear(pixels: NDArray[np.generic]) -> Picture:
    return np.asarray(to_working(pixels, True)[..., :3], np.float32)


def _colour(request: Request, plate: PlateFiles, first: int) -> tuple[float, float, float]:
    if bool(request.samples) == bool(request.backing):
        raise WrongUseError(
            'Say what the backing is: either --sample "x,y,w,h" (may be repeated) or --backing "#rrggbb".'
        )
    try:
        if request.backing:
            if not re.fullmatch(r"#[0-9a-fA-F]{6}", request.backing):
                raise WrongUseError(f'--backing "{request.backing}" is not a colour such as "#2f9e4b".')
            return sampled([np.asarray(decode(of_hex(request.backing)), np.float32).reshape(1, 1, 3)])
        picture, (width, height) = _linear(plate.read(first)), plate.size
        parts = []
        for x, y, w, h in request.samples:
            left, top, right, bottom = round(x), round(y), round(x + w), round(y + h)
            part = picture[max(top, 0) : max(bottom, 0), max(left, 0) : max(right, 0)]
            if part.size == 0:
                raise WrongUseError(
                    f"The sample {x:g},{y:g},{w:g},{h:g} holds no pixel of the plate, which is {width}x{height}. Give x, y, "
                    "width and height of a part of the backing."
                )
            parts.append(part)
        return sampled(parts)
    except GreyError as error:
        raise WrongUseError(str(error)) from error


def _clean(request: Request, plate: PlateFiles) -> Picture | None:
    if not request.clean_plate:
        return None
    there = PlateFiles(request.clean_plate)
    if there.size != plate.size:
        raise WrongUseError(
            f"The clean plate is {there.size[0]}x{there.size[1]}, the plate is {plate.size[0]}x{plate.size[1]}. They need "
            "the same size."
        )
    return _linear(there.read(there.first))


def _save(target: Path, values: Picture) -> None:
    save_png(target, np.round(np.clip(values, 0, 1) * 65535).astype(np.uint16))


def save_png(target: Path, pixels: NDArray[np.uint16] | NDArray[np.uint8]) -> None:
    """Write 8- or 16-bit pixels (blue first where there are colours), whole or not at all."""
    part = target.with_name(target.name + ".part")
    part.write_bytes(cv2.imencode(".png", pixels, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes())
    part.replace(target)
