"""Renders the demo footage once and puts the demo shot into an empty list of shots."""

from __future__ import annotations

import hashlib
import json
import shutil
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from sqlalchemy import ColumnElement, select

from wiseglove.core.parallel import workers
from wiseglove.demo import drawing, footage, scene
from wiseglove.jobs import take_in
from wiseglove.jobs.run import execute
from wiseglove.media import clip
from wiseglove.media.encode import FINE, MovieWriter, png
from wiseglove.media.probe import probe
from wiseglove.settings import Settings
from wiseglove.shot.basics import Corners, new_id
from wiseglove.shot.edits import AddCover, AddPane, Edit, OutlineDraft, ShapePoints
from wiseglove.shot.keys import as_points
from wiseglove.store import jobs, shots
from wiseglove.store.database import Database
from wiseglove.store.errors import StoreError
from wiseglove.store.tables import ElementRow, IntakeFileRow, IntakeRow, JobRow, NoteRow, ShotRow

Report = Callable[[str], None]
MOVIE = "panel_tap.mp4"
FIRST = 1001
# fmt: off
KEYED = (
    0, 4, 8, 13, 18, 21, 24, 28, 32, 36, 38, 41, 46, 49, 51, 55, 58, 62, 65, 67,
    69, 71, 74, 77, 80, 84, 88, 94, 99,
)
"""Frames (0-based) on which the demo's covers are drawn."""
PANE_KEYED = (
    0, 4, 8, 12, 17, 20, 25, 30, 34, 38, 42, 47, 51, 55, 60, 63, 68, 73, 77, 82, 85, 90, 94, 99,
)
# fmt: on


def render_footage(folder: Path, report: Report) -> Path:
    """The movie, rendered if it is not there yet; truth lies beside it in truth/ (see `read_truth`)."""
    movie = folder / MOVIE
    if movie.exists():
        return movie
    report("Rendering the demo footage, once (about two minutes) ...")
    work = folder / "rendering"
    shutil.rmtree(work, ignore_errors=True)
    (work / "truth").mkdir(parents=True)
    corners = {}
    with (
        MovieWriter(work / MOVIE, scene.WIDTH, scene.HEIGHT, Fraction(scene.RATE), FINE) as writer,
        ProcessPoolExecutor(workers(), mp_context=get_context("spawn")) as pool,
    ):
        for index, frame in enumerate(pool.map(footage.render, range(scene.FRAMES))):
            writer.write(frame.plate)
            corners[index] = frame.corners.tolist()
            for name, alpha in frame.parts.items():
                (work / "truth" / f"{name}.{FIRST + index}.png").write_bytes(png(alpha))
            if index % 10 == 9:
                report(f"  {index + 1} of {scene.FRAMES} frames")
    (work / "truth" / "corners.json").write_text(json.dumps(corners))
    shutil.rmtree(folder / "truth", ignore_errors=True)
    (work / "truth").rename(folder / "truth")
    (work / MOVIE).rename(movie)
    shutil.rmtree(work, ignore_errors=True)
    return movie


def read_truth(folder: Path, index: int) -> footage.Rendered:
    """Exact truth of a frame (0-based) of rendered footage; its plate is left empty."""
    parts = {
        name: np.asarray(
            cv2.imread(str(folder / "truth" / f"{name}.{FIRST + index}.png"), cv2.IMREAD_GRAYSCALE), np.uint8
        )
        for name in scene.PARTS
    }
    corners = json.loads((folder / "truth" / "corners.json").read_text())
    return footage.Rendered(np.zeros((0, 0, 3), np.uint8), parts, np.array(corners[str(index)]))


TO_TRY = (
    (1034, (610.0, 400.0), "press I: the hand is looked for, and becomes covers to begin with. Escape drops them."),
    (1037, (660.0, 340.0), "press W: it goes to where an outline needs a look. Details offer to put it right, or to say that it looks right."),
    (1041, (640.0, 360.0), "press 4: the picture lies on the panel, behind the glove. Space plays it."),
    (1047, (700.0, 330.0), "choose Index finger and drag a point. The matte follows the hand; Ctrl+Z takes it back."),
    (1062, (840.0, 430.0), "open Where to look, above, and look for holes. What nothing holds out can become a cover."),
)  # fmt: skip
"""What to try on the demo shot, as open notes: frame, place, words."""


