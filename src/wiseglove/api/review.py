"""Where to look: how well outlines fit, where it matters, where they boil, and which frame needs a hand. Nothing here is stored."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from threading import Lock
from typing import Annotated

import numpy as np
from cachetools import LRUCache, cached
from fastapi import APIRouter, Query
from numpy.typing import NDArray

from wiseglove.api.context import Context, Ctx
from wiseglove.api.notes import beside_of
from wiseglove.api.outlines import LONGEST_BETWEEN, Proposal, covered_by, plate_picture, take_in
from wiseglove.api.pictures import load_shot
from wiseglove.api.schemas import Answer
from wiseglove.core.outline.towards import carry_range
from wiseglove.core.patience import go_on
from wiseglove.core.review.boil import NOTABLE, overworked
from wiseglove.core.review.matters import runs_of
from wiseglove.jobs import holes
from wiseglove.shot.basics import Corner
from wiseglove.shot.between import FARTHEST, keys_around
from wiseglove.shot.carried import marked, of_carrying
from wiseglove.shot.doubts import Doubt, worst_first
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points, check_frame
from wiseglove.shot.lacks import Lack, lacks
from wiseglove.shot.report import HoleReport, ShotReport, corners_of, of_holes, report_of
from wiseglove.shot.reviewing import (
    FAULTY,
    Reviewed,
    Reviewer,
    Target,
    Weighing,
    boil_of,
    looks_right,
    of_fit,
    overlaps,
    righted,
    runs_around,
    stretches_of,
)
from wiseglove.store import shots
from wiseglove.store.jobs import Job, as_job

router = APIRouter(prefix="/api/shots/{shot_id}/review", tags=["review"])
MOST_AT_ONCE = 1.0
"""Seconds that one request judges at most."""
PICTURES = 12
"""Pictures that are kept while judging."""
SELDOM = 4
"""Of so many frames one tells whether an outline lies over anything at all."""
NOT_SHOWN = "That outline is not shown, or not in the shot any more. Nothing was changed; show its cover."
_JUDGING = Lock()
"""One request judges at a time, whoever asks: it is background work, and pictures for the viewer go first."""


class OutlineReview(Answer):
    """How an outline fits on the plate's frames from `first` on, in pixels of fault; null: not judged, or not there."""

    first: int
    fault: list[float | None]


class ReviewState(Answer):
    """What is known of a shot now, which frames need a hand, the worst first, and how many verdicts are left."""

    revision: int
    outlines: dict[str, OutlineReview]
    doubts: list[Doubt]
    left: int
    lacks: list[Lack]
    """What the shot still lacks, the next thing first."""
    faulty: float = FAULTY
    """Pixels of fault from which a place is marked."""


@router.get("")
def read_review(
    shot_id: str,
    context: Ctx,
    near: Annotated[int, Query(description="the frame that is looked at: judged first")] = 0,
    newest: Annotated[str, Query(max_length=64, description="the outline that was changed last: judged first")] = "",
    seconds: Annotated[float, Query(ge=0, le=MOST_AT_ONCE)] = 0.0,
    everything: bool = False,
) -> ReviewState:
    """Judge for so many seconds what is not known yet, and tell what is.

    `everything`: whether all of an outline counts, not only what lies over a pane or a subject behind it.
    """
    shot = load_shot(context, shot_id)
    reviewer, things = context.reviewer, context.reviewer.things(shot)
    left = reviewer.left(things)
    if left and seconds > 0 and _JUDGING.acquire(blocking=False):
        try:
            left.sort(key=lambda t: (t.outline != newest, abs(t.frame - near)))
            until = time.monotonic() + seconds
            for _ in reviewer.judge(things, left, _pictures(context, shot)):
                if time.monotonic() > until:
                    break
            left = reviewer.left(things)
        finally:
            _JUDGING.release()
    weighing, missed = Weighing(shot, everything), _missed(context, shot)
    faults = {t.outline.id: {f: reviewer.fault(t, f, weighing) for f in t.frames} for t in things}
    doubts = [d for t in things for d in of_fit(t, faults[t.outline.id]) + of_carrying(t, weighing)] + of_holes(missed)
    return ReviewState(
        revision=shot.revision,
        outlines={i: OutlineReview(first=shot.plate.first, fault=_row(shot, found)) for i, found in faults.items()},
        doubts=worst_first(doubts),
        left=len(left),
        lacks=lacks(shot, None if left else {t.outline.id: _most_over(t, weighing) for t in things}),
    )


def _most_over(thing: Reviewed, weighing: Weighing) -> float:
    return max(overlaps(thing, weighing, SELDOM).values(), default=0.0)


