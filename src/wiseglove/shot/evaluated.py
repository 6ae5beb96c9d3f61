"""A shot and what its document looks like: motions of carriers, and where all that is animated is at any time.

The rules, all of them: a document never changes, so what is derived from an element and from the motion it rides on holds
as long as both are the very same objects. `EvaluatedShot.of` derives everything from a document. `advanced` takes the next
document and keeps, by identity, each motion whose carrier moves as before and each rider whose element and motion are the
same; all else is derived anew. What differs between two states is therefore what is not identical. Whoever wants points,
corners, mattes or geometry needs an `EvaluatedShot`; a document alone answers none of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from threading import Lock
from typing import Any, TypeVar, cast

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from wiseglove.core.motion.joint import Jointed, shares
from wiseglove.core.motion.path import Motion
from wiseglove.shot.basics import Plate
from wiseglove.shot.floating import FloatingRider
from wiseglove.shot.keys import with_shapes
from wiseglove.shot.model import Animated, Carrier, Contents, Element, Outline, Pane, Shot
from wiseglove.shot.motions import motion_of, moves_alike
from wiseglove.shot.rider import Rider, Times
from wiseglove.shot.subject import Subject

Array = NDArray[np.float64]
A = TypeVar("A", bound=Animated)
Moving = Animated | Carrier
"""What has geometry; a carrier's are its base corners."""
KEPT_ROWS = 4096
"""Single frames of elements whose rows are kept: when a shot is opened, the same frame of each is asked for again."""


class _Rows:
    """Rows of single frames as pages want them, shared by all states of a shot."""

    def __init__(self) -> None:
        self._made: LRUCache[tuple[Rider[Any], int], bytes] = LRUCache(KEPT_ROWS)
        self._lock = Lock()

    def of(self, rider: Rider[Any], frame: int) -> bytes:
        with self._lock:
            made = self._made.get((rider, frame))
        if made is None:
            made = rider.points_at([frame]).astype("<f4").tobytes()
            with self._lock:
                self._made[rider, frame] = made
        return made


class EvaluatedShot(Contents):
    """A shot's document with its motions and riders; see above for the rules. Made by `of` and `advanced`."""

    def __init__(
        self, document: Shot, motions: dict[str, Motion], riders: dict[str, Rider[Any]], rows: _Rows | None = None
    ) -> None:
        self.document = document
        self.plate: Plate = document.plate
        self.elements: Mapping[str, Element] = document.elements
        self._motions, self._riders, self._rows = motions, riders, rows or _Rows()

    @property
    def id(self) -> str:
        """The shot's id."""
        return self.document.id

    @property
    def revision(self) -> int:
        """The document's revision."""
        return self.document.revision

    @classmethod
    def of(cls, document: Shot, shapes: Mapping[str, Array] | None = None) -> EvaluatedShot:
        """All that follows from a document. shapes: points of outlines' keys, (K, N, 8), that are at hand as numbers."""
        motions = {i: motion_of(e, document.plate) for i, e in document.elements.items() if isinstance(e, Carrier)}
        known = shapes or {}
        riders: dict[str, Rider[Any]] = {
            i: Rider(e, _ride(e, motions, None), known.get(i))
            for i, e in document.elements.items()
            if isinstance(e, Animated)
        }
        return cls(document, motions, _floating(document, riders, {}))

    def advanced(self, document: Shot) -> EvaluatedShot:
        """The next state of the same shot; what did not change is kept."""
        if document.plate != self.plate:
            return EvaluatedShot.of(document)
        motions: dict[str, Motion] = {}
        riders: dict[str, Rider[Any]] = {}
        for element_id, element in document.elements.items():
            if isinstance(element, Carrier):
                before = self.elements.get(element_id)
                same = isinstance(before, Carrier) and (before is element or moves_alike(before, element))
                motions[element_id] = self._motions[element_id] if same else motion_of(element, document.plate)
        for element_id, element in document.elements.items():
            if isinstance(element, Animated):
                held = self._riders.get(element_id)
                motion = _ride(element, motions, held)
                same = held is not None and held.element is element and held.motion is motion
                riders[element_id] = held if same and held is not None else Rider(element, motion)
        return EvaluatedShot(document, motions, _floating(document, riders, self._riders), self._rows)

    def with_elements(self, after: Mapping[str, Element | None]) -> EvaluatedShot:
        """The shot with some elements changed, made, or (None) gone."""
        return self.advanced(self.document.with_elements(after))

    def differing(self, other: EvaluatedShot) -> set[str]:
        """Ids of the elements that are not the same, or are not seen in the same places, in another state."""
        every = self.elements.keys() | other.elements.keys()
        return {
            i
            for i in every
            if self.elements.get(i) is not other.elements.get(i) or self._riders.get(i) is not other._riders.get(i)
        }

    # -- where things are ----------------------------------------------------------------------------------

    def motion(self, carrier: str | Carrier) -> Motion:
        """A carrier's motion. Raises KeyError for one that is not in the shot."""
        return self._motions[carrier if isinstance(carrier, str) else self._own(carrier)]

    def rider(self, element: A) -> Rider[A]:
        """An element of this state with what it rides on. Raises KeyError for any other."""
        return cast("Rider[A]", self._riders[self._own(element)])

    def _own(self, element: Moving) -> str:
        if self.elements.get(element.id) is not element:
            raise KeyError(f"{element.id} is not in this state of the shot")
        return element.id

    def points_at(self, element: Animated, frames: Times) -> Array:
        """Points at frames (T,) as they are seen: (T, N, 8)."""
        return self.rider(element).points_at(frames)

    def corners_at(self, element: Pane | Subject, frame: float) -> Array:
        """A pane's or subject's four corners on a frame, (4, 2)."""
        return self.rider(element).corners_at(frame)

    def corners_over(self, element: Pane | Subject, frames: Times) -> Array:
        """The same at frames (T,), (T, 4, 2)."""
        return self.rider(element).corners_over(frames)

    # -- what changes with what a thing rides on -----------------------------------------------------------

    def riding(self, element: A, **changes: Any) -> A:
        """An element with other `rides`, `joints`, `pins` or `rest`, and where it was on each of its keys."""
        rider, changed = self.rider(element), element.model_copy(update=changes)
        return cast(A, _kept_in_place(rider, changed, self._motions))

    def let_go(self, outline: Outline) -> Outline:
        """An outline as it is seen on its keys, riding on nothing."""
        return self.riding(outline, rides=None, joints=[], rest=None)

    # -- rows for the page ---------------------------------------------------------------------------------

    @property
    def moving(self) -> dict[str, Moving]:
        """Everything that has geometry, by id in the order in which it is sent."""
        return {i: e for i, e in sorted(self.elements.items()) if isinstance(e, Moving)}

    def span(self, element: Moving) -> tuple[int, int]:
        """First and last frame beyond which an element stands still."""
        if not isinstance(element, Carrier):
            return self.rider(element).span
        motion = self.motion(element)
        return motion.first, motion.last

    def rows(self, element: Moving, first: int, last: int) -> bytes:
        """Points on a span of frames, little-endian float32, (T, N, 8); beyond the ends the end row stands once for all."""
        start, end = self.span(element)
        low, high = min(max(first, start), end), min(max(last, start), end)
        if isinstance(element, Carrier):
            motion = self.motion(element)
            quads = motion.quads[low - motion.first : high + 1 - motion.first]
            return np.concatenate([quads, np.zeros((len(quads), 4, 6))], axis=2).astype("<f4").tobytes()
        rider = self.rider(element)
        if low == high:
            return self._rows.of(rider, low)
        return rider.points_at(np.arange(low, high + 1)).astype("<f4").tobytes()


