"""Compiles what a shot's pictures need once, so that the first press of a button does not wait for it."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.core import warm
from wiseglove.core.behind.clean import clean_picture
from wiseglove.core.behind.difference import held_out
from wiseglove.core.compositing import pane
from wiseglove.core.compositing.grain import BANDS
from wiseglove.core.geometry.bezier import ellipse
from wiseglove.shot.basics import PaneKey, Plate
from wiseglove.shot.edits import AddCover, OutlineDraft
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Cover, new_shot
from wiseglove.shot.pane import GlowRow, Insert, LevelRow, MixRow, MotionRow, Pane, SharpRow, SitIn
from wiseglove.shot.render import FrameScene

SIZE = 64
CLEAN = "c" * 24


class _Grey:
    """Pictures of nothing."""

    exact = True

    def plate(self, plate: Plate, frame: int, width: int, height: int) -> NDArray[np.uint8]:
        """Grey."""
        return np.full((height, width, 3), 90, np.uint8)

    def insert(self, insert: Insert, frame: int, linear: bool) -> NDArray[np.float32]:
        """The same in working values."""
        return np.full((SIZE, SIZE, 3), 0.1, np.float32)

    def pixel_aspect(self, media: str) -> float:
        """Square."""
        return 1.0


@cache
def warm_up() -> None:
    """All kernels of the core, and those of a pane that sits in with its rows on, and of the clean picture behind; once a process."""
    warm.warm_up()
    frames = np.random.default_rng(1).integers(86, 93, (5, SIZE, SIZE, 3), np.uint8)  # known all over
    behind = clean_picture(frames, np.ones((5, SIZE, SIZE), bool))
    notched = frames[0].astype(np.float32)
    notched[: SIZE // 2] = 220
    notched[: SIZE // 2, SIZE // 2 : SIZE // 2 + 6] = 90
    notched[SIZE * 3 // 4 :] *= np.float32(0.6)
    held_out(notched, behind, 2)
    rows: dict[str, Any] = {
        "clean": CLEAN,
        "motion": MotionRow(on=True),
        "level": LevelRow(on=True, gamma=1.1),
        "glow": GlowRow(on=True),
        "light": GlowRow(on=True),
        "mix": MixRow(on=True, mode="screen"),
        "sharp": SharpRow(on=True, soft=1.2),
    }
    grain = {
        "on": True,
        "levels": [0.1, 0.5],
        "strength": [[0.01] * 3, [0.02] * 3],
        "octaves": [[1 / BANDS] * BANDS] * 3,
    }
    plain = {name: {"on": True} for name in ("glass", "shadow", "edges")}
    sit = SitIn.model_validate({**plain, **rows, "grain": grain}, strict=False)
    keys = [
        PaneKey(frame=f, corners=((12.0 + 3 * f, 10.0), (50.0, 12.0), (48.0, 50.0), (11.0, 48.0)), ease="linear")
        for f in range(3)
    ]
    plate = Plate(media="0" * 24, width=SIZE, height=SIZE, first=0, count=3, rate_num=25, rate_den=1)
    one = Pane(id="pane", name="Pane", colour="#aabbcc", keys=keys, sit=sit, aspect=1.0)
    shot = EvaluatedShot.of(new_shot("warm", "Warm", plate))
    cover = AddCover(type="add-cover", outline_id="hand", frame=0, outline=_round(), name="Hand")
    elements = cover.apply(shot).after
    settings = shot.settings.model_copy(update={"depth": [*_covers(elements), "pane"]})
    shot = EvaluatedShot.of(shot.document.with_elements({**elements, "pane": one, "settings": settings}))
    without = one.model_copy(update={"sit": SitIn()})
    bare = EvaluatedShot.of(shot.document.with_elements({"pane": without}))
    for which in (shot, bare):
        for samples in (pane.PREVIEW, pane.FINAL):
            scene = FrameScene(which, 1, _Grey(), 1.0, samples)  # type: ignore[arg-type]
            scene.composite(scene.whole)


def _round() -> OutlineDraft:
    """An outline with a soft edge that goes over the pane's edge."""
    points = ellipse(20.0, 30.0, 14.0, 12.0)
    points[:, 6:] = 2.0
    return OutlineDraft(kinds=["smooth"] * len(points), points=as_points(points))


def _covers(elements: Mapping[str, object]) -> list[str]:
    return [name for name, thing in elements.items() if isinstance(thing, Cover)]


if __name__ == "__main__":
    warm_up()
