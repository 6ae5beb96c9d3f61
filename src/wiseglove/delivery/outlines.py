"""A shot's outlines and panes, frame by frame, as the formats of others take them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.geometry.proportions import UnknownProportionsError
from wiseglove.interchange.coco import Marked
from wiseglove.interchange.drawn import Curve, Layer, Sheet
from wiseglove.interchange.pane_motion import Moment
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.measuring import true_proportions
from wiseglove.shot.model import Cover, Outline, Pane
from wiseglove.shot.render import FrameScene
from wiseglove.shot.scene import Pictures
from wiseglove.shot.trust import trusted

POLYGON = 0.25
"""Pixels by which a polygon may differ from the curve that it stands for."""


def sheet_of(shot: EvaluatedShot, frames: range) -> Sheet:
    """What the outlines of some frames lie on."""
    plate = shot.plate
    return Sheet(plate.width, plate.height, frames.start, len(frames), plate.rate)


def chosen(shot: EvaluatedShot, names: tuple[str, ...]) -> list[Cover]:
    """The covers of these names, or all that are shown, from near to far."""
    return [c for c in shot.covers if (c.name in names if names else shot.is_shown(c))]


def layers(shot: EvaluatedShot, frames: range, names: tuple[str, ...] = ()) -> list[Layer]:
    """The covers with their outlines as they are seen on each frame; what is not there on any is left out."""
    found = []
    for cover in chosen(shot, names):
        curves = [c for o in shot.outlines_of(cover) if (c := _curve(shot, cover, o, frames)) is not None]
        if curves:
            found.append(Layer(cover.name, curves, cover.colour))
    return found


def _curve(shot: EvaluatedShot, cover: Cover, outline: Outline, frames: range) -> Curve | None:
    plate = shot.plate
    there = [f for f in frames if outline.present(f) and cover.present(f)]
    if not there:
        return None
    strength = [outline.strength(f, plate) * cover.strength(f, plate) for f in there]
    points = shot.points_at(outline, np.array(there, np.float64))[:, :, :6]
    return Curve(outline.mode, np.array(there, np.int64), np.asarray(points, np.float64), np.array(strength))


def marked(
    shot: EvaluatedShot, frames: range, names: tuple[str, ...], pictures: Pictures, polygons: bool
) -> Iterator[Marked]:
    """What each cover takes of each frame. polygons: as such where a cover only adds; else, and without it, as pixels."""
    covers = chosen(shot, names)
    plain = {c.id: polygons and all(o.mode == "adds" for o in shot.outlines_of(c)) for c in covers}
    for frame in frames:
        scene = FrameScene(shot, frame, pictures)
        for cover in covers:
            there = [o for o in shot.outlines_of(cover) if o.present(frame)] if cover.present(frame) else []
            if not there:
                continue
            if plain[cover.id]:
                shapes = [flatten(shot.points_at(o, np.array([float(frame)]))[0], POLYGON)[:-1] for o in there]
                yield Marked(cover.name, frame, shapes, None)
                continue
            pixels = (scene.covers.whole_matte(cover) >= 0.5).astype(np.uint8)
            if pixels.any():
                yield Marked(cover.name, frame, None, pixels)


def moments(shot: EvaluatedShot, pane: Pane, frames: range, each: int = 1) -> list[Moment]:
    """A pane's corners, `each` samples a frame."""
    times = np.array([f + i / each for f in frames for i in range(each)])
    corners = shot.points_at(pane, times)[:, :, :2]
    there = {f: t for f, t in zip(frames, trusted(shot, pane, frames), strict=True)}
    return [
        Moment(float(t), there[int(t)].status, there[int(t)].confidence, np.asarray(c, np.float64))
        for t, c in zip(times, corners, strict=True)
    ]


def proportions(shot: EvaluatedShot, pane: Pane) -> float | None:
    """A pane's true width over its height: typed, or from its motion; None where that cannot be told."""
    if pane.aspect is not None:
        return pane.aspect
    try:
        return float(true_proportions(shot, pane).aspect)
    except UnknownProportionsError:
        return None
