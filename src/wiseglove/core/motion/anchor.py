"""Solves from the sharpest frame near the reference, where the reference itself is blurred by its motion.

A frame is compared with the reference as the frame's own motion would blur it. Where the reference moved while it was
exposed, it is blurred already and lies where it was on the mean, so every comparison with it is off. A frame nearby that
stood still has neither fault: everything, the reference too, is solved against that one, and then told from the reference.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.moments import course, travel
from wiseglove.core.motion.plane import PlaneSolver
from wiseglove.core.motion.solve import solve_range
from wiseglove.core.motion.verdict import Place

Matrix = NDArray[np.float64]
Make = Callable[[int, Matrix], PlaneSolver]
"""A solver whose reference is a frame, to which a motion (3, 3) leads from the frame the artist chose."""
REACH = 16
"""Frames on each side among which a sharper one is looked for."""
SHARP = 2.0
"""Pixels a frame within which a frame counts as sharp; no other is looked for then."""
CALM = 0.15
"""Share of the reference's own motion within which the search ends."""
WORTH = 0.6
"""Share of it that another frame may have at most to be worth the change."""
SEEN, NARROWED = 0.85, 1.15
"""What of the patch must be seen there, as a share of the reference's, and how much smaller it may be."""


def solve_sharply(
    make: Make,
    at: int,
    first: int,
    last: int,
    report: Callable[[Place], None],
    stop: Callable[[], bool] = lambda: False,
    *,
    near: range,
    known: Mapping[int, Place] | None = None,
) -> dict[int, Place]:
    """As `solve_range`, from `at`, but against the sharpest frame of `near` where that is clearly sharper.

    known: places outside the range that were solved before, all motions from `at`. near: frames that can be read.
    """
    solver = make(at, np.eye(3))
    near = range(max(near.start, at - REACH), min(near.stop, at + REACH + 1))
    if first <= at <= last:
        near = range(max(near.start, first), min(near.stop, last + 1))
    anchor, there, beside = sharpest(solver, near, stop)
    if anchor == at or stop():
        return _from_itself(solver, first, last, report, stop, known or {}, beside)
    back: Matrix = np.asarray(np.linalg.inv(there), np.float64)
    sharp = make(anchor, there)
    begins = dict(sharp.known)
    within = first <= at <= last
    if not within:
        back = _solved_back(sharp, at, near, back)
    sharp.known = begins
    for frame, place in (known or {}).items():
        if place.matrix is not None and frame != anchor:
            sharp.known[frame] = replace(place, matrix=place.matrix @ back)

    def seen(place: Place) -> Place:
        if place.frame == at:
            return Place(at, np.eye(3), "solved", 1.0)
        return place if place.matrix is None else replace(place, matrix=place.matrix @ np.linalg.inv(back))

    found = solve_range(sharp, first, last, lambda place: report(seen(place)), stop)
    if within and at in found and found[at].status == "solved" and found[at].matrix is not None:
        back = np.asarray(found[at].matrix)
    out = {frame: seen(place) for frame, place in found.items()}
    for place in out.values():
        report(place)
    return out


def _from_itself(
    solver: PlaneSolver,
    first: int,
    last: int,
    report: Callable[[Place], None],
    stop: Callable[[], bool],
    known: Mapping[int, Place],
    beside: list[Matrix],
) -> dict[int, Place]:
    """As `solve_range`; what a bent course at the reference (to its neighbours `beside`) has moved is taken out again."""
    at = solver.at

    def shown() -> Matrix:
        return solver.meant(*beside) if len(beside) == 2 else np.eye(3)

    back = np.linalg.inv(shown())
    for frame, place in known.items():
        if place.matrix is not None:
            solver.known[frame] = replace(place, matrix=place.matrix @ back)

    def seen(place: Place) -> Place:
        if place.frame == at or place.matrix is None:
            return place
        return replace(place, matrix=place.matrix @ shown())

    found = solve_range(solver, first, last, lambda place: report(seen(place)), stop)
    out = {frame: seen(place) for frame, place in found.items()}
    for place in out.values():
        report(place)
    return out


def sharpest(
    solver: PlaneSolver, near: range, stop: Callable[[], bool] = lambda: False
) -> tuple[int, Matrix, list[Matrix]]:
    """The frame nearby that moves least, and the motion (3, 3) to it; the solver's own frame where that will do.

    Also the motions to the two frames beside the reference, where both are known.
    """
    at, still = solver.at, np.eye(3)
    ways = {step: solver.branch() for step in (1, -1)}
    known: dict[int, Place] = dict(solver.known)

    def look(frame: int, step: int) -> None:
        if frame in near and not stop():
            known.update({place.frame: place for place in ways[step].run(range(frame, frame + step, step))})

    for step in ways:
        look(at + step, step)
    own = _motion(solver, known, at)
    next_to = [known[f].matrix for f in (at - 1, at + 1) if f in known]
    beside = [matrix for matrix in next_to if matrix is not None]
    if own is None or own < SHARP:
        return at, still, beside
    moving: dict[int, float] = {}
    for distance in range(2, REACH + 1):
        for step in ways:
            look(at + step * distance, step)
            frame = at + step * (distance - 1)
            speed = _motion(solver, known, frame)
            if speed is not None and _clear(known[frame].parts):
                moving[frame] = speed
        if moving and min(moving.values()) < max(SHARP * 0.75, CALM * own):
            break
    best = min(moving, key=lambda frame: moving[frame], default=at)
    matrix = known[best].matrix
    if best == at or matrix is None or moving[best] > WORTH * own:
        return at, still, beside
    return best, matrix, beside


def _clear(parts: Mapping[str, float]) -> bool:
    whole = min(parts.get("seen", 0.0), parts.get("inside", 0.0))
    return whole >= SEEN and parts.get("reduction", 9.0) <= NARROWED


def _motion(solver: PlaneSolver, known: Mapping[int, Place], frame: int) -> float | None:
    """Pixels that the patch's corners go in a frame's time; None where a neighbour is not known."""
    ends = solver.reference.corners
    places = {}
    for offset in (-1, 0, 1):
        place = known.get(frame + offset)
        if place is None or place.matrix is None:
            return None
        places[offset] = apply(place.matrix, ends)
    return travel(course(places), 1.0)


def _solved_back(sharp: PlaneSolver, at: int, near: range, expected: Matrix) -> Matrix:
    """The motion from the sharp frame to the reference, solved as a range of its own; what was expected where it fails."""
    first, last = min(sharp.at, at) - 1, max(sharp.at, at) + 1
    found = solve_range(sharp, max(first, near.start), min(last, near.stop - 1), lambda place: None)
    place = found.get(at)
    if place is None or place.status != "solved" or place.matrix is None:
        return expected
    return np.asarray(place.matrix)
