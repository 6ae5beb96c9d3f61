"""An insert on a pane: perspective warp with proper minification.

The insert is first reduced by area to the density at which it will be seen, then sampled bilinearly on a
finer grid than the result's, then averaged down. Its edge is not sampled at all: the pane's alpha is the
exact coverage of its four corners.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable
from contextlib import suppress
from dataclasses import dataclass
from threading import Lock
from typing import Any, TypeVar, cast

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from wiseglove.core.compositing import sampled
from wiseglove.core.compositing.face import PLAIN, Face, on_insert, outline
from wiseglove.core.geometry.homography import apply, unit_square_to_quad
from wiseglove.core.matte.combine import outline_matte
from wiseglove.core.matte.coverage import Box, Matte, box_of

Layer = NDArray[np.float32]
A = TypeVar("A")
PREVIEW, FINAL = 2, 5
"""Samples per pixel and axis: for the viewer, and for what is delivered."""


@dataclass(frozen=True)
class Laid:
    """An insert as seen through a pane: where, its colour (h, w, 3) unpremultiplied, its alpha (h, w)."""

    box: Box
    colour: Layer
    alpha: Matte


class Kept:
    """Inserts as they were reduced, or laid, within a bound, for laying the same again. Safe for use by several threads.

    They are known by their identity; each is held as long as what was made of it, so that this stays its own.
    """

    def __init__(self, most: int) -> None:
        """most: bytes, of inserts and what was made of them."""
        self._made: LRUCache[tuple[Hashable, ...], tuple[Layer, Any, int]] = LRUCache(most, lambda held: held[2])
        self._lock = Lock()

    def reduced(self, insert: Layer, width: int, height: int) -> Layer:
        """An insert (H, W, 3 or 4) with its alpha at a size that is no larger, (height, width, 4)."""
        return self._held(
            insert, (width, height), lambda: _made_smaller(insert, width, height), lambda made: made.nbytes
        )

    def laid(self, insert: Layer, how: tuple[Hashable, ...], make: Callable[[], Laid]) -> Laid:
        """An insert as it is laid in a way that `how` names wholly; made where it is not there."""
        return self._held(insert, how, make, lambda made: made.colour.nbytes + made.alpha.nbytes)

    def _held(self, insert: Layer, how: tuple[Hashable, ...], make: Callable[[], A], size: Callable[[A], int]) -> A:
        key = (id(insert), *how)
        with self._lock:
            found = self._made.get(key)
        if found is not None:
            return cast(A, found[1])
        made = make()
        with self._lock, suppress(ValueError):  # larger than all that may be kept
            self._made[key] = insert, made, insert.nbytes + size(made)
        return made


def face_outline(corners: NDArray[np.float64], face: Face = PLAIN) -> NDArray[np.float64]:
    """The border of a pane with corners (4, 2) as an outline without handles, (N, 8). Raises DegenerateQuadError."""
    return outline(face, unit_square_to_quad(np.asarray(corners, np.float64)))


def lay(
    insert: Layer,
    corners: NDArray[np.float64],
    frame: Box,
    scale: float,
    samples: int,
    face: Face = PLAIN,
    placed: NDArray[np.float64] | None = None,
    kept: Kept | None = None,
) -> Laid:
    """Warp an insert (H, W, 3 or 4; working values, the fourth its premultiplying alpha) onto a pane.

    Parameters: corners (4, 2) in plate pixels, in the order top left, top right, bottom right, bottom left of
    the insert; frame: the result's pixels; scale: result pixels per plate pixel; samples per pixel and axis; face: how
    its border and its glass are shaped; placed: where the insert's unit square lies in the pane's, (3, 3), where it is not
    stretched over it; the pane's border cuts it off, and beyond its own there is nothing; kept: inserts that were reduced
    already, for laying the same again.
    Raises DegenerateQuadError for corners that bound no convex area.
    """
    quad = np.asarray(corners, np.float64) * scale
    unit = unit_square_to_quad(quad)
    border = face_outline(corners, face)
    box = box_of(border, scale).within(frame)
    if box.empty:
        return _nothing(box)
    if placed is None and face.flat and face.square and _is_upright(quad, box):
        smaller = insert.shape[1] >= box.width and insert.shape[0] >= box.height
        how = cv2.INTER_AREA if smaller else cv2.INTER_LINEAR
        seen = np.asarray(cv2.resize(insert, (box.width, box.height), interpolation=how), np.float32)
        return _as_laid(box, seen, np.ones(seen.shape[:2], np.float32))
    own = np.eye(3) if placed is None else placed
    steps = _steps(unit @ own, box)
    dense = _density(insert, steps)
    samples = min(samples, _enough(dense, ENOUGH))
    source = _reduced(insert, steps, samples, kept)
    alpha = _covered(unit, border, placed, box, scale)
    if face.flat:
        places = sampled.grid(samples, dense > EVEN)
        return Laid(box, *sampled.still(source, _to_source(source, unit @ own), places, alpha, box))
    return _as_laid(box, _bent(source, unit, own, box, samples, face), alpha)


def spread_over(
    picture: Layer, corners: NDArray[np.float64], box: Box, scale: float, beyond: float | None = None
) -> Layer:
    """A picture (H, W) or (H, W, 4) stretched over a pane, looked up once for each pixel of a box, (h, w) or (h, w, 4).

    For pictures that are measured by, not shown: without the pane's alpha. beyond: what lies outside of the picture, which
    otherwise goes on as at its border. Otherwise as `lay`.
    """
    unit = unit_square_to_quad(np.asarray(corners, np.float64) * scale)
    middles = np.array([[1, 0, box.left + 0.5], [0, 1, box.top + 0.5], [0, 0, 1.0]])
    seen = cv2.warpPerspective(
        picture,
        _to_source(picture, unit) @ middles,
        (box.width, box.height),
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE if beyond is None else cv2.BORDER_CONSTANT,
        borderValue=0.0 if beyond is None else beyond,
    )
    return np.asarray(seen, np.float32)


def lay_moving(
    insert: Layer,
    moments: list[NDArray[np.float64]],
    frame: Box,
    scale: float,
    samples: int,
    face: Face = PLAIN,
    placed: NDArray[np.float64] | None = None,
    kept: Kept | None = None,
) -> Laid:
    """The mean of an insert on a pane at several moments of the exposure, corners (4, 2) each.

    samples: per pixel and axis at each moment. Otherwise as `lay`, of a flat face.
    """
    units = [unit_square_to_quad(np.asarray(corners, np.float64) * scale) for corners in moments]
    borders = [face_outline(corners, face) for corners in moments]
    box = box_of(np.concatenate(borders), scale).within(frame)
    if box.empty:
        return _nothing(box)
    own = np.eye(3) if placed is None else placed
    steps = _steps(units[len(units) // 2] @ own, box)
    dense = _density(insert, steps)
    samples = min(samples, _enough(dense, ENOUGH_MOVING))
    source = _reduced(insert, steps, samples, kept)
    covered = [_covered(unit, border, placed, box, scale) for unit, border in zip(units, borders, strict=True)]
    to_source = np.stack([_to_source(source, unit @ own) for unit in units])
    places = sampled.one_each(len(units)) if samples == 1 else [sampled.grid(samples, dense > EVEN)] * len(units)
    return Laid(box, *sampled.exposed(source, to_source, places, np.stack(covered), box))


def _covered(
    unit: NDArray[np.float64],
    border: NDArray[np.float64],
    placed: NDArray[np.float64] | None,
    box: Box,
    scale: float,
) -> Matte:
    """Alpha of a pane over a box within its border (N, 8), and within what is placed on it."""
    alpha = outline_matte(border[None], box, scale)
    if placed is not None and not _covers(placed):
        ends = np.zeros((4, 8))
        ends[:, :2] = apply(unit @ placed, UNIT) / scale
        alpha = alpha * outline_matte(ends[None], box, scale)
    return alpha


def _to_source(source: Layer, placed: NDArray[np.float64]) -> NDArray[np.float64]:
    """From the result to a source's pixels, of which the first has its centre at 0; placed: its unit square on the result."""
    height, width = source.shape[:2]
    # OpenCV puts the first pixel's centre at (0, 0); ours is at (0.5, 0.5).
    return np.asarray(np.array([[width, 0, -0.5], [0, height, -0.5], [0, 0, 1.0]]) @ np.linalg.inv(placed), np.float64)


