"""One outline's matte with all that its edge has, and how the outlines of a cover make its matte."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely

from wiseglove.core.geometry.bezier import FLATNESS, Points, flatten
from wiseglove.core.matte.coverage import Box, Matte, accumulated, box_of, coverage
from wiseglove.core.matte.grow import grown
from wiseglove.core.matte.soft import is_soft, soft_coverage, soft_line

Mode = Literal["adds", "cuts", "limits"]


@dataclass(frozen=True)
class Part:
    """An outline of a cover at the moments of an exposure, (S, N, 8): one for a still one."""

    mode: Mode
    shapes: Points
    opacity: float = 1.0


def reach_box(shapes: Points, scale: float = 1.0, grow: float = 0.0) -> Box:
    """The pixel box that an outline can touch over its moments (S, N, 6 or 8), with soft edge and growth."""
    more = math.ceil((float(shapes[..., 7:].max(initial=0.0)) + max(grow, 0.0)) * scale)
    box = box_of(shapes.reshape(-1, shapes.shape[-1]), scale)
    return Box(box.left - more, box.top - more, box.right + more, box.bottom + more)


def outline_matte(shapes: Points, box: Box, scale: float = 1.0, grow: float = 0.0) -> Matte:
    """The mean matte of an outline over its moments (S, N, 8) on a box, with soft edges, grown by plate pixels."""
    plain = grow == 0.0 and not is_soft(shapes)
    if not plain:
        total = _edged(shapes[0], box, scale, grow)
        for points in shapes[1:]:
            total += _edged(points, box, scale, grow)
        if len(shapes) > 1:
            total *= np.float32(1 / len(shapes))
        return total
    if len(shapes) == 1:
        return coverage(shapes[0], box, scale)
    if not _simple(shapes):
        return np.asarray(np.mean([coverage(points, box, scale) for points in shapes], axis=0, dtype=np.float32))
    # Coverage is linear in the edges as long as none of the moments winds twice: one sum, resolved once.
    origin = (box.left / scale, box.top / scale)
    return accumulated([flatten(points, FLATNESS, scale, origin) for points in shapes], box, 1.0 / len(shapes))


def _edged(points: Points, box: Box, scale: float, grow: float) -> Matte:
    line = soft_line(points, scale, FLATNESS)
    if grow == 0.0:
        return soft_coverage(line, box)
    lines = grown(line, grow * scale)
    return soft_coverage(lines[0], box, tuple(lines[1:])) if lines else np.zeros((box.height, box.width), np.float32)


def _simple(shapes: Points) -> bool:
    """Whether the outline crosses itself at neither end nor in the middle of the exposure."""
    some = (shapes[0], shapes[len(shapes) // 2], shapes[-1])
    return all(shapely.is_simple(shapely.LinearRing(flatten(points, 0.1)[:-1])) for points in some)


def cover_matte(parts: Sequence[Part], box: Box, scale: float = 1.0, grow: float = 0.0) -> Matte:
    """A cover's matte over a box: outlines in order add (union), cut (difference) or limit (intersection).

    Coverages are combined as if independent within a pixel, the assumption of Porter & Duff 1984. Where several
    outlines move through the exposure they are combined moment by moment. What cuts shrinks when the cover grows.
    """
    moments = max((len(part.shapes) for part in parts), default=1)
    if moments == 1 or len(parts) == 1:
        return _combined(parts, box, scale, grow)
    total = np.zeros((box.height, box.width), np.float32)
    for k in range(moments):
        at = [Part(p.mode, p.shapes[k * len(p.shapes) // moments][None], p.opacity) for p in parts]
        total += _combined(at, box, scale, grow)
    return total / np.float32(moments)


def _combined(parts: Sequence[Part], box: Box, scale: float, grow: float) -> Matte:
    matte = np.zeros((box.height, box.width), np.float32)
    for number, (mode, shapes, opacity) in enumerate((p.mode, p.shapes, np.float32(p.opacity)) for p in parts):
        own = -grow if mode == "cuts" else grow
        if mode == "limits":
            matte *= 1 - opacity * (1 - outline_matte(shapes, box, scale, own))
            continue
        part = reach_box(shapes, scale, own).within(box)
        if part.empty:
            continue
        inside = outline_matte(shapes, part, scale, own)
        if opacity != 1:
            inside *= opacity
        if number == 0 and mode == "adds" and part == box:  # there is nothing yet that it adds to
            matte = inside
            continue
        rows, columns = Box(
            part.left - box.left, part.top - box.top, part.right - box.left, part.bottom - box.top
        ).slices
        here = matte[rows, columns]
        matte[rows, columns] = here + inside - here * inside if mode == "adds" else here * (1.0 - inside)
    return matte