def _floating(document: Shot, riders: dict[str, Rider[Any]], held: Mapping[str, Rider[Any]]) -> dict[str, Rider[Any]]:
    """The riders, with those of floating panes following from the panes that they float before; held: those of before."""
    out = dict(riders)
    for element_id, element in document.elements.items():
        if not isinstance(element, Pane) or element.floats is None:
            continue
        base = riders.get(element.floats.pane)
        if base is None or not isinstance(base.element, Pane) or base.element.floats is not None:
            continue
        before = held.get(element_id)
        same = isinstance(before, FloatingRider) and before.element is element and before.base is base
        plate = document.plate
        made = FloatingRider(element, None, None, base, (plate.width, plate.height), plate.pixel_aspect)
        out[element_id] = before if same and before is not None else made
    return out


def _ride(element: Animated, motions: Mapping[str, Motion], held: Rider[Any] | None) -> Motion | Jointed | None:
    """What an element rides on among these motions; what it rode on before, where that is the same."""
    base = motions.get(element.rides) if element.rides else None
    if isinstance(element, Outline):
        further = [motions.get(j.carrier) for j in element.joints]
        if base is None or not further or None in further:
            return base
        others = [m for m in further if m is not None]
        beyond = [np.array(j.beyond, np.float64) for j in element.joints]
    else:
        pins = [motions.get(i) if i else None for i in element.pins]
        others = [m for m in pins if m is not None]
        if not others:
            return base
        beyond = [np.array([float(m is other) for m in [*pins, *[None] * (4 - len(pins))]]) for other in others]
        base = base or _still(others[0])
    rest = float(element.keys[0].frame if element.rest is None else element.rest)
    made = Jointed((base, *others), rest, shares(beyond))
    return held.motion if held is not None and _alike(held.motion, made, element.rides is None) else made


def _still(like: Motion) -> Motion:
    """A motion that stands, over the frames of another."""
    return Motion(like.base, like.first, np.repeat(like.base[None], len(like.quads), axis=0))


def _alike(one: Motion | Jointed | None, other: Jointed, stands: bool) -> bool:
    """Whether an element would ride on the very same; stands: the first motion does, and is made anew each time."""
    if not isinstance(one, Jointed) or one.rest != other.rest or len(one.motions) != len(other.motions):
        return False
    same = [a is b for a, b in zip(one.motions, other.motions, strict=True)]
    return all(same[1:]) and (same[0] or stands) and np.array_equal(one.weights, other.weights)


def _kept_in_place(rider: Rider[Any], changed: Animated, motions: Mapping[str, Motion]) -> Animated:
    frames = [k.frame for k in rider.element.keys]
    target = Rider(changed, _ride(changed, motions, None))
    seen = rider.points_at(frames)
    stored = np.stack([target.to_stored(f, p) for f, p in zip(frames, seen, strict=True)])
    return with_shapes(changed, stored)