def _row(shot: EvaluatedShot, found: dict[int, float | None]) -> list[float | None]:
    frames = range(shot.plate.first, shot.plate.last + 1)
    return [None if (v := found.get(f)) is None else round(v, 2) for f in frames]


def _pictures(context: Context, shot: EvaluatedShot) -> Callable[[int], NDArray[np.uint8]]:
    """The plate's display copies, a few of them kept."""
    return cached(LRUCache(PICTURES))(partial(plate_picture, context, shot))


@router.get("/report")
def read_report(shot_id: str, context: Ctx, everything: bool = False) -> ShotReport:
    """The shot on one page, as far as it was judged; `left` says how many verdicts are still to come."""
    shot = load_shot(context, shot_id)
    with context.database.transaction() as session:
        beside = beside_of(session, shot_id)
    report = report_of(shot, context.reviewer, everything, beside)
    return report.model_copy(update={"holes": _missed(context, shot)})


class HolesState(Answer):
    """What is still open or too wide of what was found, the largest first; revision: that was looked through, null for never."""

    revision: int | None
    holes: list[HoleReport]


@router.get("/holes")
def read_holes(shot_id: str, context: Ctx) -> HolesState:
    """Holes in holdouts, as far as they were looked for."""
    shot = load_shot(context, shot_id)
    with context.database.transaction() as session:
        made = holes.newest(session, shot.id)
    return HolesState(revision=made and made[0], holes=holes.still_there(shot, made[1]) if made else [])


@router.post("/holes", status_code=201)
def look_for_holes(shot_id: str, context: Ctx) -> Job:
    """Order all panes to be looked through: what is there and not held out, and the bare pane where something is held out."""
    with context.database.transaction() as session:
        shot = shots.load(session, shot_id)
        if not any(shot.is_shown(p) for p in shot.panes):
            raise EditError(
                "No pane is shown, so there is no holdout to look through. Nothing was begun; place a pane."
            )
        return as_job(context.queue.put(session, holes.KIND, "Looking for holes", {}, shot=shot_id))


def _missed(context: Context, shot: EvaluatedShot) -> list[HoleReport]:
    with context.database.transaction() as session:
        made = holes.newest(session, shot.id)
    return holes.still_there(shot, made[1]) if made else []


class Mark(Answer):
    """A stretch of an outline that seems to be off: its places, where its edge seems to be, its segments, and the worst fault.

    carried: nothing else tells that it is off than that it was in doubt when it was carried here; then there is no ghost.
    """

    outline: str
    places: list[Corner]
    ghost: list[Corner]
    segments: list[int]
    fault: float
    carried: bool = False


class FrameReview(Answer):
    """The stretches of a frame that seem to be off, the worst first, and the outlines that were said to look right there."""

    frame: int
    marks: list[Mark]
    right: list[str]
    holes: list[HoleReport]
    """What was found open or too wide there, when holes were looked for."""
    matters: list[list[Corner]]
    """The stretches of the outline that was asked for which lie over what is put in behind it."""


@router.get("/frames/{frame}")
def read_frame(
    shot_id: str,
    frame: int,
    context: Ctx,
    everything: bool = False,
    outline: Annotated[str, Query(max_length=64, description="of which outline to tell where it matters")] = "",
) -> FrameReview:
    """Where on a frame outlines seem to be off; judged now where it was not yet."""
    shot = load_shot(context, shot_id)
    check_frame(shot.plate, frame)
    reviewer, things = context.reviewer, [t for t in context.reviewer.things(shot) if frame in t.contents]
    missing = [Target(t.outline.id, frame) for t in things if reviewer.fit(t, frame) is None]
    for _ in reviewer.judge(things, missing, _pictures(context, shot)):
        pass
    weighing = Weighing(shot, everything)
    marks = [m for t in things if not looks_right(t, frame) for m in _marks(reviewer, t, frame, weighing)]
    return FrameReview(
        frame=frame,
        marks=sorted(marks, key=lambda m: -m.fault),
        right=[t.outline.id for t in things if looks_right(t, frame)],
        holes=[h for h in _missed(context, shot) if h.frame == frame],
        matters=[line for t in things if t.outline.id == outline for line in _over(t, frame, weighing)],
    )


def _over(thing: Reviewed, frame: int, weighing: Weighing) -> list[list[Corner]]:
    places = thing.along(frame).places
    return [corners_of(places[run]) for run in runs_around(weighing.of(thing, frame, places))]


def _marks(reviewer: Reviewer, thing: Reviewed, frame: int, weighing: Weighing) -> list[Mark]:
    return [
        Mark(
            outline=thing.outline.id,
            places=corners_of(s.places),
            ghost=corners_of(s.ghost),
            segments=s.segments,
            fault=round(s.worst, 2),
            carried=not len(s.ghost),
        )
        for s in marked(thing, frame, reviewer.fit(thing, frame), weighing)
    ]


