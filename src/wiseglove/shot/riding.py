"""What rides on what: motions of carriers, and elements bound to them.

An element that rides has its keys stored at its carrier's reference. Elements never change, so each state of a shot
gets its own copies of what rides on a carrier that has changed; whoever compares two states sees them as changed too.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.motion.joint import Jointed, shares
from wiseglove.core.motion.path import Motion, path, smoothed
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.shot.basics import Ease, Plate
from wiseglove.shot.evaluate import motion_of, points_at
from wiseglove.shot.keys import as_points, with_key_list
from wiseglove.shot.model import Animated, Carrier, Element, HandKey, Outline, Pane, Shot
from wiseglove.shot.subject import Subject

Array = NDArray[np.float64]


def motion(carrier: Carrier, plate: Plate) -> Motion:
    """The carrier's motion over the whole plate; kept with the carrier, which never changes."""
    held = carrier.__dict__.get("_path")
    if held is not None and held[0] is carrier and held[1] == (plate.first, plate.count):
        made: Motion = held[2]
        return made
    base = np.array(carrier.base, np.float64)
    known = {s.frame: np.array(s.corners, np.float64) for s in carrier.solved if s.corners is not None}
    known.setdefault(carrier.at, base)
    if carrier.smoothing:
        known = smoothed(known, carrier.smoothing)
    by_hand = {k.frame: np.array(k.corners, np.float64) for k in carrier.bridge}
    frames = range(plate.first, plate.last + 1)
    quads = path(frames, known, by_hand, {k.frame: k.ease for k in carrier.bridge})
    if carrier.corrections:
        quads = quads + corrected_by(carrier.corrections, np.arange(frames.start, frames.stop, dtype=np.float64))
    made = Motion(base, plate.first, quads)
    carrier.__dict__["_path"] = (carrier, (plate.first, plate.count), made)
    return made


def known_span(carrier: Carrier) -> tuple[int, int]:
    """First and last frame between which a carrier's motion is solved or set by hand."""
    frames = [carrier.at, *(s.frame for s in carrier.solved if s.corners), *(k.frame for k in carrier.bridge)]
    return min(frames), max(frames)


def motion_span(carrier: Carrier) -> tuple[int, int]:
    """First and last frame of the motion of a carrier of a bound shot."""
    made: Motion = carrier.__dict__["_path"][2]
    return made.first, made.last


def quads_of(carrier: Carrier, first: int, last: int) -> Array:
    """Where the base corners of a carrier of a bound shot are on a span of frames, (T, 4, 2)."""
    made: Motion = carrier.__dict__["_path"][2]
    frames = np.arange(max(first, made.first), min(last, made.last) + 1)
    return np.asarray(made.quads[frames - made.first])


def corrected_by(corrections: list[HandKey], frames: Array) -> Array:
    """How far corrections move the base corners on frames (T,): (T, 4, 2), blended smoothly between their knots."""
    moves = np.stack([np.array(k.corners, np.float64) for k in corrections])
    points = np.concatenate([moves, np.zeros((len(moves), 4, 6))], axis=2)
    if len(moves) == 1:
        return np.repeat(moves, len(frames), axis=0)
    out = np.empty((len(frames), 4, 2))
    times = np.array([k.frame for k in corrections], np.float64)
    eases: tuple[Ease, ...] = tuple("smooth" for _ in times)
    for corner in range(4):  # each by itself, so that no turn is made of four small moves
        single = Animation(times, points[:, corner : corner + 1], eases)
        out[:, corner] = in_between(single, frames)[:, 0, :2]
    return out


def _wanted(element: Animated, of: Callable[[str], Motion | None]) -> Motion | Jointed | None:
    """What an element is to ride on; what it is bound to already, where that is the same."""
    base = of(element.rides) if element.rides else None
    if isinstance(element, Pane | Subject):
        pins = [of(i) if i else None for i in element.pins]
        others = [m for m in pins if m is not None]
        if not others:
            return base
        beyond = [np.array([float(m is other) for m in [*pins, *[None] * (4 - len(pins))]]) for other in others]
        return _joined(element, (base or _still(others[0]), *others), beyond, element.pins)
    further = [of(j.carrier) for j in element.joints]
    if base is None or not further or None in further:
        return base
    beyond = [np.array(j.beyond, np.float64) for j in element.joints]
    return _joined(element, (base, *(m for m in further if m is not None)), beyond, element.joints)


def _still(like: Motion) -> Motion:
    """A motion that stands, over the frames of another."""
    return Motion(like.base, like.first, np.repeat(like.base[None], len(like.quads), axis=0))


def _joined(element: Animated, motions: tuple[Motion, ...], beyond: list[Array], told: list[Any]) -> Motion | Jointed:
    held = motion_of(element)
    rest = float(element.keys[0].frame if element.rest is None else element.rest)
    if isinstance(held, Jointed) and element.__dict__.get("_told") is told and held.rest == rest:
        same = [a is b for a, b in zip(held.motions, motions, strict=True)]
        if all(same[1:]) and (same[0] or element.rides is None):
            return held
    return Jointed(motions, rest, shares(beyond))


def _bind(element: Animated, wanted: Motion | Jointed | None) -> None:
    element.__dict__["_motion"] = wanted
    element.__dict__["_told"] = element.joints if isinstance(element, Outline) else element.pins


def bound(elements: dict[str, Element], plate: Plate) -> dict[str, Element]:
    """The elements with everything that rides bound to its carrier's motion as it is among them."""
    carriers = {i: motion(e, plate) for i, e in elements.items() if isinstance(e, Carrier)}
    out = dict(elements)
    for element_id, element in elements.items():
        if not isinstance(element, Animated):
            continue
        wanted = _wanted(element, carriers.get)
        if motion_of(element) is wanted:
            continue
        fresh = element.model_copy()
        _bind(fresh, wanted)
        out[element_id] = fresh
    return out


def riding_on(element: Animated, shot: Shot, **changes: Any) -> Animated:
    """The element with other `rides`, `joints` or `rest`, and where it was on each of its keys."""

    def of(carrier: str) -> Motion | None:
        found = shot.find(carrier, Carrier)
        return motion(found, shot.plate) if found is not None else None

    changed = element.model_copy(update=changes)
    return _kept_in_place(element, changed, _wanted(changed, of))


def _kept_in_place(element: Animated, changed: Animated, target: Motion | Jointed | None) -> Animated:
    frames = [k.frame for k in element.keys]
    seen = points_at(element, frames)
    _bind(changed, target)
    stored = seen if target is None else np.stack([target.back(f, p) for f, p in zip(frames, seen, strict=True)])
    if isinstance(changed, Outline):
        keys = [k.model_copy(update={"points": as_points(p)}) for k, p in zip(element.keys, stored, strict=True)]
    else:
        keys = [
            k.model_copy(update={"corners": tuple((float(x), float(y)) for x, y in p[:, :2])})
            for k, p in zip(element.keys, stored, strict=True)
        ]
    return with_key_list(changed, keys)  # type: ignore[arg-type]


def let_go(outline: Outline) -> Outline:
    """An outline as it is seen on its keys, riding on nothing."""
    free = _kept_in_place(outline, outline.model_copy(update={"rides": None, "joints": [], "rest": None}), None)
    assert isinstance(free, Outline)
    return free
