"""Key lists of outlines and panes: setting, moving and deleting, in one way for both."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.similarity import turns_and_scales
from wiseglove.shot.basics import Corners, Curve, PaneKey, Plate, Point, Strict
from wiseglove.shot.errors import EditError
from wiseglove.shot.model import Animated, Key, Outline
from wiseglove.shot.rider import Rider, key_points

Array = NDArray[np.float64]
COARSE = 0.01
"""Pixels below which two shapes are the same."""


def check_frame(plate: Plate, frame: int) -> None:
    """Raise EditError for a frame that the plate does not have."""
    if not plate.first <= frame <= plate.last:
        raise EditError(
            f"Frame {frame} is outside the plate, which has frames {plate.first} to {plate.last}. "
            "Nothing was changed; choose a frame within it."
        )


def with_key_list(element: Animated, keys: Sequence[Key | PaneKey]) -> Animated:
    """The element with other keys; a pivot keeps its place on the outline where the first key becomes another."""
    changed = element.model_copy(update={"keys": list(keys)})
    if not isinstance(element, Outline) or element.pivot is None or not keys:
        return changed
    old, new = key_points(element.keys[0]), key_points(keys[0])
    if len(old) != len(new):
        return changed
    turn = similarity(old, new)
    place = complex(*element.pivot) - centre(old)
    moved = centre(new) + turn * place
    return changed.model_copy(update={"pivot": (moved.real, moved.imag)})


def centre(points: Points) -> complex:
    """The mean of an outline's points, as x + iy."""
    return complex(*points[:, :2].mean(axis=0))


def with_shapes(element: Animated, shapes: Array) -> Animated:
    """The element with other stored points (K, N, 8) on its keys; a pane or a subject takes the places only."""
    if isinstance(element, Outline):
        made: list[Key | PaneKey] = [
            k.model_copy(update={"points": as_points(p)}) for k, p in zip(element.keys, shapes, strict=True)
        ]
    else:
        made = [k.model_copy(update={"corners": as_corners(p)}) for k, p in zip(element.keys, shapes, strict=True)]
    return with_key_list(element, made)


def with_key(rider: Rider[Any], frame: int, points: Points) -> Rider[Any]:
    """The element with a key of that shape, as seen, on a frame; a new key takes over its stretch's ease."""
    element: Animated = rider.element
    points = _stored(rider, frame, points)
    here = next((k for k in element.keys if k.frame == frame), None)
    earlier = [k for k in element.keys if k.frame <= frame]
    if isinstance(element, Outline):
        values: dict[str, Any] = {"frame": frame, "points": as_points(points)}
        source: Key | PaneKey = Key(frame=frame, points=[])
    else:
        values = {"frame": frame, "corners": as_corners(points)}
        source = element.keys[0].model_copy(update={"ease": "smooth", "curve": None})
    if here is not None:
        source = here
    elif earlier:
        source = source.model_copy(update={"ease": earlier[-1].ease, "curve": earlier[-1].curve})
    key = source.model_copy(update=values)
    keys = sorted([k for k in element.keys if k.frame != frame] + [key], key=_frame)
    return rider.changed(with_key_list(element, keys))


def _stored(rider: Rider[Any], frame: int, points: Points) -> Points:
    """Points (N, 8) seen on a frame as they are to be stored; those that are where they were keep their very numbers."""
    if rider.motion is None or len(points) != len(key_points(rider.element.keys[0])):
        return points
    stays = (points == rider.shape_at(frame)).all(axis=1)[:, None]
    return np.where(stays, rider.stored_at([frame])[0], rider.to_stored(frame, points))


def _frame(key: Key | PaneKey) -> int:
    return key.frame


Reach = Literal["frame", "all", "onward", "range"]
"""How far an edit on a frame goes: that frame alone, all keys, it and all later keys, or a range of frames."""


class Range(Strict):
    """Frames in which an edit counts whole, and over how many frames beyond both ends it dies away."""

    first: int
    last: int
    soft: int = Field(default=0, ge=0, le=10_000)

    def share(self, frame: int) -> float:
        """How much of an edit a frame gets, 0..1, falling smoothly (a cubic without slope at its ends)."""
        away = max(self.first - frame, frame - self.last, 0)
        t = min(away / (self.soft + 1), 1.0)
        return 1 - t * t * (3 - 2 * t)


