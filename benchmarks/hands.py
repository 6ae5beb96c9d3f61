"""Other hands over the panel: gloves and skins of other colours, other shutters, grain and coders."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import cache, partial
from multiprocessing import get_context

import numpy as np
from numpy.typing import NDArray

from benchmarks.coded import through_h264
from benchmarks.truth import ROOT
from wiseglove.core.compositing.grade import LUMA
from wiseglove.demo import panel_shots, scene
from wiseglove.demo.panels import Front, Panel, take
from wiseglove.demo.solved_shots import RIM

KEPT = ROOT / ".run" / "hands"


@dataclass(frozen=True)
class Hand:
    """colour: linear light of its middle, None for the demo's own glove; form: how much of its shading it shows, 0..1."""

    colour: tuple[float, float, float] | None
    form: float = 0.4
    shutter: float = scene.SHUTTER
    grain: float = 1.0
    rate: str | None = None
    """Bits a second of H.264, if any."""
    shaken: float = 0.0
    """Pixels to both sides by which it waves besides, to and fro in ten frames."""


HANDS = {
    "black glove": Hand((0.012, 0.012, 0.012), 1.0, rate="6M"),
    "white glove": Hand((0.55, 0.55, 0.55), 0.25, rate="6M"),
    "fair skin, open shutter": Hand((0.50, 0.26, 0.17), shutter=0.9),
    "dark skin, fast film": Hand((0.085, 0.040, 0.024), 0.5, grain=3.0),
    "teal glove": Hand((0.02, 0.14, 0.12), rate="6M"),
    "grey glove, open shutter": Hand((0.10, 0.10, 0.105), shutter=0.9),
    "waving fast": Hand(None, rate="6M", shaken=60.0),
}
"""The last three were not worked with."""


@dataclass(frozen=True)
class Filmed:
    """Plates (T, h, w, 3), coverage of what passes (T, h, w), both 8-bit, and the panel's corners (T, 4, 2)."""

    plates: NDArray[np.uint8]
    front: NDArray[np.uint8]
    corners: NDArray[np.float64]


@cache
def _shot(name: str) -> Panel:
    hand, shot = HANDS[name], panel_shots.hand_over(1.0)
    assert shot.front
    texture, corners = shot.front.texture.copy(), shot.front.corners
    if hand.colour is not None:
        cover = texture[..., 3:]
        light = (texture[..., :3] @ LUMA)[..., None]
        shade = 1 - hand.form + hand.form * light / float(light[cover > 0.9].mean())
        texture[..., :3] = np.clip(np.array(hand.colour, np.float32) * shade, 0, 1) * cover
    way = np.array((hand.shaken, 0.0))
    front = Front(texture, lambda time: corners(time) + way * np.sin(time / 1.6))
    return replace(shot, front=front, shutter=hand.shutter, grain=hand.grain)


def _taken(name: str, index: int) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    taken = take(_shot(name), index)
    return taken.plate, taken.front


def filmed(name: str) -> Filmed:
    """The clip of that name; it is rendered once and kept."""
    shot, hand = _shot(name), HANDS[name]
    path = KEPT / f"{name.replace(' ', '_').replace(',', '')}.npz"
    if not path.exists():
        with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
            plates, front = (
                np.stack(v) for v in zip(*pool.map(partial(_taken, name), range(shot.frames)), strict=True)
            )
        path.parent.mkdir(parents=True, exist_ok=True)
        np.savez(path, plates=through_h264(plates, hand.rate) if hand.rate else plates, front=front)
    kept = np.load(path)
    return Filmed(kept["plates"], kept["front"], np.stack([shot.corners(i, RIM) for i in range(shot.frames)]))
