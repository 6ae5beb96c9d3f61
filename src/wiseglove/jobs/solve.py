"""Solves a carrier of a shot; pages see it frame by frame, and what was solved stays when it is stopped."""

from __future__ import annotations

import threading
import time
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.channels import best_channel, seen_in
from wiseglove.core.motion.path import homographies
from wiseglove.core.motion.plane import Place, PlaneSolver
from wiseglove.core.motion.solve import solve_range, stretches, told
from wiseglove.jobs.run import Outcome, Run, StoppedError
from wiseglove.media.plate import to_float
from wiseglove.shot.edits import KeepSolution
from wiseglove.shot.errors import EditError
from wiseglove.shot.looking import left_out, looked_at
from wiseglove.shot.model import Carrier, Shot, SolvedFrame
from wiseglove.store import jobs, shots
from wiseglove.store.errors import RevisionError, StoreError
from wiseglove.store.pictures import ExactPictures

EVERY = 0.12
"""Seconds between two notices of what was solved."""
KEPT = 64
TRIES = 20
"""How often what was solved is brought to a shot that others are changing at the same time."""


class _Told:
    """Collects what is solved, and tells pages a few frames at a time."""

    def __init__(self, run: Run, carrier: Carrier, total: int) -> None:
        self.places: dict[int, SolvedFrame] = {}
        self.stopped = False
        self._run, self._carrier, self._total = run, carrier, total
        self._base = np.array(carrier.base, np.float64)
        self._new: dict[int, SolvedFrame] = {}
        self._last = 0.0

    def note(self, place: Place) -> None:
        solved = as_solved(place, self._base)
        self.places[place.frame] = self._new[place.frame] = solved
        now = time.monotonic()
        if now - self._last < EVERY and len(self._new) < 6:
            return
        self._last = now
        self.tell()

    def tell(self) -> None:
        with self._run.database.transaction() as session:
            places = [s.model_dump(mode="json") for s in self._new.values()]
            body = {"shot": self._run.shot, "carrier": self._carrier.id, "places": places}
            jobs.announce(session, "motion", body)
        self._new.clear()
        try:
            self._run.progress(len(self.places), self._total)
        except StoppedError:
            self.stopped = True


def as_solved(place: Place, base: NDArray[np.float64]) -> SolvedFrame:
    """A place as the shot keeps it."""
    corners: Any = None
    if place.matrix is not None:
        corners = tuple((round(float(x), 4), round(float(y), 4)) for x, y in apply(place.matrix, base))
    status: Any = place.status
    return SolvedFrame(
        frame=place.frame, corners=corners, status=status, confidence=round(place.confidence, 3), reason=place.reason
    )


def work(run: Run) -> Outcome:
    """Solve the range that was asked for; keep what there is, also where it was stopped."""
    with run.database.transaction() as session:
        shot = shots.load(session, str(run.shot))
    carrier = shot.find(run.payload["carrier"], Carrier)
    if carrier is None:
        raise StoreError("That carrier is not in the shot any more. Nothing was solved.")
    first, last = int(run.payload["first"]), int(run.payload["last"])
    pictures = ExactPictures(run.settings.media)
    told_so_far = _Told(run, carrier, last - first + 1)
    try:
        solver = _solver(shot, carrier, pictures)
        _know(solver, carrier, first, last)
        places = solve_range(solver, first, last, told_so_far.note, lambda: told_so_far.stopped)
    finally:
        pictures.close()
    told_so_far.tell()
    revision = _keep(run, carrier.id, list(told_so_far.places.values()))
    return Outcome(_said(places, carrier, told_so_far.stopped), {"revision": revision, "frames": len(places)})


def _solver(shot: Shot, carrier: Carrier, pictures: ExactPictures) -> PlaneSolver:
    plate = shot.plate
    reading, drawing = threading.Lock(), threading.Lock()
    mask = looked_at(shot, carrier, carrier.at)
    if not (mask > 0.5).any():
        raise EditError(
            "The blind spots leave nothing of the patch, or it lies outside the plate. Nothing was solved; draw them smaller."
        )

    def pixels(frame: int) -> NDArray[np.float32]:
        return to_float(pictures.plate(plate, frame, plate.width, plate.height))

    channel = best_channel(pixels(carrier.at), mask) if carrier.channel == "auto" else carrier.channel

    @lru_cache(maxsize=KEPT)
    def read(frame: int) -> NDArray[np.float32]:
        return seen_in(pixels(frame), channel)

    def picture_at(frame: int) -> NDArray[np.float32]:
        with reading:
            return read(frame)

    def ignore_at(frame: int) -> NDArray[np.float32] | None:
        with drawing:
            return left_out(shot, carrier, frame, pictures)

    hidden = ignore_at(carrier.at)
    if hidden is not None and not ((mask > 0.5) & (hidden < 0.02)).any():
        raise EditError(
            "Covers hide the whole patch on its own frame. Nothing was solved; draw the patch on a frame where it is seen."
        )
    return PlaneSolver(picture_at, carrier.at, mask, carrier.model, ignore_at)


def _know(solver: PlaneSolver, carrier: Carrier, first: int, last: int) -> None:
    """Tell the solver what is solved beside the range, to go on from there."""
    base = np.array(carrier.base, np.float64)
    for solved in carrier.solved:
        if solved.corners is None or first <= solved.frame <= last or solved.frame == carrier.at:
            continue
        matrix = homographies(base, np.array(solved.corners, np.float64)[None])[0]
        solver.known[solved.frame] = Place(solved.frame, matrix, solved.status, solved.confidence)


def _keep(run: Run, carrier: str, places: list[SolvedFrame]) -> int:
    """Bring what was solved into the shot as one edit, whatever was changed in the meantime; its new revision."""
    edit = KeepSolution(type="keep-solution", carrier=carrier, places=places)
    for attempt in range(TRIES):
        try:
            with run.database.transaction() as session:
                now = shots.load(session, str(run.shot)).revision
                changed = shots.apply(session, str(run.shot), now, edit)
                body = {"shot": changed.after.id, "revision": changed.after.revision, "by": changed.label}
                jobs.announce(session, "shot", body)
            shots.note(changed)
            return changed.after.revision
        except RevisionError:
            time.sleep(0.02 * (attempt + 1))
    raise StoreError("The shot was changed again and again while it was solved, so nothing was kept. Solve once more.")


def _said(places: dict[int, Place], carrier: Carrier, stopped: bool) -> str:
    sure = sum(p.status == "solved" for p in places.values())
    text = f"{carrier.name}: {sure} of {len(places)} frames solved"
    text += ", stopped by hand." if stopped else "."
    for begin, end, status, reason in stretches(places)[:3]:
        where = f"Frame {begin}" if begin == end else f"Frames {begin} to {end}"
        text += f" {where} {status}: {told(reason)}."
    return text
