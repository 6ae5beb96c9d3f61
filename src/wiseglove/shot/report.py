"""The shot on one page: how all outlines fit and boil, which places are worst, and what the motions are worth."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

import numpy as np
from pydantic import BaseModel

from wiseglove.core.motion.slip import jitter
from wiseglove.core.outline.normals import normals_at
from wiseglove.core.review.boil import Boil, overworked
from wiseglove.core.review.matters import runs_of
from wiseglove.shot.basics import Corner, Point
from wiseglove.shot.beside import Beside, FrameNote
from wiseglove.shot.carried import marked, of_carrying
from wiseglove.shot.doubts import Doubt, worst_first
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Carrier
from wiseglove.shot.motions import known_span
from wiseglove.shot.reviewing import (
    Reviewed,
    Reviewer,
    Weighing,
    boil_of,
    of_fit,
    overlaps,
)

MOST_WORST = 12
"""Worst places that are told one by one."""
LARGE = 3000.0
"""Square pixels of a hole that needs a hand as badly as can be told by halves."""


class OutlineReport(BaseModel):
    """An outline: fault and boil in pixels on the plate's frames from `first` on (null: not there), and what follows.

    matters: runs of frames on which it lies over what is put in behind it; overworked: runs of keys that make it boil.
    """

    id: str
    cover: str
    points: int
    keys: int
    first: int
    fault: list[float | None]
    boil: list[float]
    matters: list[tuple[int, int]]
    overworked: list[tuple[int, int]]
    worst_frame: int | None
    worst_fault: float
    worst_boil: float
    worst_boil_frame: int
    worst_boil_at: Corner
    """The place on the outline, as seen on that frame."""


class WorstPlace(BaseModel):
    """A place that needs a hand: on which frame, of which outline, how far off, and where (the stretch and its edge)."""

    frame: int
    outline: str
    cover: str
    fault: float
    carried: bool = False
    """Nothing else tells that it is off than that it was in doubt when it was carried there; then there is no ghost."""
    places: list[Corner]
    ghost: list[Corner]
    picture: str | None = None


class HoleReport(BaseModel):
    """A place of a pane on a frame where the holdout is open over something, or wide over nothing; as a proposed outline."""

    frame: int
    pane: str
    pane_id: str
    what: Literal["open", "wide"]
    area: float
    centre: Corner
    outline: list[Point]
    picture: str | None = None


class CarrierReport(BaseModel):
    """A carrier's motion: frames that are solved, unsure and lost, and its jitter in pixels, mean and worst."""

    name: str
    solved: int
    unsure: int
    lost: int
    jitter_mean: float
    jitter_worst: float


class PaneReport(BaseModel):
    """How a pane's holdout flickers: pixels of its edge's area that tremble from frame to frame, by frame."""

    name: str
    first: int
    flicker: list[float]


class ShotReport(BaseModel):
    """A whole shot, judged. pins: frames that need a hand, of which `worst` tells the first; left: verdicts that are not known yet."""

    shot: str
    revision: int
    first: int
    last: int
    keys: int
    points: int
    outlines: list[OutlineReport]
    pins: int
    worst: list[WorstPlace]
    holes: list[HoleReport]
    carriers: list[CarrierReport]
    panes: list[PaneReport]
    left: int
    notes: list[FrameNote]
    """What was said about frames and is not done yet."""
    seconds: float | None
    budget: float | None
    """For how long hands were on the shot, and should be; null where nobody counted."""


def report_of(
    shot: EvaluatedShot, reviewer: Reviewer, everything: bool = False, beside: Beside | None = None
) -> ShotReport:
    """What is known of a shot; what was not judged is missing, and counted."""
    beside = beside or Beside()
    things, weighing = reviewer.things(shot), Weighing(shot, everything)
    boils = [boil_of(t) for t in things]
    faults = [{f: reviewer.fault(t, f, weighing) for f in t.frames} for t in things]
    overs = [overlaps(t, weighing) for t in things]
    rows = [_outline(*each) for each in zip(things, boils, faults, overs, strict=True)]
    doubts = worst_first(
        d for t, f in zip(things, faults, strict=True) for d in of_fit(t, f) + of_carrying(t, weighing)
    )
    return ShotReport(
        shot=shot.settings.name,
        revision=shot.revision,
        first=shot.plate.first,
        last=shot.plate.last,
        keys=sum(r.keys for r in rows),
        points=sum(r.points for r in rows),
        outlines=rows,
        holes=[],
        pins=len(doubts),
        worst=_worst(things, doubts, reviewer, weighing),
        carriers=[_carrier(shot, c) for c in shot.carriers],
        panes=_panes(shot, things, boils, overs),
        left=len(reviewer.left(things)),
        notes=[n for n in beside.notes if not n.done],
        seconds=beside.seconds,
        budget=beside.budget,
    )


