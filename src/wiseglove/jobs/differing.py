"""Holds out what differs from a clean picture, frame by frame, as one edit: a subject with that matte, or a cover that follows it."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, Literal, cast

import cv2
import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from wiseglove.core.behind.clean import Behind
from wiseglove.core.behind.difference import held_out
from wiseglove.core.kept import kept
from wiseglove.core.motion.regions import filled
from wiseglove.core.parallel import each
from wiseglove.delivery.bring_in import Mattes, mattes_of
from wiseglove.jobs.behind import SeenFrames, corners_of, kept_picture, newest
from wiseglove.jobs.behind_files import laid_on
from wiseglove.jobs.key_files import save_png
from wiseglove.jobs.mattes import applied
from wiseglove.jobs.run import Outcome, Run
from wiseglove.jobs.take_in import belongs, bring_in, take_made
from wiseglove.media import clip
from wiseglove.shot.edits import AddSubject, Edit
from wiseglove.shot.edits.base import get
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Pane
from wiseglove.store import shots
from wiseglove.store.pictures import ExactPictures

KIND = "differing"
Form = Literal["matte", "outlines"]
BEYOND = 4
"""Pixels outside a pane on which what crosses its border goes on, for the pane's soft border."""
LASTING = 4
"""Frames on which something differs at least to get an outline: what flickers is dirt."""
ROUND = 16
"""Frames that are worked out before the next progress."""
Matte = NDArray[np.float32]
Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class Differing:
    """What covers the clean picture of a pane, or without one of the whole plate, on each frame."""

    shot: EvaluatedShot
    pane: Pane | None
    behind: Behind
    unrolled: bool
    """Whether the clean picture is the pane's own and not the plate's."""

    @kept
    def corners(self) -> dict[int, NDArray[np.float64]]:
        """The pane's, on the frames on which it is not folded over."""
        return {} if self.pane is None else corners_of(self.shot, self.pane)

    def behind_at(self, frame: int) -> Behind | None:
        """The clean picture as a frame shows it, known only within the pane; None where the pane is not there."""
        if self.pane is None:
            return self.behind
        corners = self.corners.get(frame)
        if corners is None:
            return None
        if self.unrolled:
            return laid_on(self.behind, corners, (self.shot.plate.width, self.shot.plate.height))
        return Behind(self.behind.picture, self.behind.known & (self._area(frame) > 0.5), self.behind.noise)

    def _area(self, frame: int) -> Matte:
        return filled(self.corners[frame], (self.shot.plate.height, self.shot.plate.width))

    def shares(self, frame: int, behind: Behind, matte: Matte) -> tuple[float, float]:
        """Of the pane (or plate) in the picture: the share that is covered, and the share that is not known."""
        size = float(behind.known.size) if self.pane is None else max(float(self._area(frame).sum()), 1.0)
        covered, known = float(matte[behind.known].sum()), float(behind.known.sum())
        return min(covered / size, 1.0), max(0.0, 1 - known / size)

    def matte(self, frame: int, picture: Pixels) -> Matte:
        """What stays in front on a frame (h, w, 3), (h, w) in 0..1."""
        behind = self.behind_at(frame)
        if behind is None:
            return np.zeros(picture.shape[:2], np.float32)
        return held_out(picture.astype(np.float32), behind, 0 if self.pane is None else BEYOND)


def differing(session: Session, shot: EvaluatedShot, pane_id: str | None, read: Callable[[str], Behind]) -> Differing:
    """The clean picture of a pane, or else of the plate, beside the shot; read: gives what a clip holds. Raises EditError."""
    pane = get(shot, pane_id, Pane) if pane_id else None
    own = newest(session, shot.id, pane_id) if pane_id else None
    made = own or newest(session, shot.id)
    if made is None:
        what = "plate" if pane is None else "pane"
        raise EditError(
            f"There is no clean picture to tell differences from. Nothing was changed; make the clean {what} first."
        )
    behind = read(made)
    if own is None and behind.known.shape != (shot.plate.height, shot.plate.width):
        raise EditError("The clean plate has another size than the plate. Nothing was changed; make it anew.")
    return Differing(shot, pane, behind, own is not None)


