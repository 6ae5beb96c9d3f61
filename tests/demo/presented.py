"""Frames of the presenter as a camera would store them, with what is known of them exactly."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tests.builders import PlainPictures, after
from wiseglove.core.compositing.colour import decode
from wiseglove.core.keying.key import Keyer, sampled
from wiseglove.demo import keyed_shots, presenter, scene
from wiseglove.shot.basics import Plate
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import new_shot
from wiseglove.shot.render import FrameScene
from wiseglove.shot.subject import Sample

Picture = NDArray[np.float32]


@dataclass(frozen=True)
class Presented:
    """A frame (linear, colour at half resolution), its exact alpha, the demo's core and garbage, and its parts.

    where: hair, blur (of the waving arm), edge (all others), blade, solid and clear; 1 or 0.
    """

    picture: Picture
    alpha: Picture
    core: Picture
    garbage: Picture
    where: dict[str, NDArray[np.bool_]]

    @property
    def keyer(self) -> Keyer:
        """The key with its defaults, sampled where the demo samples."""
        x, y, w, h = (round(v) for v in keyed_shots.PRESENTED)
        return Keyer(sampled([self.picture[y : y + h, x : x + w]]))

    def off(self, alpha: Picture, part: str) -> float:
        """Mean absolute error in a part."""
        return float(np.abs(alpha - self.alpha)[self.where[part]].mean())


def presented(index: int, backing: str) -> Presented:
    """A frame (0-based) before a green or blue backing."""
    taken = presenter.film(index, backing)
    alpha = taken.alpha
    stored = cv2.cvtColor(taken.plate, cv2.COLOR_RGB2YCrCb)
    half = (stored.shape[1] // 2, stored.shape[0] // 2)
    for c in (1, 2):
        small = cv2.resize(stored[..., c], half, interpolation=cv2.INTER_AREA)
        stored[..., c] = cv2.resize(small, stored.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    picture = np.asarray(decode(cv2.cvtColor(stored, cv2.COLOR_YCrCb2RGB) / np.float32(255)), np.float32)
    core, garbage = _mattes(index)
    near = {k: cv2.dilate((v > 0.02).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0 for k, v in taken.where.items()}
    soft = (alpha > 0.02) & (alpha < 0.98) & (garbage < 0.01)
    away = np.ones((9, 9), np.uint8)
    where = {
        "hair": soft & near["hair"] & ~near["arm"] & ~near["blade"],
        "blur": soft & near["arm"] & ~near["blade"],
        "edge": soft & ~near["hair"] & ~near["arm"] & ~near["blade"],
        "blade": taken.where["blade"] > 0.9,
        "solid": (cv2.erode((alpha > 0.999).astype(np.uint8), away) > 0) & ~near["blade"],
        "clear": (cv2.dilate((alpha > 0.001).astype(np.uint8), away) == 0) & (garbage < 0.01),
    }
    return Presented(picture, alpha, core, garbage, where)


@lru_cache(maxsize=1)
def demo_shot() -> EvaluatedShot:
    """The demo's shot of the presenter, without its background."""
    size = {"width": scene.WIDTH, "height": scene.HEIGHT, "rate_num": scene.RATE, "rate_den": 1}
    shot = EvaluatedShot.of(new_shot("presenter", "Presenter", Plate(media="a" * 24, count=presenter.FRAMES, **size)))
    shot = after(shot, *keyed_shots.mattes_of_presenter())
    sample = Sample(frame=1001, box=keyed_shots.PRESENTED, colour=presenter.BACKINGS["green"])
    return after(shot, *keyed_shots.subject_of_presenter(shot, sample))


def _mattes(index: int) -> tuple[Picture, Picture]:
    """The core and the garbage of the demo's subject on a frame."""
    shot = demo_shot()
    seen = FrameScene(shot, 1001 + index, PlainPictures())
    which = shot.subjects[0]
    core, garbage = (seen.covers.mattes_in(names, seen.whole, {}) for names in (which.core, which.garbage))
    assert core is not None
    assert garbage is not None
    return core, garbage