def _nothing(box: Box) -> Laid:
    """A pane that lies beside the frame."""
    return Laid(box, np.zeros((0, 0, 3), np.float32), np.zeros((0, 0), np.float32))


UNIT = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])


def placement(
    aspect: float, pane: float, fit: str, scale: float = 1.0, across: float = 0.0, down: float = 0.0, turn: float = 0.0
) -> NDArray[np.float64] | None:
    """Where a picture's unit square lies in a pane's, (3, 3); None where it is stretched over it and nothing else.

    aspect, pane: width over height of the picture and of the real pane. fit: "fill" the pane, "fit" into it, or "stretch".
    across, down: shifts in widths and heights of the pane; turn: degrees clockwise about the picture's middle.
    """
    if fit == "stretch" and scale == 1 and across == 0 and down == 0 and turn == 0:
        return None
    wide, tall = pane, 1.0  # in heights of the pane
    if fit != "stretch":
        by_width, by_height = pane / aspect, 1.0
        tall = max(by_width, by_height) if fit == "fill" else min(by_width, by_height)
        wide = tall * aspect
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    middle = np.array([[wide, 0, -wide / 2], [0, tall, -tall / 2], [0, 0, 1]])
    turned = np.array([[c * scale, -s * scale, pane * (0.5 + across)], [s * scale, c * scale, 0.5 + down], [0, 0, 1]])
    return np.asarray(np.diag([1 / pane, 1.0, 1.0]) @ turned @ middle)


