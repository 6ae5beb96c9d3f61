"""Exact-area coverage of outlines by signed-area accumulation.

Every edge adds, to the pixels of the rows it crosses, the area between it and the right border; a running
sum along each row then gives the winding-weighted share of each pixel that lies inside. This is exact for
polygons, and curves are flattened to within 0.005 px.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import FLATNESS, Points, bounds, flatten

Matte = NDArray[np.float32]
BLOCK = 8
"""Columns that are looked at, or skipped, together."""


@dataclass(frozen=True)
class Box:
    """A pixel rectangle: left, top inclusive, right, bottom exclusive."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def width(self) -> int:
        return max(self.right - self.left, 0)

    @property
    def height(self) -> int:
        return max(self.bottom - self.top, 0)

    @property
    def empty(self) -> bool:
        return self.width == 0 or self.height == 0

    @property
    def slices(self) -> tuple[slice, slice]:
        """Row and column slices of the box in a full-frame array."""
        return slice(self.top, self.bottom), slice(self.left, self.right)

    def within(self, other: Box) -> Box:
        """The part of this box that lies in another one (may be empty)."""
        left, top = max(self.left, other.left), max(self.top, other.top)
        return Box(left, top, max(min(self.right, other.right), left), max(min(self.bottom, other.bottom), top))

    def joined(self, other: Box) -> Box:
        """The smallest box that holds both; an empty one counts for nothing."""
        if self.empty or other.empty:
            return other if self.empty else self
        return Box(
            min(self.left, other.left),
            min(self.top, other.top),
            max(self.right, other.right),
            max(self.bottom, other.bottom),
        )


def box_of(points: Points, scale: float = 1.0) -> Box:
    """The pixel box that an outline can touch at a scale."""
    left, top, right, bottom = (v * scale for v in bounds(points))
    return Box(math.floor(left), math.floor(top), math.ceil(right), math.ceil(bottom))