def work(run: Run) -> Outcome:
    """Work out the mattes of the frames that are wanted, and bring them in; all or nothing."""
    wanted, form = {int(f) for f in run.payload["frames"]}, str(run.payload["form"])
    with run.database.transaction() as session:
        shot = shots.load(session, str(run.shot))
        told = differing(session, shot, run.payload.get("pane"), partial(kept_picture, run.settings.media))
    plate = shot.plate
    frames = [f for f in range(plate.first, plate.last + 1) if f in wanted]
    folder = run.settings.intakes / f"{KIND}-{run.job}-{run.attempt}"
    source = folder / "source"
    source.mkdir(parents=True, exist_ok=True)
    held = _write(run, told, frames, source)
    if not held:
        shutil.rmtree(folder, ignore_errors=True)
        raise EditError("On no frame that is kept anything differs from the clean picture. Nothing was changed.")
    name = "Holdout" if told.pane else "Passing"
    where = f"on {held} of {plate.count} frames"
    if form == "matte":
        return _as_matte(run, told, source, folder / "clip", (name, where))
    return _as_outlines(run, told, source, frames, (name, where))


def _what(told: Differing) -> str:
    return f"What covers {told.pane.name}" if told.pane else "What passes"


def _path(source: Path, plate_first: int, frame: int) -> Path:
    return source / clip.kept_as(frame - plate_first, "matte.png")


def _write(run: Run, told: Differing, frames: list[int], source: Path) -> int:
    """An 8-bit picture for each frame of the plate, black where a frame is left out; on how many something is held out."""
    plate, pictures = told.shot.plate, ExactPictures(run.settings.media)
    kept, held = set(frames), 0
    try:
        seen = SeenFrames(plate, pictures, run, len(frames))

        def one(frame: int) -> bool:
            found = np.round(told.matte(frame, seen.read(frame)) * 255).astype(np.uint8)
            save_png(_path(source, plate.first, frame), found)
            return bool(found.any())

        for start in range(0, len(frames), ROUND):
            held += sum(each(one, frames[start : start + ROUND]))
        nothing = source.parent / "nothing.png"
        save_png(nothing, np.zeros((plate.height, plate.width), np.uint8))
        for frame in range(plate.first, plate.last + 1):
            if frame not in kept:
                shutil.copyfile(nothing, _path(source, plate.first, frame))
    finally:
        pictures.close()
    return held


def _as_matte(run: Run, told: Differing, source: Path, target: Path, said: tuple[str, str]) -> Outcome:
    name, where = said
    plate = told.shot.plate
    files = {f"matte.{f:06d}.png": _path(source, plate.first, f) for f in range(plate.first, plate.last + 1)}
    as_plate = {"rate_num": plate.rate_num, "rate_den": plate.rate_den, "first": plate.first}
    clip_id, about = take_made(run, files, target, name, **as_plate)
    pane = None if told.pane is None else told.pane.id
    edit = AddSubject(type="add-subject", frame=plate.first, name=name[:80], pane=pane, matte=clip_id)

    def settle(session: Session) -> dict[str, Any]:
        bring_in(session, run.settings.media / clip_id, target, about)
        return belongs(session, str(run.shot), clip_id) | applied(session, run, edit)

    return Outcome(
        f"{_what(told)} stays in front {where}, as a matte. Undo takes it back.", {}, settle,
        lambda: shutil.rmtree(target.parent, ignore_errors=True),
    )  # fmt: skip


def _as_outlines(run: Run, told: Differing, source: Path, frames: list[int], said: tuple[str, str]) -> Outcome:
    name, where = said
    plate = told.shot.plate

    def read(frame: int) -> Pixels:
        kept = cv2.imread(str(_path(source, plate.first, frame)), cv2.IMREAD_UNCHANGED)
        assert kept is not None
        return np.asarray(kept, np.uint8)[..., None]

    mattes = Mattes(name, name, plate.first, plate.count, (plate.width, plate.height), read)
    try:
        edit, _ = mattes_of(told.shot, mattes, run.progress, frames, min(LASTING, len(frames)))
    finally:
        shutil.rmtree(source.parent, ignore_errors=True)
    outlines = sum(len(c.outlines) for c in edit.covers)
    words = f"{_what(told)} stays in front {where}, as {outlines} outline{'s' * (outlines > 1)}. Undo takes it back."
    return Outcome(words, {}, lambda session: applied(session, run, cast(Edit, edit)))