def install(database: Database, settings: Settings, folder: Path, report: Report) -> str | None:
    """Put in the demo shot where there is no shot at all; returns its id, or None where there was one."""
    with database.transaction() as session:
        if session.query(ShotRow).first() is not None:
            return None
    movie = render_footage(folder, report)
    report("Taking in the demo plate ...")
    shot_id = take_in_movie(database, settings, movie, "Panel tap")
    for edit in demo_edits(folder):
        with database.transaction() as session:
            revision = session.get_one(ShotRow, shot_id).revision
            shots.apply(session, shot_id, revision, edit)
    with database.transaction() as session:
        for number, (frame, (x, y), words) in enumerate(TO_TRY, start=1):
            text = f"Try {number} of {len(TO_TRY)}: {words}"
            session.add(NoteRow(id=new_id(), shot=shot_id, frame=frame, x=x, y=y, text=text, done=False))
    return shot_id


def take_in_movie(database: Database, settings: Settings, movie: Path, name: str) -> str:
    """A movie as a new shot, through the same work as an upload. Raises StoreError."""
    return str(_take_in(database, settings, movie, name, None)["shot"])


def take_in_insert(database: Database, settings: Settings, picture: Path, shot: str) -> str:
    """A picture or movie as a clip of a shot, likewise; the clip's id."""
    return str(_take_in(database, settings, picture, picture.stem, shot)["clip"])


def _take_in(database: Database, settings: Settings, movie: Path, name: str, shot: str | None) -> dict[str, Any]:
    settings.make_folders()
    intake = new_id()
    source = settings.intakes / intake / "source"
    source.mkdir(parents=True)
    kept = clip.kept_as(0, movie.name)
    shutil.copy2(movie, source / kept)
    understood = probe([source / kept], settings.limits, [movie.name])
    understood = understood.model_copy(update={"name": name, "first": FIRST})
    with database.transaction() as session:
        digest = hashlib.sha256(movie.read_bytes()).hexdigest()
        session.add(
            IntakeRow(
                id=intake,
                purpose="insert" if shot else "plate",
                shot=shot,
                state="decoding",
                message="",
                understood=understood.model_dump(mode="json"),
            )
        )
        session.flush()
        size = movie.stat().st_size
        session.add(IntakeFileRow(intake=intake, number=0, name=movie.name, kept_as=kept, size=size, sha256=digest))
        job = jobs.add(session, "take-in", f"Decoding {name}", {}, None, intake).id
    execute(database, settings, job, take_in.work, take_in.failed)
    with database.transaction() as session:
        row = session.get_one(JobRow, job)
        if row.state != "done" or row.result is None:
            raise StoreError(row.message)
        return dict(row.result)


def apply_edits(database: Database, shot_id: str, edits: list[Edit]) -> None:
    """Make edits one after the other, each a step of its own."""
    for edit in edits:
        with database.transaction() as session:
            revision = session.get_one(ShotRow, shot_id).revision
            shots.apply(session, shot_id, revision, edit)


def still_there(database: Database, names: list[str], *last_made: ColumnElement[bool]) -> set[str]:
    """All shots' names, after those of these names that do not hold the element which is made last are deleted.

    last_made: what is true of that element.
    """
    with database.transaction() as session:
        whole = select(ElementRow.shot).where(*last_made)
        for row in session.scalars(select(ShotRow).where(ShotRow.name.in_(names), ShotRow.id.not_in(whole))):
            session.delete(row)  # it was being put in when the demo was stopped
        session.flush()
        return set(session.scalars(select(ShotRow.name)))


def demo_edits(folder: Path) -> list[Edit]:
    """The demo's covers and pane as edits, each keyed at a handful of frames."""
    shapes: dict[str, list[np.ndarray]] = {"Hand": [], "Index finger": []}
    for index in KEYED:
        shapes["Hand"].append(drawing.rest_of_hand(index, read_truth(folder, index)))
        shapes["Index finger"].append(drawing.finger(index))
    pane, hand, finger = "d0000000000a", "d0000000000b", "d0000000000c"
    edits: list[Edit] = [
        AddPane(type="add-pane", id=pane, frame=FIRST, corners=_corners(0), name="Panel screen"),
        *(_shape(pane, index, np.pad(scene.screen_corners(index), ((0, 0), (0, 6)))) for index in PANE_KEYED[1:]),
    ]
    for outline_id, (name, keys) in zip((hand, finger), shapes.items(), strict=True):
        draft = OutlineDraft(kinds=["smooth"] * len(keys[0]), points=as_points(keys[0]))
        edits.append(AddCover(type="add-cover", outline_id=outline_id, frame=FIRST, outline=draft, name=name))
        edits += [_shape(outline_id, index, shape) for index, shape in zip(KEYED[1:], keys[1:], strict=True)]
    return edits


def _corners(index: int) -> Corners:
    a, b, c, d = ((float(x), float(y)) for x, y in scene.screen_corners(index))
    return a, b, c, d


def _shape(element: str, index: int, points: np.ndarray) -> ShapePoints:
    rows = dict(enumerate(as_points(points)))
    return ShapePoints(type="shape-points", element=element, frame=FIRST + index, points=rows)