def _shown(context: Context, shot: EvaluatedShot, outline: str, frame: int) -> Reviewed:
    """An outline that is shown on a frame. Raises EditError for any other."""
    check_frame(shot.plate, frame)
    things = context.reviewer.things(shot, outline)
    if not things or frame not in things[0].contents:
        raise EditError(NOT_SHOWN)
    return things[0]


@router.get("/frames/{frame}/righted/{outline}")
def propose_righted(shot_id: str, frame: int, outline: str, context: Ctx, everywhere: bool = False) -> Proposal:
    """The outline with what is off on the frame (or all of it, `everywhere`) put where its edge seems to be; not stored."""
    shot = load_shot(context, shot_id)
    thing, pictures = _shown(context, shot, outline, frame), _pictures(context, shot)
    list(context.reviewer.judge([thing], [Target(outline, frame)], pictures))
    fit = context.reviewer.fit(thing, frame)
    assert fit is not None
    stretches = stretches_of(fit, Weighing(shot, everywhere).of(thing, frame, fit.places))
    if not stretches and not everywhere:
        raise EditError("The outline fits here where it matters. Nothing was changed.")
    off = {segment for stretch in stretches for segment in stretch.segments}
    whole = everywhere or len(off) > len(thing.outline.kinds) / 2
    after = righted(thing, frame, pictures, None if whole else off)
    moved = float(np.linalg.norm(after[:, :2] - thing.shape(frame)[:, :2], axis=1).mean())
    return Proposal(shapes={frame: as_points(after)}, sure={frame: float(fit.agrees.mean())}, moved=moved)


@router.get("/frames/{frame}/between/{outline}")
def propose_between(shot_id: str, frame: int, outline: str, context: Ctx) -> Proposal:
    """The outline on all frames between the nearest keys around the frame that fit, carried on from both; not stored.

    It stands in place of the keys in between, which do not fit.
    """
    shot = load_shot(context, shot_id)
    thing, pictures = _shown(context, shot, outline, frame), _pictures(context, shot)
    before, after = keys_around(context.reviewer, thing, frame, pictures)
    if before is None or after is None:
        side = "before" if before is None else "after"
        raise EditError(
            f"No key up to {FARTHEST} frames {side} this one fits, so there is nothing to carry from. Nothing was changed; "
            "set a key right there, or say that it looks right."
        )
    until = time.monotonic() + LONGEST_BETWEEN
    proposal = Proposal(shapes={}, sure={})

    def picture(at: int) -> NDArray[np.uint8]:
        go_on()
        return pictures(at)

    for found in carry_range(
        picture,
        {before: thing.shape(before), after: thing.shape(after)},
        list(thing.outline.kinds),
        before + 1,
        after - 1,
        lambda: time.monotonic() > until,
        covered_by(context, shot),
        (shot.plate.first, shot.plate.last),
    ):
        if found.points is not None and found.doubt is not None:
            take_in(proposal, found.frame, found.points, found.doubt)
    if len(proposal.shapes) < after - before - 1:
        raise EditError(
            "It was not carried all the way: the server is too busy, or it is out of sight in between. Nothing was "
            "changed; set this key by hand, or try again."
        )
    return proposal


class OutlineDetail(Answer):
    """How an outline boils and where it matters, on the plate's frames from `first` on.

    boil: pixels, along the whole outline; overlap: share of it that lies over what is put in behind it, null where it is not
    there; overworked: runs of keys, first and last, that do little but make it boil; notable: pixels from which boil is
    worth a look.
    """

    first: int
    boil: list[float]
    overlap: list[float | None]
    overworked: list[tuple[int, int]]
    notable: float = NOTABLE
    calm: float
    """Pixels by which fewer keys may change a frame and still only calm it."""
    matters: list[tuple[int, int]]
    """Runs of frames, first and last, on which it lies over what is put in behind it."""


@router.get("/outlines/{outline}")
def read_outline(shot_id: str, outline: str, context: Ctx) -> OutlineDetail:
    """Boil and overlap of one outline."""
    shot = load_shot(context, shot_id)
    things = context.reviewer.things(shot, outline)
    if not things:
        raise EditError(NOT_SHOWN)
    found, over = boil_of(things[0]), overlaps(things[0], Weighing(shot))
    frames = range(shot.plate.first, shot.plate.last + 1)
    return OutlineDetail(
        first=shot.plate.first,
        boil=[round(float(v), 3) for v in found.by_frame],
        overlap=[None if f not in over else round(over[f], 3) for f in frames],
        overworked=overworked([k.frame for k in things[0].outline.keys], shot.plate.first, found),
        calm=round(found.calming, 2),
        matters=runs_of(list(over), [share > 0 for share in over.values()]),
    )