def of_holes(found: Iterable[HoleReport]) -> list[Doubt]:
    """Frames on which a holdout is open over something, or wide over nothing; of a pane and a frame the largest place counts."""
    return [
        Doubt(frame=h.frame, need=h.area / (h.area + LARGE), about=h.pane_id, what=h.what)
        for h in sorted(found, key=lambda h: h.area)
    ]


def _outline(thing: Reviewed, found: Boil, faults: dict[int, float | None], over: dict[int, float]) -> OutlineReport:
    plate, outline = thing.plate, thing.outline
    frames = range(plate.first, plate.last + 1)
    known = {f: v for f, v in faults.items() if v is not None}
    worst = max(known, key=lambda f: known[f]) if known else None
    at, place = found.worst()
    where = normals_at(thing.shape(plate.first + at), found.segment[[place]], found.t[[place]]).places[0]
    return OutlineReport(
        id=outline.id,
        cover=thing.cover.name,
        points=len(outline.kinds),
        keys=len(outline.keys),
        first=plate.first,
        fault=[None if (v := known.get(f)) is None else round(v, 2) for f in frames],
        boil=[round(float(v), 3) for v in found.by_frame],
        matters=runs_of(list(over), [v > 0 for v in over.values()]),
        overworked=overworked([k.frame for k in outline.keys], plate.first, found),
        worst_frame=worst,
        worst_fault=round(known[worst], 2) if worst is not None else 0.0,
        worst_boil=round(float(found.amount.max(initial=0.0)), 3),
        worst_boil_frame=plate.first + at,
        worst_boil_at=(round(float(where[0]), 1), round(float(where[1]), 1)),
    )


def _worst(
    things: Sequence[Reviewed], doubts: Sequence[Doubt], reviewer: Reviewer, weighing: Weighing
) -> list[WorstPlace]:
    of = {t.outline.id: t for t in things}
    out = []
    for doubt in doubts[:MOST_WORST]:
        thing = of[doubt.about]
        for worst in marked(thing, doubt.frame, reviewer.fit(thing, doubt.frame), weighing)[:1]:
            out.append(
                WorstPlace(
                    frame=doubt.frame, outline=doubt.about, cover=thing.cover.name, fault=round(worst.worst, 2),
                    carried=not len(worst.ghost), places=corners_of(worst.places), ghost=corners_of(worst.ghost),
                )
            )  # fmt: skip
    return out


def corners_of(places: np.ndarray) -> list[Corner]:
    """Places (M, 2), to a hundredth of a pixel."""
    return [(round(float(x), 2), round(float(y), 2)) for x, y in places]


def _carrier(shot: EvaluatedShot, carrier: Carrier) -> CarrierReport:
    quads = shot.motion(carrier).quads
    first, last = known_span(carrier)
    part = quads[max(first - shot.plate.first, 0) : last - shot.plate.first + 1]
    shaking = jitter(part) if len(part) else np.zeros(1)
    count = {status: sum(s.status == status for s in carrier.solved) for status in ("solved", "unsure", "lost")}
    return CarrierReport(
        name=carrier.name,
        jitter_mean=round(float(shaking.mean()), 3),
        jitter_worst=round(float(shaking.max(initial=0.0)), 3),
        **count,
    )


def _panes(
    shot: EvaluatedShot, things: Sequence[Reviewed], boils: Sequence[Boil], overs: Sequence[dict[int, float]]
) -> list[PaneReport]:
    """The area that edges over a pane tremble over from one frame to the next, their smooth motion taken out."""
    depth, frames = shot.settings.depth, range(shot.plate.first, shot.plate.last + 1)
    out = []
    for pane in shot.panes:
        total = np.zeros(len(frames))
        for thing, found, over in zip(things, boils, overs, strict=True):
            if depth.index(thing.cover.id) > depth.index(pane.id):
                continue
            moved = np.abs(np.diff(found.shaken, axis=0, prepend=found.shaken[:1])).sum(axis=1) * found.spacing
            total += moved * np.array([over.get(f, 0.0) for f in frames])
        out.append(PaneReport(name=pane.name, first=frames.start, flicker=[round(float(v), 2) for v in total]))
    return out
