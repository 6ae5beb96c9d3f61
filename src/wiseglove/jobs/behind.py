"""Makes the clean picture behind what passes, of a shot's plate or of one of its panes, and keeps it as a clip of the shot."""

from __future__ import annotations

import shutil
import threading
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from wiseglove.core.behind.clean import Behind
from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.core.geometry.homography import is_convex
from wiseglove.jobs.behind_files import (
    MOST_FRAMES,
    Request,
    UnknownBehindError,
    View,
    as_behind,
    behind_of,
    write_behind,
)
from wiseglove.jobs.run import Outcome, Run
from wiseglove.jobs.take_in import belongs, bring_in, take_made
from wiseglove.media import clip
from wiseglove.shot.basics import Plate
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Pane
from wiseglove.store import shots
from wiseglove.store.errors import StoreError
from wiseglove.store.pictures import ExactPictures
from wiseglove.store.tables import ClipRow, JobRow

KIND = "behind"


class ShotFrames:
    """A shot's plate as a view wants it: frames by their numbers, from several threads. Counts what was read."""

    def __init__(self, plate: Plate, pictures: ExactPictures, run: Run, total: int) -> None:
        self.first, self.last = plate.first, plate.first + plate.count - 1
        self.size = plate.width, plate.height
        self._plate, self._pictures, self._run, self._total = plate, pictures, run, total
        self._lock = threading.Lock()
        self._read = 0

    def missing(self, frame: int) -> bool:
        """None is: gaps were filled when the plate was taken in."""
        return False

    def read(self, frame: int) -> NDArray[Any]:
        """The plate's own pixels."""
        with self._lock:
            self._read += 1
            self._run.progress(self._read, self._total)
            return self._pictures.plate(self._plate, frame, *self.size)


class SeenFrames(ShotFrames):
    """The plate as it is shown."""

    def read(self, frame: int) -> NDArray[Any]:
        """RGB, 8 bits (H, W, 3)."""
        return to_eight_bits(super().read(frame))[..., :3]


def work(run: Run) -> Outcome:
    """Make it from frames spread over the plate, and store it; all or nothing."""
    with run.database.transaction() as session:
        shot = shots.load(session, str(run.shot))
    pane = None
    if run.payload.get("pane"):
        pane = shot.find(run.payload["pane"], Pane)
        if pane is None:
            raise StoreError("That pane is not in the shot any more. Nothing was made.")
    corners = None if pane is None else corners_of(shot, pane)
    frames = shot.plate.count if corners is None else len(corners)
    pictures = ExactPictures(run.settings.media)
    said: list[str] = []
    try:
        plate = ShotFrames(shot.plate, pictures, run, min(frames, MOST_FRAMES))
        behind = behind_of(View(Request("", corners), plate), said.append)
    except UnknownBehindError as error:
        raise EditError(f"{error.why} Nothing was made.") from error
    finally:
        pictures.close()
    if not behind.known.any():
        raise EditError("Nothing of it was seen on enough frames, so nothing is known of it. Nothing was made.")
    name = f"Clean plate of {shot.settings.name}" if pane is None else f"Clean {pane.name} of {shot.settings.name}"
    folder = run.settings.intakes / f"{KIND}-{run.job}-{run.attempt}"
    source, target = folder / "source", folder / "clip"
    source.mkdir(parents=True, exist_ok=True)
    kept = source / clip.kept_as(0, "clean.png")
    write_behind(behind, kept)
    clip_id, about = take_made(run, {"clean.png": kept}, target, name)

    def settle(session: Session) -> dict[str, Any]:
        bring_in(session, run.settings.media / clip_id, target, about)
        return {**belongs(session, str(run.shot), clip_id), "pane": run.payload.get("pane")}

    return Outcome(f"{name} is there. {' '.join(said)}", {}, settle, lambda: shutil.rmtree(folder, ignore_errors=True))


def corners_of(shot: EvaluatedShot, pane: Pane) -> dict[int, NDArray[np.float64]]:
    """A pane's corners on the frames on which it is not folded over."""
    frames = range(shot.plate.first, shot.plate.first + shot.plate.count)
    found = {frame: np.asarray(shot.corners_at(pane, frame), np.float64) for frame in frames}
    return {frame: corners for frame, corners in found.items() if is_convex(corners)}


def newest(session: Session, shot: str, pane: str | None = None) -> str | None:
    """The clip of the clean picture of a shot's plate, or of one of its panes, that was made last, if it is still there."""
    made = select(JobRow).where(JobRow.kind == KIND, JobRow.shot == shot, JobRow.state == "done")
    for row in session.scalars(made.order_by(JobRow.ended_at.desc())):
        found = row.result or {}
        if (found.get("pane") or None) == pane and session.get(ClipRow, str(found.get("clip"))) is not None:
            return str(found["clip"])
    return None


def kept_picture(media: Path, made: str) -> Behind:
    """The clean picture that a clip holds."""
    reader = clip.ClipReader(clip.folder_of(media, made))
    try:
        return as_behind(reader.read(0))
    finally:
        reader.close()
