"""Key lists of outlines and panes: setting, moving and deleting, in one way for both."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, TypeVar

import numpy as np

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.similarity import turn_and_scale
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluate import key_points, points_at
from wiseglove.shot.model import Ease, Key, Outline, Pane, PaneKey, Plate, Point

K = TypeVar("K", Key, PaneKey)
Animated = Outline | Pane


def check_frame(plate: Plate, frame: int) -> None:
    """Raise EditError for a frame that the plate does not have."""
    if not plate.first <= frame <= plate.last:
        raise EditError(
            f"Frame {frame} is outside the plate, which has frames {plate.first} to {plate.last}. "
            "Nothing was changed; choose a frame within it."
        )


def shape_at(element: Animated, frame: int) -> Points:
    """The element's points on a frame, (N, 6): the key's own numbers where there is a key."""
    return np.asarray(points_at(element, [frame])[0])


def with_key(element: Animated, frame: int, points: Points) -> Animated:
    """The element with a key of that shape on a frame; a new key takes over its stretch's ease."""
    earlier = [k.ease for k in element.keys if k.frame <= frame]
    ease: Ease = earlier[-1] if earlier else "smooth"
    if isinstance(element, Outline):
        key = Key(frame=frame, points=as_points(points), ease=ease)
        return element.model_copy(update={"keys": _put(element.keys, key)})
    corners = tuple((float(p[0]), float(p[1])) for p in points)
    pane_key = PaneKey(frame=frame, corners=corners, ease=ease)  # type: ignore[arg-type]
    return element.model_copy(update={"keys": _put(element.keys, pane_key)})


Reach = Literal["frame", "all", "onward"]
"""How far an edit on a frame goes: that frame alone, all keys, or it and all later keys."""


def with_shape(element: Animated, frame: int, shape: Points, reach: Reach) -> Animated:
    """The element with a key of that shape on a frame, and its other keys in reach changed likewise.

    Where the whole was moved, other keys move by as much. Any other change goes with the outline: it is turned
    and scaled by the best similarity (Umeyama 1991) from the shape before on this frame to the other key's.
    """
    before = shape_at(element, frame)
    change = shape - before
    whole = np.ptp(change[:, :2], axis=0).max() < 1e-9 and np.abs(change[:, 2:]).max(initial=0.0) < 1e-9
    changed = with_key(element, frame, shape)
    for key in element.keys:
        if key.frame == frame or reach == "frame" or (reach == "onward" and key.frame < frame):
            continue
        there = key_points(key)
        turned = change if whole else _turned(change, before, there)
        changed = with_key(changed, key.frame, there + turned)
    return changed


def _turned(change: Points, before: Points, there: Points) -> Points:
    source, target = (p[:, 0] + 1j * p[:, 1] for p in (before, there))
    angle, log_scale = turn_and_scale(source - source.mean(), target - target.mean())
    vectors = (change[:, 0::2] + 1j * change[:, 1::2]) * np.exp(log_scale + 1j * angle)
    return np.stack([vectors.real, vectors.imag], axis=-1).reshape(change.shape)


def as_points(shape: Points) -> list[Point]:
    """An array (N, 6) as a key's points."""
    return [(float(x), float(y), float(a), float(b), float(c), float(d)) for x, y, a, b, c, d in shape]


def _put(keys: list[K], key: K) -> list[K]:
    return sorted([k for k in keys if k.frame != key.frame] + [key], key=lambda k: k.frame)


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
    return element.model_copy(update={"keys": kept})


def with_keys_moved(element: Animated, frames: Iterable[int], by: int, plate: Plate) -> Animated:
    """The element with some keys shifted in time; a key that one lands on gives way to it."""
    moving = set(frames)
    missing = moving - {k.frame for k in element.keys}
    if missing or not moving:
        raise EditError("There is no key to move there. Nothing was changed.")
    moved = [k.model_copy(update={"frame": k.frame + by}) for k in element.keys if k.frame in moving]
    for key in moved:
        check_frame(plate, key.frame)
    taken = {k.frame for k in moved}
    kept = [k for k in element.keys if k.frame not in moving and k.frame not in taken]
    return element.model_copy(update={"keys": sorted(kept + moved, key=lambda k: k.frame)})


def with_ease(element: Animated, frames: Iterable[int], ease: str) -> Animated:
    """The element with the stretches after these keys eased so."""
    wanted = set(frames)
    if not wanted & {k.frame for k in element.keys}:
        raise EditError("There is no key on that frame. Nothing was changed.")
    keys = [k.model_copy(update={"ease": ease}) if k.frame in wanted else k for k in element.keys]
    return element.model_copy(update={"keys": keys})
