"""How far a thing's place on a frame is to be trusted: as far as the motions that it rides on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from wiseglove.shot.model import Animated, Carrier, Contents
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


def trust(shot: Contents, element: Animated, frame: int) -> Trust:
    """The trust in the least sure of the motions that an element rides on."""
    found = (shot.find(i, Carrier) for i in Rider(element).carriers)
    every = [trust_in_carrier(carrier, frame) for carrier in found if carrier is not None]
    return min(every, key=lambda t: t.confidence, default=Trust("set", 1.0))


def trust_in_carrier(carrier: Carrier, frame: int) -> Trust:
    """What a carrier's motion on a frame comes from."""
    if frame == carrier.at or any(k.frame == frame for k in carrier.bridge):
        return Trust("solved" if frame == carrier.at and not carrier.bridge else "bridged", 1.0)
    there = next((s for s in carrier.solved if s.frame == frame), None)
    if there is not None and there.corners is not None:
        return Trust(there.status, there.confidence)
    known = [carrier.at, *(s.frame for s in carrier.solved if s.corners), *(k.frame for k in carrier.bridge)]
    if not min(known) < frame < max(known):
        return Trust("lost" if there is not None else "held", 0.0)
    before, after = max(f for f in known if f < frame), min(f for f in known if f > frame)
    if {before, after} & {k.frame for k in carrier.bridge}:
        return Trust("bridged", 1.0)
    return Trust("lost", there.confidence if there is not None else 0.0)
