"""Two demo shots that are keyed: the presenter before a backing, and the tapping hand over coloured glass."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import encode
from wiseglove.core.parallel import workers
from wiseglove.demo import footage, inserts, presenter, scene
from wiseglove.demo.install import FIRST, PANE_KEYED, Report, apply_edits, still_there, take_in_insert, take_in_movie
from wiseglove.demo.surroundings import greenhouse
from wiseglove.media.encode import FINE, MovieWriter, png
from wiseglove.settings import Settings
from wiseglove.shot.basics import Corners
from wiseglove.shot.edits import (
    AddCover,
    AddPane,
    AddSubject,
    Edit,
    OutlineDraft,
    SetCover,
    SetPane,
    SetSubject,
    ShapePoints,
)
from wiseglove.shot.edits.subjects import plate_corners
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Contents, Insert
from wiseglove.shot.sampling import take_sample
from wiseglove.shot.subject import CleanUp, Sample, Step
from wiseglove.store import shots
from wiseglove.store.database import Database
from wiseglove.store.pictures import ExactPictures
from wiseglove.store.tables import ElementRow

Array = NDArray[Any]
PRESENTER, GLASS = "Seed presenter", "Coloured glass"
GLASS_FRAMES = range(20, 50)
"""Frames of the tapping shot that were shot again over coloured glass."""
PRESENTED = (300.0, 150.0, 60.0, 80.0)
ON_GLASS = (330.0, 300.0, 60.0, 60.0)
"""Where the backing is sampled: x, y, width, height."""
LAST_MADE = "keyedsubject"


def _film(index: int) -> tuple[NDArray[np.uint8], dict[str, NDArray[np.uint8]]]:
    """A frame of the presenter: its plate, and its truth as grey or RGB pixels."""
    taken = presenter.film(index)
    own = taken.colours / np.maximum(taken.alpha, 1e-3)[..., None]
    truth = {"alpha": taken.alpha, "colour": encode(np.clip(own, 0, 1)).astype(np.float32)}
    return taken.plate, {k: np.round(v * 255).astype(np.uint8) for k, v in truth.items()}


def _tap(index: int) -> tuple[NDArray[np.uint8], dict[str, NDArray[np.uint8]]]:
    """A frame of the hand over coloured glass, and its truth."""
    taken = footage.render_coloured(index)
    return taken.plate, {"alpha": taken.hand}


def render(name: str, folder: Path, report: Report) -> Path:
    """A shot's movie, rendered if it is not there yet; its truth lies in a folder beside it."""
    stem = name.lower().replace(" ", "_")
    movie = folder / f"{stem}.mp4"
    if movie.exists():
        return movie
    report(f"Rendering the demo shot {name} ...")
    make, frames = (_film, range(presenter.FRAMES)) if name == PRESENTER else (_tap, GLASS_FRAMES)
    work, truth = folder / f"{stem}.rendering.mp4", folder / f"{stem}.truth"
    work.unlink(missing_ok=True)
    truth.mkdir(parents=True, exist_ok=True)
    with (
        MovieWriter(work, scene.WIDTH, scene.HEIGHT, Fraction(scene.RATE), FINE) as writer,
        ProcessPoolExecutor(workers(), mp_context=get_context("spawn")) as pool,
    ):
        for number, (plate, parts) in enumerate(pool.map(make, frames)):
            writer.write(plate)
            for part, pixels in parts.items():
                (truth / f"{part}.{FIRST + number}.png").write_bytes(png(pixels))
    shutil.move(work, movie)
    return movie


def read_alpha(folder: Path, name: str, number: int) -> NDArray[np.float32]:
    """The exact matte of a frame (0-based) of a rendered shot, (h, w)."""
    path = folder / f"{name.lower().replace(' ', '_')}.truth" / f"alpha.{FIRST + number}.png"
    return np.asarray(cv2.imread(str(path), cv2.IMREAD_GRAYSCALE), np.float32) / np.float32(255)


def _drawn(outline: str, name: str, shapes: dict[int, Array], kind: Any) -> list[Edit]:
    """A cover whose outline has keys (0-based frames) with these corners (n, 2)."""
    edits: list[Edit] = []
    for index, corners in shapes.items():
        points = as_points(np.pad(corners, ((0, 0), (0, 6))))
        if not edits:
            draft = OutlineDraft(kinds=[kind] * len(points), points=points)
            edits.append(AddCover(type="add-cover", outline_id=outline, frame=FIRST + index, outline=draft, name=name))
        else:
            rows = dict(enumerate(points))
            edits.append(ShapePoints(type="shape-points", element=outline, frame=FIRST + index, points=rows))
    return edits


def _blade(index: int) -> Array:
    """What an artist draws just inside the trowel's blade."""
    shape = next(p for p in presenter.parts_at(index) if p.name == "blade").shape[0]
    return np.asarray(shape + (shape.mean(axis=0) - shape) * 0.05)


