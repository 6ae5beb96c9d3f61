"""Solves a pane's motion straight from files, without a database or a page."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply, is_convex
from wiseglove.core.motion.anchor import solve_sharply
from wiseglove.core.motion.channels import FURTHER, Channel, best_channel, seen_in
from wiseglove.core.motion.models import Model
from wiseglove.core.motion.plane import PlaneSolver
from wiseglove.core.motion.regions import filled
from wiseglove.core.motion.solve import explained, stretches
from wiseglove.core.motion.verdict import Place
from wiseglove.interchange import motion
from wiseglove.media.light import Reading
from wiseglove.media.plate import PlateFiles, to_float
from wiseglove.media.spool import Spool, in_order

Points = NDArray[np.float64]
MARGIN = 4
"""Pixels that are left out round what hides the patch."""
KEPT = 48
"""Grey pictures that are kept in memory."""


class WrongUseError(ValueError):
    """What was asked for cannot be done; the message says why and what would do."""


@dataclass(frozen=True)
class Request:
    """What is to be solved. Places are in plate pixels; `pane` (4, 2), patches and blind spots (N, 2)."""

    plate: str
    patches: list[Points]
    pane: Points
    blind: list[Points] = field(default_factory=list)
    at: int | None = None
    first: int | None = None
    last: int | None = None
    model: Model = "perspective"
    channel: Channel = "auto"
    ignore: str | None = None


def solve_files(request: Request, report: Callable[[str], None]) -> list[motion.Row]:
    """A row for each frame of the range. Raises WrongUseError and MediaError; nothing is written."""
    plate = PlateFiles(request.plate)
    first, last = request.first or plate.first, request.last or plate.last
    at = first if request.at is None else request.at
    _check(request, plate, first, last, at)
    ignored = _ignored(request.ignore, plate, first, last) if request.ignore else None
    mask = _mask(request, plate, ignored(at) if ignored else None)
    pixels = to_float(plate.read(at))
    channel = request.channel
    if channel == "auto":
        others = (to_float(plate.read(f)) for f in (at + FURTHER, at - FURTHER) if first <= f <= last)
        channel = best_channel(pixels, mask, others)
    width, height = plate.size

    def grey(frame: int) -> NDArray[np.float32]:
        return seen_in(to_float(plate.read(frame)), channel)

    def solver_at(reference: int, on: NDArray[np.float64]) -> PlaneSolver:
        counted = mask if reference == at else np.asarray(cv2.warpPerspective(mask, on, (width, height)), np.float32)
        return PlaneSolver(spool.get, reference, counted, request.model, ignored or (lambda frame: None))

    order = in_order(first, last, at, plate.about.kind == "movie")
    report(f"Looking at {channel}, frames {first} to {last} from {at}, model {request.model}.")
    with Spool(grey, order, plate.size) as spool:
        places = solve_sharply(solver_at, at, first, last, lambda place: None, near=range(first, last + 1))
    for begin, end, status, reason in stretches(places):
        frames = f"Frame {begin}" if begin == end else f"Frames {begin} to {end}"
        report(f"{frames} {status}: {explained(reason)}.")
    return [_row(places[frame], request.pane) for frame in range(first, last + 1)]


def _row(place: Place, pane: Points) -> motion.Row:
    corners = None if place.matrix is None else apply(place.matrix, pane)
    return motion.Row(place.frame, place.status, place.confidence, corners)


def _check(request: Request, plate: PlateFiles, first: int, last: int, at: int) -> None:
    if plate.about.count < 2:
        raise WrongUseError("The plate has one frame only, so there is no motion to solve. Name a longer plate.")
    if not plate.first <= first <= last <= plate.last:
        raise WrongUseError(
            f"The range {first}:{last} does not lie in the plate, whose frames are {plate.first} to {plate.last}."
        )
    if first == last:
        raise WrongUseError("The range is one frame only, so there is no motion to solve. Make it longer.")
    if not first <= at <= last:
        raise WrongUseError(f"Frame {at} is not in the range {first}:{last}. Begin at a frame within it.")
    if not request.patches:
        raise WrongUseError("There is no patch to look at. Give at least one with --patch.")
    if not is_convex(request.pane):
        raise WrongUseError("The pane's four corners must go round a convex area without crossing.")


def _mask(request: Request, plate: PlateFiles, hidden: NDArray[np.float32] | None) -> NDArray[np.float32]:
    width, height = plate.size
    mask = np.zeros((height, width), np.float32)
    for number, patch in enumerate(request.patches, 1):
        area = abs(cv2.contourArea(patch.astype(np.float32)))
        if area < 16:
            raise WrongUseError(f"Patch {number} has no area. Give at least three corners that lie apart.")
        part = filled(patch, (height, width))
        if not (part > 0.5).any():
            raise WrongUseError(f"Patch {number} lies outside the plate, which is {width}x{height} pixels.")
        mask = np.maximum(mask, part)
    for spot in request.blind:
        mask *= 1 - filled(spot, (height, width))
    if not (mask > 0.5).any():
        raise WrongUseError("The blind spots leave nothing of the patch. Make them smaller.")
    if hidden is not None and not ((mask > 0.5) & (hidden < 0.02)).any():
        raise WrongUseError(
            "The patch is wholly covered on the first frame looked at. Begin at a frame where it is seen."
        )
    return mask


def matching(where: str, plate: PlateFiles, first: int, last: int, what: str) -> Callable[[int], NDArray[np.float32]]:
    """Pictures that go with a plate's frames, by number or else by order: frame number to (h, w), 0..1.

    Raises WrongUseError for another size, or where some are missing.
    """
    mattes = PlateFiles(where, reading=Reading(light="display"))  # coverage, whatever holds it
    if mattes.size != plate.size:
        raise WrongUseError(
            f"The {what} in {where} are {mattes.size[0]}x{mattes.size[1]}, the plate is {plate.size[0]}x{plate.size[1]}. "
            "They need the plate's size."
        )
    if mattes.first <= first and last <= mattes.last:
        shift = 0
    elif mattes.about.count == plate.about.count:
        shift = mattes.first - plate.first
    else:
        raise WrongUseError(
            f"The {what} in {where} are frames {mattes.first} to {mattes.last}, but {first} to {last} are wanted. They need "
            "a picture for each frame."
        )

    def bright(frame: int) -> NDArray[np.float32]:
        return np.asarray(to_float(mattes.read(frame + shift))[..., :3].max(axis=2) / 255, np.float32)

    return bright


def _ignored(where: str, plate: PlateFiles, first: int, last: int) -> Callable[[int], NDArray[np.float32]]:
    bright = matching(where, plate, first, last, "mattes")
    around = np.ones((2 * MARGIN + 1, 2 * MARGIN + 1), np.uint8)

    @lru_cache(maxsize=KEPT)
    def hidden(frame: int) -> NDArray[np.float32]:
        return np.asarray(cv2.dilate((bright(frame) > 0.1).astype(np.float32), around), np.float32)

    return hidden


def write(rows: list[motion.Row], target: Path) -> None:
    """The table, whole or not at all."""
    part = target.with_name(target.name + ".part")
    part.write_text(motion.write(rows))
    part.replace(target)
