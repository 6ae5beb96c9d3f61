"""Which frames need a hand next, and how badly: the rules by which doubts weigh, for pins, lists and the way to the worst."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

from wiseglove.core.motion.solve import stretches
from wiseglove.shot.basics import ElementId, Share, Strict
from wiseglove.shot.model import SolvedFrame

NOTABLE = 0.5
"""Pixels of slip or jitter from which a frame needs a look."""
WORST_SLIP = 4.0
"""Pixels of slip that need a look as badly as slip can."""
NEAR, CUTS, SLIPS = 0.4, 0.8, 0.9
"""How badly a frame needs a look on which garbage comes close, or cuts; at most for slip."""
DOUBTED = (0.2, 0.5)
"""How badly a frame needs a look to which hardly anything of an outline, or all, was carried in doubt: more than 2 px off rather than not."""
AROUND = 3
"""Frames to either side among which a slip must stand out."""


class Doubt(Strict):
    """A frame that needs a look, how badly (0..1), and what it is about."""

    frame: int
    need: Share
    about: ElementId
    what: Literal["lost", "unsure", "near", "cuts", "slips", "off", "carried", "open", "wide"]


class Run(Strict):
    """Frames of a carrier, both inclusive, that are not sure in the same way."""

    first: int
    last: int
    status: Literal["unsure", "lost"]
    reason: str


def of_motion(carrier: str, solved: Iterable[SolvedFrame]) -> list[Doubt]:
    """Frames of a carrier that are not sure, by their confidence; a run of lost ones counts by its first."""
    there = {s.frame: s for s in solved}
    out = []
    for frame in sorted(there):
        place, before = there[frame], there.get(frame - 1)
        within = place.status == "lost" and before is not None and before.status == "lost"
        if place.status == "solved" or within:
            continue
        need = 1.0 if place.status == "lost" else 1 - place.confidence
        out.append(Doubt(frame=frame, need=need, about=carrier, what=place.status))
    return out


def of_slip(carrier: str, first: int, slip: Sequence[float | None]) -> list[Doubt]:
    """Frames, from `first` on, on which the picture is notably off a carrier's motion, and more than around them."""
    out = []
    for i, off in enumerate(slip):
        around = [other or 0.0 for other in slip[max(i - AROUND, 0) : i + AROUND + 1]]
        if off is not None and off > NOTABLE and off >= max(around):
            out.append(Doubt(frame=first + i, need=min(off / WORST_SLIP, SLIPS), about=carrier, what="slips"))
    return out


def need_of_doubted(segments: int, count: int) -> float:
    """How badly a frame needs a look to which so many of an outline's segments were carried in doubt."""
    least, most = DOUBTED
    return least + (most - least) * segments / count


def runs(solved: Iterable[SolvedFrame]) -> list[Run]:
    """Runs of frames that need a look, in order; each has the reason of its first frame."""
    found = stretches({s.frame: s for s in solved})
    return [Run.model_validate(dict(zip(Run.model_fields, run, strict=True))) for run in found]


def worst_first(doubts: Iterable[Doubt]) -> list[Doubt]:
    """The worst doubt of each frame, the frame that needs a look most first."""
    worst: dict[int, Doubt] = {}
    for doubt in doubts:
        if doubt.frame not in worst or doubt.need > worst[doubt.frame].need:
            worst[doubt.frame] = doubt
    return sorted(worst.values(), key=lambda d: (-d.need, d.frame))
