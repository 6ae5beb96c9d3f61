"""What was in doubt when outlines were carried on: it stays marked and pinned until a hand was there, or said that it is right."""

from __future__ import annotations

import numpy as np

from wiseglove.core.review.fit import Fit
from wiseglove.shot.doubts import Doubt, need_of_doubted
from wiseglove.shot.keys import shape_digest
from wiseglove.shot.reviewing import Reviewed, Stretch, Weighing, looks_right, runs_around, stretches_of


def doubted_on(thing: Reviewed, frame: int) -> list[int]:
    """Segments of an outline that are in doubt on a frame since it was carried there: of this very shape, and not said to be right."""
    said = thing.outline.doubted.get(frame)
    if said is None or frame not in thing.contents or looks_right(thing, frame):
        return []
    return said.segments if said.shape == shape_digest(thing.shape(frame)) else []


def doubted_stretches(thing: Reviewed, frame: int, weighing: Weighing) -> list[Stretch]:
    """The stretches of an outline in doubt on a frame where it matters, the longest first; without a ghost."""
    segments = doubted_on(thing, frame)
    if not segments:
        return []
    along = thing.along(frame)
    such = np.isin(along.segment, segments) & weighing.of(thing, frame, along.places)
    found = [
        Stretch(along.places[r], np.zeros((0, 2)), sorted(set(along.segment[r].tolist()) & set(segments)), 0.0)
        for r in runs_around(such)
    ]
    return sorted(found, key=lambda s: -len(s.places))


def marked(thing: Reviewed, frame: int, fit: Fit | None, weighing: Weighing) -> list[Stretch]:
    """The stretches of an outline that are to be looked at on a frame: what seems to be off, then what else was carried there in doubt."""
    off = [] if fit is None else stretches_of(fit, weighing.of(thing, frame, fit.places))
    told = {segment for s in off for segment in s.segments}
    return off + [s for s in doubted_stretches(thing, frame, weighing) if not told.issuperset(s.segments)]


def of_carrying(thing: Reviewed, weighing: Weighing) -> list[Doubt]:
    """Frames to which an outline was carried with parts in doubt that matter; of a run of them the first such counts.

    What is wrong there was carried on from there: once it is right, the outline is carried on anew.
    """
    out: list[Doubt] = []
    last, pinned = None, False
    for frame in sorted(thing.outline.doubted):
        segments = doubted_on(thing, frame)
        if not segments:
            continue
        pinned, last = pinned and last == frame - 1, frame
        if not pinned and (stretches := doubted_stretches(thing, frame, weighing)):
            count = len({s for stretch in stretches for s in stretch.segments})
            need = need_of_doubted(count, len(thing.outline.kinds))
            out.append(Doubt(frame=frame, need=need, about=thing.outline.id, what="carried"))
            pinned = True
    return out
