"""Looking for holes in the holdouts of a shot's panes, as a job; what it finds is its result."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import cv2
import numpy as np
import shapely
from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session

from wiseglove.core.behind.difference import difference_matte
from wiseglove.core.review.holes import holes
from wiseglove.core.review.matters import area_of
from wiseglove.jobs.behind import SeenFrames, corners_of
from wiseglove.jobs.behind_files import MOST_FRAMES, Frames, Request, UnknownBehindError, View, behind_of
from wiseglove.jobs.run import Outcome, Run
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Pane
from wiseglove.shot.render import FrameScene
from wiseglove.shot.report import HoleReport
from wiseglove.store import shots
from wiseglove.store.pictures import ExactPictures
from wiseglove.store.tables import JobRow

KIND = "holes"
FRAMES = 40
"""Frames of a pane, evenly over the range, that are looked through."""
INSET = 3
"""Pixels from a pane's border within which nothing is said."""
STILL_OPEN = 0.5
"""Share of a place that is still not held out (or still is), from which it still counts after the covers were changed."""
Say = Callable[[str], None]
_holes = TypeAdapter(list[HoleReport])


def holes_in(shot: EvaluatedShot, pictures: ExactPictures, frames: Frames, say: Say) -> list[HoleReport]:
    """Of all panes that are shown, the largest first; says of which panes nothing can be known."""
    out: list[HoleReport] = []
    for pane in shot.panes:
        if not shot.is_shown(pane):
            continue
        try:
            out += _of_pane(shot, pane, pictures, frames, say)
        except UnknownBehindError as error:
            say(f"{pane.name}: what is behind is not known, so holes were not looked for. {error.why}")
    return sorted(out, key=lambda h: -h.area)


def _of_pane(
    shot: EvaluatedShot, pane: Pane, pictures: ExactPictures, frames: Frames, say: Say
) -> Iterator[HoleReport]:
    corners = {f: c for f, c in corners_of(shot, pane).items() if frames.first <= f <= frames.last}
    view = View(Request("", corners, frames.first, frames.last), frames)
    behind = behind_of(view, lambda line: say(f"{pane.name}: {line}"))
    picked = np.unique(np.linspace(0, len(view.frames) - 1, min(FRAMES, len(view.frames))).round().astype(int))
    for frame in (view.frames[i] for i in picked):
        laid = view.laid(behind, frame)
        seen = frames.read(frame).astype(np.float32)
        covered = difference_matte(seen, laid)
        ring = np.ones((2 * INSET + 1, 2 * INSET + 1), np.uint8)
        within = cv2.erode(laid.known.astype(np.uint8), ring, borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0
        held = FrameScene(shot, frame, pictures).holdout_of(pane)
        for hole in holes(covered, held, within, seen, laid.picture):
            yield HoleReport(
                frame=frame, pane=pane.name, pane_id=pane.id, what="open" if hole.what == "open" else "wide",
                area=round(hole.area), centre=(round(hole.centre[0], 1), round(hole.centre[1], 1)),
                outline=as_points(hole.outline),
            )  # fmt: skip


def work(run: Run) -> Outcome:
    """Look through all panes that are shown."""
    with run.database.transaction() as session:
        shot = shots.load(session, str(run.shot))
    pictures = ExactPictures(run.settings.media)
    said: list[str] = []
    try:
        total = sum(shot.is_shown(p) for p in shot.panes) * (MOST_FRAMES + FRAMES)
        found = holes_in(shot, pictures, SeenFrames(shot.plate, pictures, run, total), said.append)
    finally:
        pictures.close()
    open_, wide = (sum(h.what == what for h in found) for what in ("open", "wide"))
    words = f"{open_} places where something is not held out, {wide} where the bare pane is. {' '.join(said)}"
    return Outcome(words.strip(), {"revision": shot.revision, "holes": [h.model_dump(mode="json") for h in found]})


def newest(session: Session, shot: str) -> tuple[int, list[HoleReport]] | None:
    """The revision that was looked through last, and what was found; None where that was never done."""
    done = select(JobRow).where(JobRow.kind == KIND, JobRow.shot == shot, JobRow.state == "done")
    row = session.scalars(done.order_by(JobRow.ended_at.desc()).limit(1)).first()
    if row is None or not row.result:
        return None
    return int(row.result["revision"]), _holes.validate_python(row.result["holes"])


def still_there(shot: EvaluatedShot, found: list[HoleReport]) -> list[HoleReport]:
    """Those that the covers as they are now still leave open, or still hold out; by their outlines alone, not by pictures."""
    areas: dict[tuple[int, str], shapely.Geometry] = {}
    out = []
    for hole in found:
        pane = shot.find(hole.pane_id, Pane)
        if pane is None or not shot.is_shown(pane):
            continue
        key = hole.frame, pane.id
        if key not in areas:
            areas[key] = _held(shot, pane, hole.frame)
        place = area_of(np.array(hole.outline, np.float64))
        share = areas[key].intersection(place).area / max(place.area, 1e-6)
        if (share if hole.what == "wide" else 1 - share) >= STILL_OPEN:
            out.append(hole)
    return out


def _held(shot: EvaluatedShot, pane: Pane, frame: int) -> shapely.Geometry:
    """What the covers before a pane enclose on a frame."""
    depth = shot.settings.depth
    before = [
        c for c in shot.covers if depth.index(c.id) < depth.index(pane.id) and shot.is_shown(c) and c.present(frame)
    ]
    held: shapely.Geometry = shapely.Polygon()
    for cover in before:
        outlines = [o for o in shot.outlines_of(cover) if o.present(frame)]
        parts = {o.id: area_of(shot.rider(o).shape_at(frame)) for o in outlines}
        own = shapely.union_all([parts[o.id] for o in outlines if o.mode == "adds"])
        for outline in outlines:
            if outline.mode == "cuts":
                own = own.difference(parts[outline.id])
            elif outline.mode == "limits":
                own = own.intersection(parts[outline.id])
        held = held.union(own)
    return held