@nb.njit(cache=True, fastmath=True)
def _accumulate(acc, touched, width, line):  # type: ignore[no-untyped-def]
    """Add the signed areas of a polyline's edges to acc (height, at least width + 1 columns).

    `touched` (height, columns / BLOCK) gets a 1 for each run of BLOCK columns in which something was added.
    """
    height = acc.shape[0]
    right = float(width)
    for i in range(line.shape[0] - 1):
        ax, ay, bx, by = line[i, 0], line[i, 1], line[i + 1, 0], line[i + 1, 1]
        if ay == by:
            continue
        sign = 1.0
        if ay > by:
            ax, ay, bx, by = bx, by, ax, ay
            sign = -1.0
        if by <= 0.0 or ay >= height:
            continue
        slope = (bx - ax) / (by - ay)
        if ay < 0.0:
            ax -= ay * slope
            ay = 0.0
        if by > height:
            bx -= (by - height) * slope
            by = float(height)
        x = ax
        for row in range(int(ay), min(int(math.ceil(by)), height)):
            top, bottom = max(ay, float(row)), min(by, row + 1.0)
            dy = bottom - top
            x_next = x + slope * dy
            x0, x1 = (x, x_next) if x < x_next else (x_next, x)
            x = x_next
            if x0 >= right:
                continue
            d = sign * dy
            if x1 > right or x0 < 0.0:
                # Part of this piece is beside the array: what lies left counts whole, what lies right not.
                span = x1 - x0
                if x0 < 0.0:
                    touched[row, 0] = 1
                if x1 <= 0.0:
                    acc[row, 0] += d
                    continue
                if x0 < 0.0:
                    acc[row, 0] += d * (-x0 / span)
                inside = min(x1, right) - max(x0, 0.0)
                d = d * (inside / span)
                x0, x1 = max(x0, 0.0), min(x1, right)
                if x0 >= right:
                    continue
            first = int(x0)
            last = int(math.ceil(x1))
            for block in range(first // BLOCK, max(last, first + 1) // BLOCK + 1):
                touched[row, block] = 1
            if last <= first + 1:
                middle = 0.5 * (x0 + x1) - first
                acc[row, first] += d * (1.0 - middle)
                acc[row, first + 1] += d * middle
                continue
            # The edge crosses several pixels of this row: a trapezoid in each.
            rate = d / (x1 - x0)
            left_part = first + 1.0 - x0
            area = 0.5 * rate * left_part * left_part
            acc[row, first] += area
            before = area
            for column in range(first + 1, last - 1):
                area = rate * (column + 0.5 - x0)
                acc[row, column] += area - before
                before = area
            right_part = x1 - (last - 1.0)
            area = d - 0.5 * rate * right_part * right_part
            acc[row, last - 1] += area - before
            acc[row, last] += d - area


@nb.njit(cache=True, fastmath=True)
def _resolve(acc, touched, target, left, top, width, most, rounding):  # type: ignore[no-untyped-def]
    """Coverage times `most` (plus `rounding`) from accumulated areas into a box of target.

    The box begins at (left, top) and is `width` wide and as high as acc; target is contiguous in memory, without
    which the compiler cannot fill runs quickly. Where nothing was added the running sum stays as it is, so such runs are filled without being read.
    acc and touched are left zeroed.
    """
    one = np.float32(1.0)
    blocks = touched.shape[1]
    for row in range(acc.shape[0]):
        out = target[top + row, left : left + width]
        total = np.float32(0.0)
        block = 0
        while block < blocks:
            start = block * BLOCK
            if touched[row, block]:
                touched[row, block] = 0
                for column in range(start, start + BLOCK):
                    total += acc[row, column]
                    acc[row, column] = 0.0
                    if column < width:
                        out[column] = min(abs(total), one) * most + rounding
                block += 1
                continue
            while block < blocks and not touched[row, block]:
                block += 1
            out[start : min(block * BLOCK, width)] = min(abs(total), one) * most + rounding


class _Scratch(threading.local):
    """Accumulation buffers of one thread; zero whenever nobody is at work on them."""

    def __init__(self) -> None:
        self._areas = np.zeros(0, np.float32)
        self._touched = np.zeros(0, np.uint8)

    def of(self, height: int, width: int) -> tuple[Matte, NDArray[np.uint8]]:
        """Buffers for a box: areas (height, columns) and flags (height, columns / BLOCK)."""
        blocks = width // BLOCK + 1
        if self._touched.size < height * blocks:
            self._areas = np.zeros(height * blocks * BLOCK, np.float32)
            self._touched = np.zeros(height * blocks, np.uint8)
        areas = self._areas[: height * blocks * BLOCK].reshape(height, blocks * BLOCK)
        return areas, self._touched[: height * blocks].reshape(height, blocks)


_scratch = _Scratch()


def _fill(
    target: NDArray[Any], place: tuple[int, int], points: Points, box: Box, scale: float, most: float, rounding: float
) -> None:
    acc, touched = _scratch.of(box.height, box.width)
    line = flatten(points, FLATNESS, scale, (box.left / scale, box.top / scale))
    _accumulate(acc, touched, box.width, line)
    _resolve(acc, touched, target, *place, box.width, np.float32(most), np.float32(rounding))


def coverage(points: Points, box: Box, scale: float = 1.0) -> Matte:
    """The share of each pixel of a box that an outline (N, 6) covers; float32, shape of the box.

    `scale` is pixels of the result per plate pixel, and the box is in pixels of the result. The interior is
    where the winding is not zero, except that opposite windings laid over each other cancel.
    """
    out = np.empty((box.height, box.width), np.float32)
    if out.size:
        _fill(out, (0, 0), points, box, scale, 1.0, 0.0)
    return out


def accumulated(lines: Sequence[Points], box: Box, share: float = 1.0) -> Matte:
    """Coverage of a box by closed polylines (M, 2) given from its corner, each counting `share`, clamped once at the end."""
    out = np.empty((box.height, box.width), np.float32)
    if out.size:
        acc, touched = _scratch.of(box.height, box.width)
        for line in lines:
            _accumulate(acc, touched, box.width, line)
        if share != 1.0:
            acc *= np.float32(share)
        _resolve(acc, touched, out, 0, 0, box.width, np.float32(1.0), np.float32(0.0))
    return out


def fill(target: NDArray[np.uint8], points: Points) -> Box:
    """Write an outline's 8-bit coverage into a contiguous full-frame array, touching only its box, which is returned."""
    box = box_of(points).within(Box(0, 0, target.shape[1], target.shape[0]))
    if not box.empty:
        _fill(target, (box.left, box.top), points, box, 1.0, 255.0, 0.5)
    return box
