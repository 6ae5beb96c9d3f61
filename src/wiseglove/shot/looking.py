"""What a carrier looks at on a frame: its patches without its blind spots, and without the covers before them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.regions import filled
from wiseglove.shot.model import Carrier, Cover, FollowedPoint, Insert, Region, Shot
from wiseglove.shot.render import FrameScene, Pictures
from wiseglove.shot.riding import motion, quads_of

Picture = NDArray[np.float32]
BRIGHT = 0.1
"""Share of full light from which a pixel of a matte hides what lies there."""


def regions_at(shot: Shot, carrier: Carrier, frame: int, regions: list[Region]) -> list[NDArray[np.float64]]:
    """Regions of a carrier as lines (N, 2) of the plate on a frame."""
    there = motion(carrier, shot.plate)
    times = np.array([frame], np.float64)
    return [flatten(there.carry(times, np.array(r.points, np.float64)[None])[0], 0.1) for r in regions]


def looked_at_through(shot: Shot, carrier: Carrier, matrix: NDArray[np.float64]) -> Picture:
    """What lies in the patches and in no blind spot where a motion (3, 3) takes them, 1 or 0, (height, width)."""
    shape = (shot.plate.height, shot.plate.width)
    mask = np.zeros(shape, np.float32)
    for region in carrier.patches:
        mask = np.maximum(mask, filled(apply(matrix, _line(region)), shape))
    for region in carrier.blind:
        mask *= 1 - filled(apply(matrix, _line(region)), shape)
    return mask


def _line(region: Region) -> NDArray[np.float64]:
    return flatten(np.array(region.points, np.float64), 0.1)


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
    """Where shown covers or the carrier's matte lie, with its margin, 1 or 0, (height, width); None where there are none."""
    hidden = None
    covers = [c for c in shot.covers if shot.is_shown(c) and c.present(frame) and not _rides(shot, c, carrier)]
    if carrier.avoids and covers:
        scene = FrameScene(shot, frame, pictures)
        hidden = (scene.matte(scene.whole, covers=covers) > 0.02).astype(np.float32)
    if carrier.matte:
        bright = _bright(shot, carrier.matte, frame, pictures)
        hidden = bright if hidden is None else np.maximum(hidden, bright)
    if hidden is None:
        return None
    wide = 2 * carrier.margin + 1
    return np.asarray(cv2.dilate(hidden, np.ones((wide, wide), np.uint8)), np.float32)


def _bright(shot: Shot, media: str, frame: int, pictures: Pictures) -> Picture:
    """Where a clip of mattes is bright on a frame, 1 or 0, at the plate's size."""
    insert = Insert(source="media", media=media, start=shot.plate.first)
    seen = pictures.insert(insert, frame, False)[..., :3].max(axis=2)
    size = (shot.plate.width, shot.plate.height)
    if seen.shape[::-1] != size:
        seen = np.asarray(cv2.resize(seen, size, interpolation=cv2.INTER_AREA), np.float32)
    return np.asarray(seen > BRIGHT, np.float32)


def _rides(shot: Shot, cover: Cover, carrier: Carrier) -> bool:
    return any(
        outline.rides == carrier.id or any(j.carrier == carrier.id for j in outline.joints)
        for outline in shot.outlines_of(cover)
    )
