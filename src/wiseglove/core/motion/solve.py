"""Solves a range of frames both ways from the reference at once, and says what a person should know about it."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.motion.plane import PlaneSolver
from wiseglove.core.motion.points import PointsSolver
from wiseglove.core.motion.verdict import Place

Picture = NDArray[np.float32]
CUT = 0.4
"""Correlation of two neighbouring frames, much reduced, below which they are different shots."""

REASONS = {
    "covered": (
        "covered, too little of the patch is seen",
        "draw a cover over what hides it, or bridge the stretch by hand",
    ),
    "frame": ("the patch leaves the frame", "bridge it by hand, or let it run out with shift only"),
    "texture": ("too little texture to be sure", "draw the patch larger, or round an edge or a corner"),
    "edge-on": ("the patch is seen too edge-on", "bridge the stretch by hand; solving goes on after it"),
    "fast": (
        "the patch moves so fast that its texture is blurred away",
        "look at it, set it by hand where it is off, or begin on a frame nearby",
    ),
    "noise": ("there is too much noise in the picture", "draw the patch larger, or choose another channel"),
    "light": ("the light has changed too much", "leave out what changes with a blind spot, or take a reference nearby"),
    "runs-out": ("the motion runs out, only its shift is solved", "look at it, and set it by hand where it is off"),
    "point": (
        "a point is lost, so a simpler model carries on",
        "put that point elsewhere, or draw a cover over what hides it",
    ),
    "points": ("a point is lost", "put that point elsewhere, or let the others carry on with a simpler model"),
    "line": ("the points lie on a line or on one spot", "put one of them to the side"),
    "cut": ("there is a cut", "solve each shot by itself"),
}
"""Why a frame is not sure, and what to do next."""


def explained(reason: str) -> str:
    """A reason as a sentence's end: what it is, and what to do."""
    what, todo = REASONS.get(reason, REASONS["covered"])
    return f"{what}; {todo}"


def sentences(reason: str) -> str:
    """The same as two sentences."""
    what, todo = REASONS[reason]
    return f"{what[0].upper()}{what[1:]}. {todo[0].upper()}{todo[1:]}."


def is_cut(one: Picture, other: Picture) -> bool:
    """Whether two pictures (h, w) that follow each other do not belong to the same shot."""
    small = [cv2.resize(p, (64, 36), interpolation=cv2.INTER_AREA).ravel() for p in (one, other)]
    a, b = (s - s.mean() for s in small)
    scale = float(np.sqrt((a @ a) * (b @ b)))
    return bool(scale > 64 * 36 * 4.0 and (a @ b) / scale < CUT)


def solve_range(
    solver: PlaneSolver | PointsSolver,
    first: int,
    last: int,
    report: Callable[[Place], None],
    stop: Callable[[], bool] = lambda: False,
) -> dict[int, Place]:
    """Places of all frames first..last; each is reported as soon as it is known, and again when it is known better.

    The frames are solved away from the reference; where it lies outside them, on from what the solver knows beside
    them. Each direction is solved by a branch of the solver, so the places are the same bits every time. `report` is called
    from two threads, one at a time. Errors of the pictures are raised.
    """
    places: dict[int, Place] = {}
    lock = threading.Lock()
    raised: list[BaseException] = []

    def note(place: Place) -> None:
        with lock:
            places[place.frame] = place
            report(place)

    def walk(branch: PlaneSolver | PointsSolver, frames: range) -> None:
        try:
            for place in branch.run(frames):
                before = place.frame - frames.step
                begins = place.matrix is None and before in places and places[before].matrix is not None
                if begins and is_cut(solver.picture_at(before), solver.picture_at(place.frame)):
                    note(replace(place, reason="cut"))
                else:
                    note(place)
                if stop():
                    return
        except BaseException as error:
            raised.append(error)

    start = min(max(solver.at, first - 1), last + 1)
    if first <= solver.at <= last:
        note(solver.known[solver.at])
    ways = [w for w in (range(start + 1, last + 1), range(start - 1, first - 1, -1)) if len(w)]
    branches = [solver.branch() for _ in ways]  # before any of them begins
    threads = [threading.Thread(target=walk, args=pair) for pair in zip(branches, ways, strict=True)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    if raised:
        raise raised[0]
    for branch, way in zip(branches, ways, strict=True):
        solver.known.update({frame: place for frame, place in branch.known.items() if frame in way})
    if isinstance(solver, PlaneSolver) and not stop():
        _polish(solver, [b for b in branches if isinstance(b, PlaneSolver)], ways, note)
    return places


def _polish(solver: PlaneSolver, branches: list[PlaneSolver], ways: list[range], note: Callable[[Place], None]) -> None:
    """Once more the frames whose course bends or that were taken to be exposed otherwise, now that all is known.

    Twice where the exposure was another, for then the neighbours were off as well.
    """
    learnt = {frame: branch.exposure for branch, way in zip(branches, ways, strict=True) for frame in way}
    solver.grain = branches[0].grain if branches else solver.grain
    solver.exposure = solver.exposed(solver.known) or (branches[0].exposure if branches else solver.exposure)
    frames = sorted(frame for frame in learnt if frame in solver.known)
    half = len(frames) // 2
    other = any(not each.same_as(solver.exposure) for each in learnt.values())
    for _ in range(2 if other else 1):
        known = dict(solver.known)

        def go(twin: PlaneSolver, part: list[int], known: dict[int, Place] = known) -> list[Place]:
            found = (twin.polished(frame, known, learnt[frame]) for frame in part)
            return [place for place in found if place is not None]

        with ThreadPoolExecutor(2) as pool:
            for better in pool.map(go, (solver.branch(), solver.branch()), (frames[:half], frames[half:])):
                for place in better:
                    solver.known[place.frame] = place
                    note(place)


def segments(at: int, references: list[int], first: int, last: int) -> list[tuple[int, int, int]]:
    """Which reference is used where: (reference, first, last) of each part of a range, from `at` outwards.

    A further reference counts for the frames beyond it, away from `at`; it is itself solved with the one before.
    """
    after = sorted(r for r in set(references) if r > at)
    before = sorted((r for r in set(references) if r < at), reverse=True)
    parts = [(at, before[0] if before else first, after[0] if after else last)]
    parts += [(r, r + 1, end) for r, end in zip(after, [*after[1:], max(last, at)], strict=False)]
    parts += [(r, end, r - 1) for r, end in zip(before, [*before[1:], min(first, at)], strict=False)]
    inside = [(r, max(low, first), min(high, last)) for r, low, high in parts]
    return [(r, low, high) for r, low, high in inside if low <= high]


class Judged(Protocol):
    """A frame's place, as far as how sure it is."""

    @property
    def status(self) -> str:
        """solved, unsure or lost."""

    @property
    def reason(self) -> str:
        """Why it is not surer."""


def stretches(places: Mapping[int, Judged]) -> list[tuple[int, int, str, str]]:
    """Runs of frames that are not solved: (first, last, status, reason)."""
    out: list[tuple[int, int, str, str]] = []
    for frame in sorted(places):
        place = places[frame]
        if place.status not in ("unsure", "lost"):
            continue
        if out and out[-1][1] == frame - 1 and out[-1][2] == place.status:
            out[-1] = (out[-1][0], frame, place.status, out[-1][3])
        else:
            out.append((frame, frame, place.status, place.reason))
    return out