def with_shape(rider: Rider[Any], frame: int, shape: Points, reach: Reach, within: Range | None = None) -> Rider[Any]:
    """The element with a key of that shape on a frame, and its other keys in reach changed likewise.

    Where the whole was moved, other keys move by as much. Any other change goes with the outline: it is turned
    and scaled by the best similarity (Umeyama 1991) from the shape before on this frame to the other key's.
    """
    before = rider.shape_at(frame)
    change = shape - before
    whole = np.ptp(change[:, :2], axis=0).max() < 1e-9 and np.abs(change[:, 2:]).max(initial=0.0) < 1e-9
    changed = with_key(rider, frame, shape)
    for key in rider.element.keys:
        share = _share(key.frame, frame, reach, within)
        if key.frame == frame or share == 0.0:
            continue
        there = rider.shape_at(key.frame)
        turned = change if whole else _turned(change, before, there)
        moved = there + share * turned
        moved[:, 6:] = np.maximum(moved[:, 6:], 0.0)
        changed = with_key(changed, key.frame, moved)
    return changed


def _share(there: int, frame: int, reach: Reach, within: Range | None) -> float:
    if reach == "range":
        return within.share(there) if within else 0.0
    return float(reach == "all" or (reach == "onward" and there >= frame))


def similarity(before: Points, there: Points) -> complex:
    """Turn and scale from one shape (N, 8) to another as one complex factor (Umeyama 1991)."""
    source, target = (p[:, 0] + 1j * p[:, 1] for p in (before, there))
    return complex(np.exp(turns_and_scales((source - source.mean())[None], (target - target.mean())[None])[0]))


def _turned(change: Points, before: Points, there: Points) -> Points:
    out = change.copy()
    vectors = (change[:, 0:6:2] + 1j * change[:, 1:6:2]) * similarity(before, there)
    out[:, 0:6:2], out[:, 1:6:2] = vectors.real, vectors.imag
    return out


def as_points(shape: Points) -> list[Point]:
    """An array (N, 8) as a key's points; no zero is negative, as a patch of the journal would not see its sign."""
    return [tuple(row) for row in (np.asarray(shape, np.float64) + 0.0).tolist()]


def as_corners(shape: Points) -> Corners:
    """An array (4, 2 or more) as corners, likewise."""
    a, b, c, d = ((x, y) for x, y in (np.asarray(shape, np.float64)[:, :2] + 0.0).tolist())
    return a, b, c, d


def without_keys(element: Animated, frames: Iterable[int], what: str) -> Animated:
    """The element without the keys on these frames. Raises EditError where none would be left."""
    gone = set(frames)
    missing = gone - {k.frame for k in element.keys}
    if missing:
        raise EditError(f"There is no key on frame {min(missing)}. Nothing was changed.")
    kept = [k for k in element.keys if k.frame not in gone]
    if not kept:
        raise EditError(
            f"“{what}” needs at least one key, so its last one stays. To be rid of it, delete the whole thing instead."
        )
    return with_key_list(element, kept)


def with_keys_moved(
    element: Animated, frames: Iterable[int], to: Callable[[int], int], plate: Plate, copied: bool = False
) -> Animated:
    """The element with some keys put (or copied) to other frames; a key that one lands on gives way to it."""
    moving = set(frames)
    if moving - {k.frame for k in element.keys} or not moving:
        raise EditError("There is no key to move there. Nothing was changed.")
    placed: dict[int, Key | PaneKey] = {}
    for key in element.keys:
        if key.frame in moving:
            check_frame(plate, to(key.frame))
            placed[to(key.frame)] = key.model_copy(update={"frame": to(key.frame)})
    kept = [k for k in element.keys if (copied or k.frame not in moving) and k.frame not in placed]
    return with_key_list(element, sorted([*kept, *placed.values()], key=_frame))


def with_ease(element: Animated, frames: Iterable[int], ease: str, curve: Curve | None) -> Animated:
    """The element with the stretches after these keys eased so."""
    wanted = set(frames)
    if not wanted & {k.frame for k in element.keys}:
        raise EditError("There is no key on that frame. Nothing was changed.")
    how = {"ease": ease, "curve": curve if ease == "curve" else None}
    return with_key_list(element, [k.model_copy(update=how) if k.frame in wanted else k for k in element.keys])


def shape_digest(points: Array) -> str:
    """A name for a shape (N, 8) by its content, to a hundredth of a pixel."""
    return hashlib.blake2b(np.round(points / COARSE).astype("<i8").tobytes(), digest_size=8).hexdigest()
