"""The tap once more, finished: a dashboard that answers the finger sits in the panel, and a card floats before it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from wiseglove.demo import inserts, install
from wiseglove.demo.install import FIRST, Report, apply_edits, still_there, take_in_insert, take_in_movie
from wiseglove.jobs import behind
from wiseglove.jobs.run import execute
from wiseglove.settings import Settings
from wiseglove.shot.edits import AddPane, OrderDepth, SetPane
from wiseglove.shot.edits.base import get
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.measuring import proposed
from wiseglove.shot.model import Pane
from wiseglove.shot.pane import AmountRow, DepthRow, Floating, GlassRow, GlowRow, Insert, LevelRow, SitIn
from wiseglove.store import jobs, shots
from wiseglove.store.database import Database
from wiseglove.store.pictures import ExactPictures
from wiseglove.store.tables import ElementRow

NAME = "Tap, sat in"
PANE, COUNTER = "d0000000000a", "leafcounter"
FOCAL = 1180.0
"""Focal length in px that is typed for the tap, whose panel stands still: its motion tells none."""

Change = Callable[[SitIn], SitIn]


def fit_out(database: Database, settings: Settings, shot: str, name: str, folder: Path) -> None:
    """Give a solved shot what its panel shows, sat in: the glossy one keeps its reflections, the door goes out of focus."""
    what, change = FITTED[name]
    sit_in(database, settings, shot, "panelscreen", inserts.render(folder)[what], change)


def _out_of_focus(sit: SitIn) -> SitIn:
    depth = DepthRow(on=True, here=(0.05, 0.5), there=(0.95, 0.5), near=0.0, far=3.0)
    return sit.model_copy(update={"depth": depth})


FITTED: dict[str, tuple[str, Change]] = {
    "Glossy panel": ("dashboard", lambda sit: sit),
    "Cabinet door": ("catalogue", _out_of_focus),
    "Tray passes": ("catalogue", lambda sit: sit),
}
"""What the panels of the solved shots show, and what is set by hand after it was measured."""


def sit_in(database: Database, settings: Settings, shot: str, pane: str, picture: Path, change: Change) -> None:
    """Put a picture into a pane, make the pane's clean picture, and let the plate tell how it sits in: in one step, the last."""
    media = take_in_insert(database, settings, picture, shot)
    apply_edits(database, shot, [SetPane(type="set-pane", pane=pane, insert=_shown(media))])
    with database.transaction() as session:
        job = jobs.add(session, behind.KIND, "Making the clean pane", {"pane": pane}, shot, None).id
    execute(database, settings, job, behind.work)
    with database.transaction() as session:
        clean = dict(jobs.get(session, job).result or {}).get("clip")
    with database.transaction() as session:
        before = shots.load(session, shot)
    clean_only = SetPane(type="set-pane", pane=pane, sit=SitIn(clean=None if clean is None else str(clean)))
    sit = _told(settings, before.with_elements(clean_only.apply(before).after), pane)
    apply_edits(database, shot, [SetPane(type="set-pane", pane=pane, sit=change(sit))])


def _shown(media: str) -> Insert:
    return Insert(source="media", media=media, start=FIRST)


def _told(settings: Settings, shot: EvaluatedShot, pane: str) -> SitIn:
    """The rows as the plate tells them."""
    pictures = ExactPictures(settings.media)
    try:
        sit, _ = proposed(shot, get(shot, pane, Pane), pictures)
    finally:
        pictures.close()
    return sit


def _glowing(sit: SitIn) -> SitIn:
    """A lit screen, a little weaker than full white, with glow. Its old picture is lit, too, so that its glass tells nothing."""
    level = LevelRow(on=True, black=sit.level.black, white=(0.82, 0.82, 0.82))
    glow = GlowRow(on=True, amount=0.1, width=10)
    return sit.model_copy(update={"level": level, "glow": glow, "shadow": AmountRow(), "glass": GlassRow()})


def install_tap(database: Database, settings: Settings, folder: Path, report: Report) -> list[str]:
    """Put in the finished tap where the list does not have it whole; its id."""
    if NAME in still_there(database, [NAME], ElementRow.id == COUNTER):
        return []
    report(f"Taking in {NAME} ...")
    found = inserts.render(folder)
    shot = take_in_movie(database, settings, install.render_footage(folder, report), NAME)
    apply_edits(database, shot, install.demo_edits(folder))
    sit_in(database, settings, shot, PANE, found["dashboard"], _glowing)
    card = take_in_insert(database, settings, found["counter"], shot)
    floats = Floating(pane=PANE, distance=0.3, across=-0.98, down=-0.3, swing=18, size=0.34, focal=FOCAL)
    with database.transaction() as session:
        depth = shots.load(session, shot).settings.depth
    quad = ((0.0, 0.0), (64.0, 0.0), (64.0, 30.0), (0.0, 30.0))
    apply_edits(
        database,
        shot,
        [
            AddPane(type="add-pane", id=COUNTER, frame=FIRST, corners=quad, name="Leaf counter"),
            SetPane(type="set-pane", pane=COUNTER, insert=_shown(card), floats=floats, aspect=640 / 300, opacity=0.94),
            OrderDepth(type="order-depth", depth=[*(i for i in depth if i != PANE), COUNTER, PANE]),
        ],
    )
    with database.transaction() as session:
        jobs.announce(session, "shots", {})
    return [shot]
