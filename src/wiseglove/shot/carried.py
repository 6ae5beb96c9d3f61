"""What was in doubt when outlines were carried on: it stays marked and pinned until a hand was there, or said that it is right."""

from __future__ import annotations

import numpy as np

from wiseglove.shot.doubts import Doubt
from wiseglove.shot.keys import shape_digest
from wiseglove.shot.reviewing import Array, Reviewed, Weighing, looks_right, runs_around

LEAST, MOST = 0.2, 0.5
"""How badly a frame needs a look on which hardly anything, or all, is in doubt: such a stretch is more than 2 px off rather than not."""


def doubted_on(thing: Reviewed, frame: int) -> list[int]:
    """Segments of an outline that are in doubt on a frame since it was carried there: of this very shape, and not said to be right."""
    said = thing.outline.doubted.get(frame)
    if said is None or frame not in thing.contents or looks_right(thing, frame):
        return []
    return said.segments if said.shape == shape_digest(thing.shape(frame)) else []


def doubted_stretches(thing: Reviewed, frame: int, weighing: Weighing) -> list[tuple[Array, list[int]]]:
    """The stretches of an outline in doubt on a frame where it matters: their places (M, 2), and their segments; the longest first."""
    segments = doubted_on(thing, frame)
    if not segments:
        return []
    along = thing.along(frame)
    such = np.isin(along.segment, segments) & weighing.of(thing, frame, along.places)
    runs = [r for r in runs_around(such) if such[r].any()]
    found = [(along.places[r], sorted(set(along.segment[r].tolist()) & set(segments))) for r in runs]
    return sorted(found, key=lambda s: -len(s[0]))


def of_carrying(thing: Reviewed, weighing: Weighing) -> list[Doubt]:
    """Frames to which an outline was carried with parts in doubt that matter; a run of them counts by its first.

    What is wrong there was carried on from there: once it is right, the outline is carried on anew.
    """
    out: list[Doubt] = []
    before: int | None = None
    for frame in sorted(thing.outline.doubted):
        stretches = doubted_stretches(thing, frame, weighing)
        if not stretches:
            continue
        if before != frame - 1:
            share = len({s for _, part in stretches for s in part}) / len(thing.outline.kinds)
            out.append(Doubt(frame=frame, need=LEAST + (MOST - LEAST) * share, about=thing.outline.id, what="carried"))
        before = frame
    return out
