"""Where garbage mattes come too close to a subject, or cut into it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import cv2
import numpy as np

from wiseglove.core.keying.key import finished
from wiseglove.shot.basics import ElementId, Strict
from wiseglove.shot.doubts import CUTS, NEAR, Doubt
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Cover
from wiseglove.shot.render import FrameScene
from wiseglove.shot.scene import Pictures
from wiseglove.shot.subject import Subject

WIDTH = 480
"""Width of the pictures in which it is looked for."""
BODY = 0.002
"""Share of the picture from which on something that stays counts as part of the subject."""
CUT = 12
"""Pixels of the small picture that garbage takes from it at least where it cuts."""


class Nearness(Strict):
    """A frame on which a garbage matte comes close, by its distance in plate pixels, or cuts."""

    frame: int
    cover: ElementId
    name: str
    what: Literal["near", "cuts"]
    distance: float


def doubts(found: Iterable[Nearness]) -> list[Doubt]:
    """Where garbage comes close or cuts, as frames that need a look."""
    return [Doubt(frame=n.frame, need=CUTS if n.what == "cuts" else NEAR, about=n.cover, what=n.what) for n in found]


def nearness(shot: EvaluatedShot, which: Subject, frame: int, pictures: Pictures) -> list[Nearness]:
    """The garbage mattes of a subject that come closer than its distance on a frame, the worst first.

    What stays of a connected part of the key counts as the subject, so garbage that leaves a rest of what it is to take
    away is told of too.
    """
    scene = FrameScene(shot, frame, pictures, min(1.0, WIDTH / shot.plate.width))
    alpha = finished(scene.subjects.key_of(which), scene.covers.mattes_in(which.core, scene.whole, {}), None)
    garbage = scene.covers.mattes_in(which.garbage, scene.whole, {})
    if garbage is None:
        return []
    _, labels = cv2.connectedComponents((alpha > 0.5).astype(np.uint8))
    left = np.bincount(labels[garbage < 0.5], minlength=int(labels.max()) + 1)
    body = left >= BODY * alpha.size
    body[0] = False
    stays = body[labels]
    if not stays.any():
        return []
    rest = (stays & (garbage < 0.5)).astype(np.uint8)
    away = cv2.distanceTransform(1 - rest, cv2.DIST_L2, 5)
    out = []
    for cover in (c for c in map(lambda i: shot.find(i, Cover), which.garbage) if c is not None):
        own = scene.covers.mattes_in([cover.id], scene.whole, {})
        if own is None or not (own > 0.5).any():
            continue
        taken = int((stays & (own > 0.5)).sum())
        gap = max(float(away[own > 0.5].min()) - 1, 0.0) / scene.ground.scale
        if taken >= CUT or gap < which.near:
            what: Literal["near", "cuts"] = "cuts" if taken >= CUT else "near"
            out.append(
                Nearness(
                    frame=frame, cover=cover.id, name=cover.name, what=what, distance=0.0 if what == "cuts" else gap
                )
            )
    return sorted(out, key=lambda n: n.distance)
