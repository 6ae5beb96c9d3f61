"""Solves a carrier of a shot; pages see it frame by frame, and what was solved stays when it is stopped."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.anchor import REACH, solve_sharply
from wiseglove.core.motion.channels import FURTHER, best_channel, seen_in
from wiseglove.core.motion.path import homographies
from wiseglove.core.motion.plane import Going, PlaneSolver
from wiseglove.core.motion.points import Feature, PointsSolver
from wiseglove.core.motion.solve import explained, segments, solve_range, stretches
from wiseglove.core.motion.verdict import Place, Point
from wiseglove.jobs.run import EVERY, Outcome, Run, StoppedError
from wiseglove.media import clip
from wiseglove.media.plate import to_float
from wiseglove.media.spool import Spool, in_order
from wiseglove.shot import doubts
from wiseglove.shot.edits import KeepSolution
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.looking import (
    check_solvable,
    is_keyed,
    left_out,
    looked_at,
    looked_at_through,
    subjects_before,
)
from wiseglove.shot.model import Carrier, Evidence, FollowedFrame, SolvedFrame
from wiseglove.store import jobs, shots
from wiseglove.store.errors import StoreError
from wiseglove.store.pictures import ExactPictures

Matrix = NDArray[np.float64]
PictureAt = Callable[[int], NDArray[np.float32]]


class SoFar:
    """Collects what is solved, and shows it to pages a few frames at a time.

    A notice holds what is new and no more, for PostgreSQL takes less than 8 kB (NOTIFY's documentation).
    """

    def __init__(self, run: Run, carrier: Carrier, total: int) -> None:
        self.places: dict[int, SolvedFrame] = {}
        self.stopped = False
        self._run, self._carrier, self._total = run, carrier, total
        self._base = np.array(carrier.base, np.float64)
        self._new: dict[int, SolvedFrame] = {}
        self._last = 0.0
        self.tracks: dict[str, dict[int, FollowedFrame]] = {}

    def note(self, place: Place) -> None:
        """Take in a frame."""
        solved = as_solved(place, self._base)
        for point, there in place.points.items():
            status: Any = there.status
            self.tracks.setdefault(point, {})[place.frame] = FollowedFrame(
                frame=place.frame, x=round(there.x, 4), y=round(there.y, 4), status=status,
                confidence=round(there.confidence, 3),
            )  # fmt: skip
        self.places[place.frame] = self._new[place.frame] = solved
        now = time.monotonic()
        own = place.frame == self._carrier.at  # says nothing new, so it waits for the first frame that does
        if own or (now - self._last < EVERY and len(self._new) < 6):
            return
        self._last = now
        self.publish()

    def publish(self) -> None:
        """Show pages what is new."""
        with self._run.database.transaction() as session:
            places = [s.model_dump(mode="json") for s in self._new.values()]
            found = doubts.of_motion(self._carrier.id, self.places.values())
            runs = [r for r in doubts.runs(self.places.values()) if any(r.first <= f <= r.last for f in self._new)]
            body = {
                "shot": self._run.shot, "carrier": self._carrier.id, "places": places,
                "doubts": [d.model_dump(mode="json") for d in found if d.frame in self._new],
                "runs": [r.model_dump(mode="json") for r in runs],
            }  # fmt: skip
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
        frame=place.frame, corners=corners, status=status, confidence=round(place.confidence, 3), reason=place.reason,
        evidence=_evidence_of(place.parts),
    )  # fmt: skip


def _evidence_of(parts: dict[str, float]) -> Evidence | None:
    """What a page shows of a verdict's parts."""
    if "residual" not in parts:
        return None
    shares = {"agreement": parts["agreement"], "texture": parts["texture"], "overlap": parts["seen"]}
    return Evidence(
        residual=round(parts["residual"], 2), **{name: round(min(max(v, 0.0), 1.0), 3) for name, v in shares.items()}
    )


def work(run: Run) -> Outcome:
    """Solve the range that was asked for; keep what there is, also where it was stopped."""
    with run.database.transaction() as session:
        shot = shots.load(session, str(run.shot))
    carrier = shot.find(run.payload["carrier"], Carrier)
    if carrier is None:
        raise StoreError("That carrier is not in the shot any more. Nothing was solved.")
    first, last = int(run.payload["first"]), int(run.payload["last"])
    # What is left out is looked at beside what is solved, so it gets its own readers.
    pictures, others = ExactPictures(run.settings.media), ExactPictures(run.settings.media)
    so_far = SoFar(run, carrier, last - first + 1)
    try:
        _check_matte(run, shot, carrier)
        seeing = _Seeing(shot, carrier, pictures, others)
        movie = clip.read_info(clip.folder_of(run.settings.media, shot.plate.media)).kind == "movie"
        start = min(max(carrier.at, first), last)
        parts = segments(carrier.at, carrier.references, first, last)
        near = _near(carrier, shot.plate.first, shot.plate.last)
        needed = [*near, carrier.at, *(p.at for p in carrier.points), *(reference for reference, _, _ in parts)]
        order = dict.fromkeys([*needed, *in_order(first, last, start, movie)])
        with Spool(seeing.grey, order, (shot.plate.width, shot.plate.height)) as spool:
            places = _solved(carrier, parts, spool.get, seeing, so_far, near)
    finally:
        pictures.close()
        others.close()
    so_far.publish()
    tracks = {point: list(frames.values()) for point, frames in so_far.tracks.items()}
    said = _said(places, carrier, so_far.stopped) + _loss(places, carrier)
    found = KeepSolution(type="keep-solution", carrier=carrier.id, places=list(so_far.places.values()), tracks=tracks)
    return Outcome(said, {"frames": len(places)}, lambda session: _keep(session, run, found))


def _check_matte(run: Run, shot: EvaluatedShot, carrier: Carrier) -> None:
    if not carrier.matte:
        return
    count = clip.read_info(clip.folder_of(run.settings.media, carrier.matte)).count
    if count < shot.plate.count:
        raise EditError(
            f"The matte that {carrier.name} leaves out has {count} frames, the plate has {shot.plate.count}. Nothing was "
            "solved; take in a matte for every frame, or choose none."
        )


class _Seeing:
    """What a carrier sees of the plate: its channel's pictures, its patch, and what covers leave out of them."""

    def __init__(self, shot: EvaluatedShot, carrier: Carrier, pictures: ExactPictures, others: ExactPictures) -> None:
        """others: for what is left out. Raises EditError where there is nothing to see on the reference."""
        self._shot, self._carrier, self._pictures, self._others = shot, carrier, pictures, others
        self._drawing = threading.Lock()
        # The first picture takes longest, as its movie has to be opened.
        with ThreadPoolExecutor(1) as opening:
            own = opening.submit(self._pixels, carrier.at)
            self._draw()
        self._own = own.result()
        self._channel = carrier.channel
        if carrier.channel == "auto":
            further = (carrier.at + FURTHER, carrier.at - FURTHER)
            beside = (self._pixels(f) for f in further if shot.plate.first <= f <= shot.plate.last)
            self._channel = best_channel(self._own, self.mask, beside)

    def _draw(self) -> None:
        shot, carrier = self._shot, self._carrier
        self._subjects = subjects_before(shot, carrier, self._others)
        keyed = is_keyed(carrier) and not carrier.points
        self.mask = looked_at_through(shot, carrier, np.eye(3)) if keyed else looked_at(shot, carrier, carrier.at)
        check_solvable(carrier)
        if not (self.mask > 0.5).any():
            raise EditError(
                "The blind spots leave nothing of the patch, or it lies outside the plate. Nothing was solved; draw them "
                "smaller."
            )
        hidden = self.left_out(carrier.at)
        if hidden is not None and not ((self.mask > 0.5) & (hidden < 0.02)).any():
            raise EditError(
                "Covers hide the whole patch on its own frame. Nothing was solved; draw the patch on a frame where it is "
                "seen."
            )

    def _pixels(self, frame: int) -> NDArray[np.float32]:
        plate = self._shot.plate
        return to_float(self._pictures.plate(plate, frame, plate.width, plate.height))

    def grey(self, frame: int) -> NDArray[np.float32]:
        """The channel on a frame, (height, width), 0..255."""
        pixels = self._own if frame == self._carrier.at else self._pixels(frame)
        return seen_in(pixels, self._channel)

    def counted_through(self, matrix: Matrix, reference: int) -> Callable[[int], NDArray[np.float32]] | None:
        """What counts on each frame, at a reference to which a motion (3, 3) leads; None where that is always the same."""
        if not is_keyed(self._carrier):
            return None
        return lambda frame: looked_at_through(self._shot, self._carrier, matrix, frame, reference)

    def mask_through(self, matrix: Matrix) -> NDArray[np.float32]:
        """What counts on a further reference, to which a motion (3, 3) leads."""
        mask = looked_at_through(self._shot, self._carrier, matrix)
        if not (mask > 0.5).any():
            raise EditError(
                "On a further reference, nothing of the patch lies in the plate. Nothing was solved; take it away."
            )
        return mask

    def left_out(self, frame: int) -> NDArray[np.float32] | None:
        """Where covers hide the plate on a frame, 1 or 0; None where none does."""
        with self._drawing:
            return left_out(self._shot, self._carrier, frame, self._others, self._subjects)

    def going(self) -> Going | None:
        """How the carrier that this one begins on goes; None where it begins by itself."""
        other = self._shot.find(self._carrier.begins, Carrier) if self._carrier.begins else None
        return self._shot.motion(other).between if other else None


def _solved(
    carrier: Carrier, parts: list[tuple[int, int, int]], picture_at: PictureAt, seeing: _Seeing, so_far: SoFar,
    near: range,
) -> dict[int, Place]:  # fmt: skip
    """Each part of the range with its own reference; what hangs on a reference that is not sure stays as it was."""
    places: dict[int, Place] = {}
    base = np.array(carrier.base, np.float64)
    kept = {s.frame: s for s in carrier.solved if s.corners is not None}
    for reference, first, last in parts:
        on: Matrix | None = np.eye(3)
        if reference in places:
            on = places[reference].matrix if places[reference].status == "solved" else None
        elif reference != carrier.at:
            on = _matrix(base, kept[reference]) if reference in kept else None
        if on is None or so_far.stopped:
            continue
        matrix: Matrix = on
        known = {
            frame: Place(frame, _matrix(base, there) @ np.linalg.inv(matrix), there.status, there.confidence)
            for frame, there in kept.items()
            if not first <= frame <= last and frame != reference
        }

        def seen(place: Place, matrix: Matrix = matrix) -> Place:
            return place if place.matrix is None else replace(place, matrix=place.matrix @ matrix)

        def note(place: Place, seen: Callable[[Place], Place] = seen) -> None:
            so_far.note(seen(place))

        def stopped() -> bool:
            return so_far.stopped

        def make(frame: int, on: Matrix, matrix: Matrix = matrix) -> PlaneSolver:
            return _plane_solver(carrier, frame, np.asarray(on @ matrix), picture_at, seeing)

        if carrier.points:
            solver = _points_solver(carrier, picture_at, seeing)
            solver.known.update(known)
            found = solve_range(solver, first, last, note, stopped)
        else:
            beside = near if reference == carrier.at else range(reference, reference + 1)
            found = solve_sharply(make, reference, first, last, note, stopped, near=beside, known=known)
        places.update({frame: seen(place) for frame, place in found.items()})
    return places


def _near(carrier: Carrier, first: int, last: int) -> range:
    """Frames among which a sharper reference is looked for."""
    return range(0) if carrier.points else range(max(carrier.at - REACH, first), min(carrier.at + REACH, last) + 1)


def _matrix(base: Matrix, solved: SolvedFrame) -> Matrix:
    return np.asarray(homographies(base, np.array(solved.corners, np.float64)[None])[0])


def _plane_solver(carrier: Carrier, frame: int, on: Matrix, picture_at: PictureAt, seeing: _Seeing) -> PlaneSolver:
    """A solver whose reference is a frame to which a motion (3, 3) leads from the patch's own."""
    mask = seeing.mask if frame == carrier.at else seeing.mask_through(on)
    return PlaneSolver(
        picture_at, frame, mask, carrier.model, seeing.left_out, runs_out=carrier.runs_out,
        counted_at=seeing.counted_through(on, frame), going=seeing.going(),
    )  # fmt: skip


def _points_solver(carrier: Carrier, picture_at: PictureAt, seeing: _Seeing) -> PointsSolver:
    features = [
        Feature(
            p.id, p.place, p.at, p.seen, p.pattern, p.search,
            {f.frame: Point(f.x, f.y, f.status, f.confidence) for f in p.track} if p.held else None,
        )
        for p in carrier.points
    ]  # fmt: skip
    return PointsSolver(picture_at, carrier.at, features, carrier.when_lost, seeing.left_out, seeing.going())


def _loss(places: dict[int, Place], carrier: Carrier) -> str:
    """What the further references cost, said plainly."""
    costs = [
        f"about {places[f].parts['deviation']:.2f} px at {f}"
        for f in carrier.references
        if f in places and "deviation" in places[f].parts
    ]
    return f" Each further reference adds to the error: {', '.join(costs)}." if costs else ""


def _keep(session: Session, run: Run, found: KeepSolution) -> dict[str, Any]:
    """Bring what was solved into the shot as one edit, whatever was changed in the meantime; its new revision."""
    changed = shots.apply(session, str(run.shot), None, found, run.job)
    jobs.announce_change(session, changed, by=changed.label)
    return {"revision": changed.shot.revision}


def _said(places: dict[int, Place], carrier: Carrier, stopped: bool) -> str:
    sure = sum(p.status == "solved" for p in places.values())
    text = f"{carrier.name}: {sure} of {len(places)} frames solved"
    text += ", stopped by hand." if stopped else "."
    for begin, end, status, reason in stretches(places)[:3]:
        where = f"Frame {begin}" if begin == end else f"Frames {begin} to {end}"
        text += f" {where} {status}: {explained(reason)}."
    return text
