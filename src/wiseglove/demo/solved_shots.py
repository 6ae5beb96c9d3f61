"""Three more demo shots whose panels are solved: one that is hidden completely, one that swings, one that is glossy."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.parallel import workers
from wiseglove.demo import panel_shots, sat_shots, scene
from wiseglove.demo.install import FIRST, Report, apply_edits, still_there, take_in_movie
from wiseglove.demo.panels import Panel, Taken, take
from wiseglove.jobs import solve
from wiseglove.jobs.run import execute
from wiseglove.media.encode import FINE, MovieWriter
from wiseglove.settings import Settings
from wiseglove.shot.edits import AddCarrier, AddCover, AddPane, AddRegion, Edit, OutlineDraft, Ride, ShapePoints
from wiseglove.shot.keys import as_points
from wiseglove.store import jobs
from wiseglove.store.database import Database
from wiseglove.store.tables import ElementRow

Array = NDArray[Any]
RIM, GLASS = (0.198, 0.139), (0.176, 0.115)
"""Half sizes, in metres, of what is tracked, and of what the glass takes up of it."""
SCREEN, LEAF = "panelscreen", "leafoutline"
"""Ids of the pane, whose picture sits in where a shot is whole, and of the outline that rides with it."""
COLLEAGUE_KEYED = range(0, 60, 4)


@dataclass(frozen=True)
class Demo:
    """A shot of the demo: its name in the list, its clip, whether its glass misleads, and what else is drawn."""

    name: str
    clip: Callable[[], Panel]
    blind: bool = False
    colleague: bool = False


DEMOS = (
    Demo("Tray passes", panel_shots.tray, colleague=True),
    Demo("Cabinet door", panel_shots.door),
    Demo("Glossy panel", panel_shots.glossy, blind=True),
)


def _frame(clip: Callable[[], Panel], index: int) -> Taken:
    return take(clip(), index)


def render(demo: Demo, folder: Path, report: Report) -> Path:
    """The shot's movie, rendered if it is not there yet; its corners lie beside it as JSON."""
    stem = demo.name.lower().replace(" ", "_")
    movie = folder / f"{stem}.mp4"
    if movie.exists():
        return movie
    report(f"Rendering the demo shot {demo.name} ...")
    shot = demo.clip()
    work = folder / f"{stem}.rendering.mp4"
    work.unlink(missing_ok=True)
    with (
        MovieWriter(work, scene.WIDTH, scene.HEIGHT, Fraction(scene.RATE), FINE) as writer,
        ProcessPoolExecutor(workers(), mp_context=get_context("spawn")) as pool,
    ):
        for taken in pool.map(partial(_frame, demo.clip), range(shot.frames)):
            writer.write(taken.plate)
    corners = {FIRST + i: shot.corners(i).tolist() for i in range(shot.frames)}
    (folder / f"{stem}.corners.json").write_text(json.dumps(corners))
    shutil.move(work, movie)
    return movie


def edits_before(demo: Demo) -> list[Edit]:
    """What an artist draws before solving: rough covers, the patch, blind spots."""
    shot = demo.clip()
    rim = shot.corners(0, RIM)
    edits: list[Edit] = []
    if demo.colleague:
        edits += _colleague(shot)
    edits.append(
        AddCarrier(type="add-carrier", id="panelmotion", frame=FIRST, patch=_straight(rim), name="Panel motion")
    )
    if demo.blind:
        glass = _straight(shot.corners(0, GLASS))
        edits.append(AddRegion(type="add-region", carrier="panelmotion", what="blind", frame=FIRST, points=glass))
    return edits


def edits_after(demo: Demo) -> list[Edit]:
    """What is placed once the motion is known: the pane, and a tight cover that rides with a single key."""
    shot = demo.clip()
    corners: Any = tuple((float(x), float(y)) for x, y in shot.corners(0))
    leaf = OutlineDraft(kinds=["smooth"] * 4, points=as_points(panel_shots.leaf_outline(shot)))
    return [
        AddPane(type="add-pane", id=SCREEN, frame=FIRST, corners=corners, name="Panel screen"),
        AddCover(type="add-cover", outline_id=LEAF, frame=FIRST, outline=leaf, name="Leaf"),
        Ride(type="ride", elements=[SCREEN, LEAF], carrier="panelmotion"),
    ]


def _straight(corners: Array) -> list[Any]:
    return as_points(np.pad(corners, ((0, 0), (0, 6))))


def _colleague(shot: Panel) -> list[Edit]:
    """A loose cover of who passes: an ellipse over body and tray, keyed every few frames."""
    assert shot.front is not None
    edits: list[Edit] = []
    for index in COLLEAGUE_KEYED:
        box = shot.front.corners(index)
        (left, top), (right, bottom) = box.min(axis=0), box.max(axis=0)
        middle, half = ((left + right) / 2, (top + bottom) / 2), ((right - left) * 0.56, (bottom - top) * 0.66)
        points = as_points(ellipse(*middle, *half))
        if not edits:
            draft = OutlineDraft(kinds=["smooth"] * 4, points=points)
            edits.append(
                AddCover(type="add-cover", outline_id="colleague", frame=FIRST, outline=draft, name="Colleague, rough")
            )
        else:
            rows = dict(enumerate(points))
            edits.append(ShapePoints(type="shape-points", element="colleague", frame=FIRST + index, points=rows))
    return edits


def whole_ones(database: Database) -> set[str]:
    """The names of all shots, after those of ours are deleted whose picture does not sit in yet: that is done last."""
    sat_in = ElementRow.body["sit"]["clean"].as_string().is_not(None)
    return still_there(database, [demo.name for demo in DEMOS], ElementRow.id == SCREEN, sat_in)


def install(database: Database, settings: Settings, folder: Path, report: Report) -> list[str]:
    """Put in those of the three shots that the list does not have yet, or has only in part; their ids."""
    there = whole_ones(database)
    made = []
    for demo in DEMOS:
        if demo.name not in there:
            made.append(_install(database, settings, demo, render(demo, folder, report), report))
    return made


def _install(database: Database, settings: Settings, demo: Demo, movie: Path, report: Report) -> str:
    report(f"Taking in and solving {demo.name} ...")
    shot_id = take_in_movie(database, settings, movie, demo.name)
    apply_edits(database, shot_id, edits_before(demo))
    last = FIRST + demo.clip().frames - 1
    with database.transaction() as session:
        payload = {"carrier": "panelmotion", "first": FIRST, "last": last}
        job = jobs.add(session, "solve", "Solving Panel motion", payload, shot_id, None).id
    execute(database, settings, job, solve.work)
    apply_edits(database, shot_id, edits_after(demo))
    report(f"Sitting the picture into {demo.name} ...")
    sat_shots.fit_out(database, settings, shot_id, demo.name, movie.parent)
    with database.transaction() as session:
        jobs.announce(session, "shots", {})
    return shot_id
