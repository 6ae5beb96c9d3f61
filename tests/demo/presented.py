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
    return _stored(presenter.film(index, backing), *_mattes(index))


SKINS = {"fair": (0.55, 0.36, 0.27), "as hers": presenter.SKIN, "dark": (0.13, 0.065, 0.042), "gloved": presenter.GLOVE}
"""Colours of the waving hand."""
SPREAD = ((-0.62, 62, 13), (-0.24, 86, 12), (0.02, 94, 12), (0.26, 88, 11), (0.55, 70, 9))
"""Angle from the hand, length and half width of each finger."""


def waving(index: int, backing: str, skin: str = "as hers", speed: float = 1.0) -> Presented:
    """A frame (0-based) with an open hand that waves from the elbow, finger tips up to 40 px within the shutter."""

    def parts(time: float) -> list[presenter.Part]:
        still = [p for p in presenter.parts_at(time) if p.name not in ("arm", "blade")]
        shoulder, elbow = np.array([770.0, 470.0]), np.array([905.0, 490.0])
        turn = 0.62 * np.sin(speed * 0.39 * time) - 0.1
        way = np.array([np.sin(turn), -np.cos(turn)])
        side = np.array([-way[1], way[0]])
        wrist, palm = elbow + 150 * way, elbow + 205 * way
        colour = SKINS[skin]
        at = (float(palm[0]), float(palm[1]))
        fingers = []
        for angle, length, half in SPREAD:
            out = np.cos(angle) * way + np.sin(angle) * side
            root = palm + 30 * out
            ends = presenter.limb(root, root + length * out, half + 1, half)
            fingers.append(presenter.Part("arm", [ends], colour, anchor=at, lean=(0.003, -0.002)))
        return [
            *still,
            presenter.Part("arm", [presenter.limb(shoulder, elbow, 48, 38)], presenter.SHIRT, weave=0.1),
            presenter.Part("arm", [presenter.limb(elbow, wrist, 36, 25)], presenter.SHIRT, weave=0.1),
            presenter.Part("arm", [presenter.limb(wrist, palm, 23, 40)], colour, anchor=at, lean=(0.004, -0.002)),
            *fingers,
        ]

    taken = presenter.film(index, backing, parts=parts, subframes=32)
    core, garbage = _mattes(index)
    # The demo's core ends where its own arm begins, and says nothing of this hand.
    core = np.where(cv2.erode(taken.alpha, np.ones((9, 9), np.uint8)) > 0.98, core, 0).astype(np.float32)
    return _stored(taken, core, garbage)


def _stored(taken: presenter.Filmed, core: Picture, garbage: Picture) -> Presented:
    """What was filmed, its colour stored at half resolution."""
    alpha = taken.alpha
    stored = cv2.cvtColor(taken.plate, cv2.COLOR_RGB2YCrCb)
    half = (stored.shape[1] // 2, stored.shape[0] // 2)
    for c in (1, 2):
        small = cv2.resize(stored[..., c], half, interpolation=cv2.INTER_AREA)
        stored[..., c] = cv2.resize(small, stored.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    picture = np.asarray(decode(cv2.cvtColor(stored, cv2.COLOR_YCrCb2RGB) / np.float32(255)), np.float32)
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
