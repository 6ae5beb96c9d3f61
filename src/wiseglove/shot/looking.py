"""What a carrier looks at on a frame: its patches without its blind spots, and without the covers before them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.motion.regions import filled
from wiseglove.shot.model import Carrier, Cover, FollowedPoint, Region, Shot
from wiseglove.shot.render import FrameScene, Pictures
from wiseglove.shot.riding import motion, quads_of

Picture = NDArray[np.float32]


def regions_at(shot: Shot, carrier: Carrier, frame: int, regions: list[Region]) -> list[NDArray[np.float64]]:
    """Regions of a carrier as lines (N, 2) of the plate on a frame."""
    there = motion(carrier, shot.plate)
    times = np.array([frame], np.float64)
    return [flatten(there.carry(times, np.array(r.points, np.float64)[None])[0], 0.1) for r in regions]


def looked_at(shot: Shot, carrier: Carrier, frame: int) -> Picture:
    """What of the plate lies in the patches or points' patterns and in no blind spot, 1 or 0, (height, width)."""
    shape = (shot.plate.height, shot.plate.width)
    mask = np.zeros(shape, np.float32)
    for line in regions_at(shot, carrier, frame, carrier.patches):
        mask = np.maximum(mask, filled(line, shape))
    if not carrier.patches and not carrier.points:
        mask = filled(quads_of(carrier, frame, frame)[0], shape)
    for point in carrier.points:
        square = _pattern_at(point, frame)
        if square is not None:
            mask = np.maximum(mask, filled(square, shape))
    for line in regions_at(shot, carrier, frame, carrier.blind):
        mask *= 1 - filled(line, shape)
    return mask


def _pattern_at(point: FollowedPoint, frame: int) -> NDArray[np.float64] | None:
    """The square (4, 2) of a point's pattern where it was followed to on a frame; None where it is not seen."""
    place = point.seen if frame == point.at else None
    for there in point.track:
        if there.frame == frame and there.status != "lost":
            place = (there.x, there.y)
    if place is None:
        return None
    half = point.pattern / 2
    return np.array(place) + half * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])


def left_out(shot: Shot, carrier: Carrier, frame: int, pictures: Pictures) -> Picture | None:
    """Where shown covers lie, with the carrier's margin, 1 or 0, (height, width); None where there are none."""
    if not carrier.avoids:
        return None
    covers = [c for c in shot.covers if shot.is_shown(c) and c.present(frame) and not _rides(shot, c, carrier)]
    if not covers:
        return None
    scene = FrameScene(shot, frame, pictures)
    hidden = (scene.matte(scene.whole, covers=covers) > 0.02).astype(np.float32)
    wide = 2 * carrier.margin + 1
    return np.asarray(cv2.dilate(hidden, np.ones((wide, wide), np.uint8)), np.float32)


def _rides(shot: Shot, cover: Cover, carrier: Carrier) -> bool:
    return any(
        outline.rides == carrier.id or any(j.carrier == carrier.id for j in outline.joints)
        for outline in shot.outlines_of(cover)
    )