def mattes_of_presenter() -> list[Edit]:
    """The covers that are the presenter's garbage and core."""
    boom = np.array(
        [[302, -12], [467, 77], [532, 109], [566, 112], [588, 88], [572, 36], [503, 2], [494, 12], [322, -60]],
        np.float64,
    )
    stand = np.array([[-10, 150], [168, 150], [168, 730], [-10, 730]], np.float64)
    body = np.array([[586, 470], [636, 440], [700, 462], [742, 560], [756, 726], [540, 726], [566, 560]], np.float64)
    return [
        *_drawn("stand", "Lamp stand", {0: stand}, "corner"),
        *_drawn("boom", "Boom", {0: boom}, "corner"),
        *_drawn("body", "Body, inside", {0: body}, "corner"),
        *_drawn("blade", "Trowel blade", {i: _blade(i) for i in range(0, presenter.FRAMES, 2)}, "corner"),
    ]


def subject_of_presenter(shot: Contents, sample: Sample) -> list[Edit]:
    """The presenter as a subject, with the covers that `mattes_of_presenter` has drawn as its core and garbage."""
    named = {c.name: c.id for c in shot.covers}
    return [
        SetCover(type="set-cover", cover=named["Trowel blade"], shutter=360 * scene.SHUTTER),
        AddSubject(type="add-subject", id=LAST_MADE, frame=FIRST, sample=sample, name="Presenter"),
        SetSubject(
            type="set-subject",
            subject=LAST_MADE,
            garbage=[named["Lamp stand"], named["Boom"]],
            core=[named["Body, inside"], named["Trowel blade"]],
            clean_up=CleanUp(specks=Step(on=True, amount=8), grow=Step(on=True, amount=-0.4)),
        ),
    ]


def install(database: Database, settings: Settings, folder: Path, report: Report) -> list[str]:
    """Put in those of the two shots that the list does not have yet, or has only in part; their ids."""
    there = still_there(database, [PRESENTER, GLASS], ElementRow.id == LAST_MADE)
    made = []
    for name, put_in in ((GLASS, _install_glass), (PRESENTER, _install_presenter)):
        if name not in there:
            movie = render(name, folder, report)
            report(f"Taking in {name} ...")
            made.append(put_in(database, settings, movie))
    return made


def _sample(database: Database, settings: Settings, shot_id: str, box: tuple[float, float, float, float]) -> Sample:
    with database.transaction() as session:
        media = shots.load(session, shot_id).plate.media
    pictures = ExactPictures(settings.media)
    try:
        return take_sample(pictures, media, 0, FIRST, box)
    finally:
        pictures.close()


def _install_presenter(database: Database, settings: Settings, movie: Path) -> str:
    shot_id = take_in_movie(database, settings, movie, PRESENTER)
    picture = movie.parent / "night_greenhouse.png"
    picture.write_bytes(png(np.round(encode(np.clip(greenhouse() * 1.4, 0, 1)) * 255).astype(np.uint8)))
    background = take_in_insert(database, settings, picture, shot_id)
    sample = _sample(database, settings, shot_id, PRESENTED)

    _apply(database, shot_id, lambda shot: mattes_of_presenter())
    _apply(database, shot_id, lambda shot: _background(shot, background))
    _apply(database, shot_id, lambda shot: subject_of_presenter(shot, sample))
    return shot_id


def _background(shot: Contents, media: str) -> list[Edit]:
    corners: Corners = plate_corners(shot.plate)
    return [
        AddPane(type="add-pane", id="background", frame=FIRST, corners=corners, name="Night greenhouse"),
        SetPane(type="set-pane", pane="background", insert=Insert(source="media", media=media, start=FIRST)),
    ]


def _install_glass(database: Database, settings: Settings, movie: Path) -> str:
    shot_id = take_in_movie(database, settings, movie, GLASS)
    sample = _sample(database, settings, shot_id, ON_GLASS)
    shown = take_in_insert(database, settings, inserts.render(movie.parent)["dashboard"], shot_id)
    insert = Insert(source="media", media=shown, start=FIRST - GLASS_FRAMES[0])
    frames = [i for i in sorted({GLASS_FRAMES[0], GLASS_FRAMES[-1], *PANE_KEYED}) if i in GLASS_FRAMES]
    places = {i - GLASS_FRAMES[0]: scene.screen_corners(i) for i in frames}

    def edits(shot: Contents) -> list[Edit]:
        a, b, c, d = ((float(x), float(y)) for x, y in places[0])
        out: list[Edit] = [AddPane(type="add-pane", id="glass", frame=FIRST, corners=(a, b, c, d), name="Panel glass")]
        out.append(SetPane(type="set-pane", pane="glass", insert=insert))
        for index, corners in places.items():
            rows = dict(enumerate(as_points(np.pad(corners, ((0, 0), (0, 6))))))
            out.append(ShapePoints(type="shape-points", element="glass", frame=FIRST + index, points=rows))
        out.append(
            AddSubject(
                type="add-subject", id=LAST_MADE, frame=FIRST, sample=sample, pane="glass", name="Hand over the glass"
            )
        )
        return out

    _apply(database, shot_id, edits)
    return shot_id


def _apply(database: Database, shot_id: str, make: Callable[[EvaluatedShot], list[Edit]]) -> None:
    with database.transaction() as session:
        shot = shots.load(session, shot_id)
    apply_edits(database, shot_id, make(shot))
