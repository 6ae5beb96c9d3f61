"""How far a thing's place on a frame is to be trusted: as far as the motions that it rides on."""

from __future__ import annotations

from bisect import bisect
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from wiseglove.shot.model import Animated, Carrier, Contents
from wiseglove.shot.motions import known_frames
from wiseglove.shot.rider import Rider

Standing = Literal["solved", "unsure", "lost", "bridged", "held", "set"]


@dataclass(frozen=True)
class Trust:
    """What a frame's place comes from, 0..1 sure.

    solved, unsure, lost: what solving said of the frame (a lost one is shown where its neighbours lead). bridged: set by
    hand, or between what was. held: before or after all that is known of the motion. set: keyed, riding on nothing.
    """

    status: Standing
    confidence: float


def trusted(shot: Contents, element: Animated, frames: Sequence[int]) -> list[Trust]:
    """The trust on each frame in the least sure of the motions that an element rides on."""
    found = (shot.find(i, Carrier) for i in Rider(element).carriers)
    every = [_in_carrier(carrier, frames) for carrier in found if carrier is not None]
    if not every:
        return [Trust("set", 1.0)] * len(frames)
    return [min(here, key=lambda t: t.confidence) for here in zip(*every, strict=True)]


def _in_carrier(carrier: Carrier, frames: Sequence[int]) -> list[Trust]:
    """What a carrier's motion comes from on each frame."""
    solved = {s.frame: s for s in carrier.solved}
    by_hand = {k.frame for k in carrier.bridge}
    known = known_frames(carrier)

    def of(frame: int) -> Trust:
        if frame in by_hand or frame == carrier.at:
            return Trust("bridged" if by_hand else "solved", 1.0)
        there = solved.get(frame)
        if there is not None and there.corners is not None:
            return Trust(there.status, there.confidence)
        if not known[0] < frame < known[-1]:
            return Trust("lost" if there is not None else "held", 0.0)
        after = bisect(known, frame)
        if by_hand & {known[after - 1], known[after]}:
            return Trust("bridged", 1.0)
        return Trust("lost", there.confidence if there is not None else 0.0)

    return [of(frame) for frame in frames]