def _covers(placed: NDArray[np.float64]) -> bool:
    """Whether a picture lies over all of its pane."""
    inside = apply(np.asarray(np.linalg.inv(placed), np.float64), UNIT)
    return bool((inside > -1e-6).all() and (inside < 1 + 1e-6).all())


def _bent(
    source: Layer, unit: NDArray[np.float64], placed: NDArray[np.float64], box: Box, samples: int, face: Face
) -> Layer:
    """What of an insert is seen in a box through a face that is not flat, (h, w, 4), by a finer grid that is averaged down."""
    on_source = _to_source(source, placed)
    out = np.empty((box.height, box.width, 4), np.float32)
    for top in range(0, box.height, STRIP):
        part = out[top : top + STRIP]
        to_result = np.array(
            [
                [1 / samples, 0, box.left + 0.5 / samples],
                [0, 1 / samples, box.top + top + 0.5 / samples],
                [0, 0, 1.0],
            ]
        )
        grid = np.meshgrid(np.arange(box.width * samples), np.arange(part.shape[0] * samples))
        on_unit = apply(np.linalg.inv(unit) @ to_result, np.stack(grid, axis=-1).astype(np.float64))
        at = np.asarray(apply(on_source, np.asarray(on_insert(face, on_unit), np.float64)), np.float32)
        across, down = np.ascontiguousarray(at[..., 0]), np.ascontiguousarray(at[..., 1])
        fine = cv2.remap(source, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        part[...] = cv2.resize(fine, (box.width, part.shape[0]), interpolation=cv2.INTER_AREA)
    return out


STRIP = 32
"""Rows of the result that are warped at once: the finer grid of all of them would not stay in the processor's cache."""


def _is_upright(quad: NDArray[np.float64], box: Box) -> bool:
    """Whether corners (4, 2) are those of a box of whole pixels, as those of a background that fills the frame."""
    whole = [[box.left, box.top], [box.right, box.top], [box.right, box.bottom], [box.left, box.bottom]]
    return bool(np.abs(quad - np.array(whole, np.float64)).max() < 1e-6)


def _as_laid(box: Box, seen: Layer, alpha: Matte) -> Laid:
    """Colour (unpremultiplied) and alpha of what is seen (h, w, 3 or 4; premultiplied) within a pane's alpha."""
    if seen.shape[2] == 4:
        own = seen[..., 3]
        colour = seen[..., :3] / np.maximum(own, 1e-6)[..., None]
        return Laid(box, colour.astype(np.float32), alpha * own)
    return Laid(box, np.asarray(seen, np.float32), alpha)


ENOUGH = ((1.2, 2), (2.05, 3), (2.7, 4))
"""Samples per pixel and axis that are within 45 dB of sixteen, on lines of thin text, up to so many of the insert's pixels in one of
ours; beyond that it takes five (`benchmarks.warping`)."""
EVEN = 2.1
"""Pixels of the insert in one of ours from which on it is reduced to the samples, which lie evenly then."""


ENOUGH_MOVING = ((0.5, 1),)
"""The same at each moment of the exposure."""


def _density(insert: Layer, steps: Steps) -> float:
    """How many of an insert's pixels lie side by side in one of the result's, where the pane shows it smallest."""
    across, down = steps
    height, width = insert.shape[:2]
    each = width / max(8 * across.min(initial=np.inf), 1e-6), height / max(8 * down.min(initial=np.inf), 1e-6)
    return float(max(each))


def _enough(dense: float, ladder: tuple[tuple[float, int], ...]) -> int:
    """Samples per pixel and axis by how dense an insert lies."""
    return next((samples for most, samples in ladder if dense <= most), FINAL)


Steps = tuple[NDArray[np.float64], NDArray[np.float64]]


def _steps(unit: NDArray[np.float64], box: Box) -> Steps:
    """How many of the result's pixels an eighth of an insert goes, across and down, wherever that is near the box."""
    along = np.linspace(0.0, 1.0, 9)
    grid = np.stack(np.meshgrid(along, along), axis=-1)
    on_result = apply(unit, grid)
    near = (
        (on_result[..., 0] > box.left - box.width)
        & (on_result[..., 0] < box.right + box.width)
        & (on_result[..., 1] > box.top - box.height)
        & (on_result[..., 1] < box.bottom + box.height)
    )
    if not near.any():
        near[:] = True
    across = np.linalg.norm(np.diff(on_result, axis=1), axis=-1)[near[:, 1:] | near[:, :-1]]
    down = np.linalg.norm(np.diff(on_result, axis=0), axis=-1)[near[1:] | near[:-1]]
    return across, down


def _reduced(insert: Layer, steps: Steps, samples: int, kept: Kept | None) -> Layer:
    """The insert with its alpha, (h, w, 4), no denser than the sample grid where the pane shows it largest."""
    across, down = steps
    height, width = insert.shape[:2]
    new_width = min(width, max(1, _rounded_up(8 * across.max(initial=0) * samples)))
    new_height = min(height, max(1, _rounded_up(8 * down.max(initial=0) * samples)))
    return (kept.reduced if kept is not None else _made_smaller)(insert, new_width, new_height)


def _made_smaller(insert: Layer, width: int, height: int) -> Layer:
    if insert.shape[:2] != (height, width):
        insert = np.asarray(cv2.resize(insert, (width, height), interpolation=cv2.INTER_AREA), np.float32)
    return sampled.with_alpha(insert)


def _rounded_up(pixels: float) -> int:
    """To steps of a 32nd, so that a pane that hardly moves needs the same."""
    step = max(int(pixels) // 32, 1)
    return math.ceil(pixels / step) * step
