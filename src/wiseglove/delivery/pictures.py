"""The pictures that a delivery asks a scene for."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.pane import FINAL
from wiseglove.core.kept import kept
from wiseglove.delivery.plan import Output, Plan, Source
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Cover, Group, Pane
from wiseglove.shot.render import FrameScene
from wiseglove.shot.scene import Pictures
from wiseglove.shot.subject import Subject

Picture = NDArray[np.float32]


class Frame:
    """One frame of a plan; what several files hold is rendered once."""

    def __init__(self, shot: EvaluatedShot, plan: Plan, frame: int, pictures: Pictures) -> None:
        self._shot, self._plan = shot, plan
        self._scene = FrameScene(shot, frame, pictures, plan.size[0] / shot.plate.width, FINAL)
        self._made: dict[Source, Picture] = {}

    def picture(self, source: Source) -> Picture:
        """A matte (H, W), or encoded colours (H, W, 3) or (H, W, 4), 0..1, of what the plan keeps of the picture."""
        if source in self._made:
            return self._made[source]
        left, top, right, bottom = self._plan.box
        made = np.ascontiguousarray(self._whole(source)[top:bottom, left:right])
        if source in self._plan.shared:
            self._made[source] = made
        return made

    @kept
    def display(self) -> NDArray[np.uint8]:
        """The composite as 8-bit pixels, (H, W, 3), which takes half the time."""
        left, top, right, bottom = self._plan.box
        return np.ascontiguousarray(self._scene.composite(self._scene.whole)[top:bottom, left:right])

    @kept
    def _union(self) -> Picture:
        return self._scene.whole_matte(self._scene.whole)

    def _whole(self, source: Source) -> Picture:
        scene, thing = self._scene, self._shot.elements.get(source.thing)
        if source.what == "union":
            return self._union
        if source.what == "band":
            return soft_part(self._union)
        if source.what == "composite":
            return scene.composite_encoded()
        if source.what == "holdout" and isinstance(thing, Pane):
            return scene.holdout_of(thing)
        if source.what == "group" and isinstance(thing, Group):
            return scene.covers.whole_union([c for c in self._shot.covers if c.group == thing.id and c.shown])
        if source.what == "cut" and isinstance(thing, Cover):
            return scene.cover_cut_of(thing)
        if source.what == "cut" and isinstance(thing, Subject):
            return scene.cut_of(thing.id)
        return scene.matte_of(source.thing)

    def parts(self, output: Output) -> list[tuple[str, Picture]]:
        """The named channels of a file that holds several."""
        return [(name, self.picture(source)) for name, source in output.channels]


def soft_part(matte: Picture) -> Picture:
    """Where a matte is neither 0 nor 1: 1 at one half, 0 at both ends."""
    return np.asarray(1 - np.abs(2 * matte - 1), np.float32)


def small(picture: NDArray[np.uint8], width: int) -> NDArray[np.uint8]:
    """A picture brought to a width, by area."""
    height = max(round(picture.shape[0] * width / picture.shape[1]), 1)
    return np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA), np.uint8)
