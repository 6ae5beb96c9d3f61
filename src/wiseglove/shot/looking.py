"""What a carrier looks at on a frame: its patches without its blind spots, and without the covers before them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.path import Motion
from wiseglove.core.motion.regions import filled
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Carrier, Contents, Cover, FollowedPoint, Insert, Region
from wiseglove.shot.render import FrameScene
from wiseglove.shot.scene import Pictures
from wiseglove.shot.subject import Subject

Picture = NDArray[np.float32]
Array = NDArray[np.float64]
SEEN = 0.02
"""Coverage from which on a cover or a subject hides what is behind it."""
BRIGHT = 0.1
"""Share of full light from which a pixel of a matte hides what lies there."""


def region_points(region: Region, frame: int) -> Array:
    """A region's points (N, 8) on a frame, as they are stored: between two keys each point goes straight and evenly."""
    if not region.keys:
        return np.array(region.points, np.float64)
    frames = [k.frame for k in region.keys]
    shapes = np.array([k.points for k in region.keys], np.float64)
    flat = shapes.reshape(len(frames), -1)
    return np.stack([np.interp(frame, frames, column) for column in flat.T]).reshape(shapes.shape[1:])


def region_motion(shot: EvaluatedShot, carrier: Carrier, region: Region) -> Motion:
    """What a region rides on."""
    other = shot.find(region.rides, Carrier) if region.rides else None
    return shot.motion(other or carrier)


def _line(shot: EvaluatedShot, carrier: Carrier, region: Region, frame: int) -> Array:
    """A region as a line (N, 2) of the plate on a frame."""
    there = region_motion(shot, carrier, region)
    return flatten(there.carry(np.array([frame], np.float64), region_points(region, frame)[None])[0], 0.1)


def looked_at_through(
    shot: EvaluatedShot, carrier: Carrier, matrix: Array, frame: int | None = None, reference: int | None = None
) -> Picture:
    """What lies in the patches and in no blind spot where a motion (3, 3) takes them, 1 or 0, (height, width).

    frame: with the shapes of that frame, and without what blind spots hide on the reference (None: the carrier's own);
    None: with all shapes that patches ever have, and no keyed blind spot.
    """
    shape = (shot.plate.height, shot.plate.width)
    mask = np.zeros(shape, np.float32)
    for region in carrier.patches:
        frames = [k.frame for k in region.keys] or [carrier.at]
        for at in frames if frame is None else [frame]:
            # One that rides elsewhere is where it lies on the carrier's own frame, whatever becomes of it later.
            rides = region.rides is not None
            line = _line(shot, carrier, region, carrier.at) if rides else flatten(region_points(region, at), 0.1)
            mask = np.maximum(mask, filled(apply(matrix, line), shape))
    for region in carrier.blind:
        if region.rides or (region.keys and frame is None):
            continue
        own = carrier.at if reference is None else reference
        for at in {own, own if frame is None else frame}:
            line = flatten(region_points(region, at), 0.1)
            mask *= 1 - filled(apply(matrix, line), shape)
    return mask


def check_solvable(carrier: Carrier) -> None:
    """Raise EditError for a carrier that is only set by hand."""
    if carrier.bridge and carrier.is_set_by_hand:
        raise EditError(
            f"{carrier.name} is set by hand, so there is nothing to solve. Draw a patch of it first; nothing was changed."
        )


def in_order(carriers: list[Carrier]) -> list[Carrier]:
    """Carriers so that each comes after those it begins or looks on, as far as that goes round in no circle."""
    out: list[Carrier] = []

    def put(carrier: Carrier, above: list[Carrier]) -> None:
        if carrier in out or carrier in above:
            return
        needs = {carrier.begins, *(region.rides for region in (*carrier.patches, *carrier.blind))}
        for other in carriers:
            if other.id in needs:
                put(other, [*above, carrier])
        out.append(carrier)

    for carrier in carriers:
        put(carrier, [])
    return out


def is_keyed(carrier: Carrier) -> bool:
    """Whether what a carrier looks at changes its shape by itself."""
    return any(region.keys and not region.rides for region in (*carrier.patches, *carrier.blind))


def _patches(shot: EvaluatedShot, carrier: Carrier, frame: int) -> Picture:
    """Where the patches lie on a frame, 1 or 0, (height, width)."""
    mask = np.zeros((shot.plate.height, shot.plate.width), np.float32)
    for region in carrier.patches:
        mask = np.maximum(mask, filled(_line(shot, carrier, region, frame), mask.shape))
    return mask


def looked_at(shot: EvaluatedShot, carrier: Carrier, frame: int) -> Picture:
    """What of the plate lies in the patches or points' patterns and in no blind spot, 1 or 0, (height, width)."""
    mask = _patches(shot, carrier, frame)
    shape = mask.shape
    if not carrier.patches and not carrier.points:
        mask = filled(quad_at(shot, carrier, frame), shape)
    for point in carrier.points:
        square = _pattern_at(point, frame)
        if square is not None:
            mask = np.maximum(mask, filled(square, shape))
    for region in carrier.blind:
        mask *= 1 - filled(_line(shot, carrier, region, frame), shape)
    return mask


def quad_at(shot: EvaluatedShot, carrier: Carrier, frame: int) -> Array:
    """Where a carrier's base corners are on a frame of the plate, (4, 2)."""
    motion = shot.motion(carrier)
    return np.asarray(motion.quads[frame - motion.first])


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


def subjects_before(shot: EvaluatedShot, carrier: Carrier, pictures: Pictures) -> list[Subject]:
    """Keyed subjects of the plate that may hide what a carrier looks at: none that its patch lies on, or that a pane limits."""
    things = map(shot.elements.get, shot.settings.depth)
    found = [t for t in things if isinstance(t, Subject) and t.shown and t.clip is None and t.pane is None]
    if not carrier.avoids or not found:
        return []
    mask = looked_at(shot, carrier, carrier.at) > 0.5
    return [t for t in found if not mask.any() or _subject_on(shot, t, carrier.at, pictures)[mask].mean() < 0.5]


def _subject_on(shot: EvaluatedShot, which: Subject, frame: int, pictures: Pictures) -> Picture:
    """Where a subject is on a frame, 1 or 0, (height, width); looked at in half the size."""
    seen = FrameScene(shot, frame, pictures, 0.5).matte_of(which.id)
    whole = cv2.resize(seen, (shot.plate.width, shot.plate.height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(whole > SEEN, np.float32)


def left_out(
    shot: EvaluatedShot, carrier: Carrier, frame: int, pictures: Pictures, subjects: list[Subject] | None = None
) -> Picture | None:
    """Where nothing is looked at on a frame, 1 or 0, (height, width); None where that is nowhere.

    It is where shown covers, subjects and the carrier's matte lie, with its margin, and, where the patches ride on another
    carrier, what lies outside them. subjects: see `subjects_before`, which is asked if they are not given.
    """
    hidden = None
    covers = [c for c in shot.covers if shot.is_shown(c) and c.present(frame) and not _rides(shot, c, carrier)]
    if carrier.avoids and covers:
        scene = FrameScene(shot, frame, pictures)
        hidden = (scene.covers.matte(scene.whole, only=covers) > SEEN).astype(np.float32)
    for which in subjects_before(shot, carrier, pictures) if subjects is None else subjects:
        there = _subject_on(shot, which, frame, pictures)
        hidden = there if hidden is None else np.maximum(hidden, there)
    for region in carrier.blind:
        if region.rides and shot.find(region.rides, Carrier) is not None:
            there = filled(_line(shot, carrier, region, frame), (shot.plate.height, shot.plate.width))
            hidden = there if hidden is None else np.maximum(hidden, there)
    if carrier.matte:
        bright = _bright(shot, carrier.matte, frame, pictures)
        hidden = bright if hidden is None else np.maximum(hidden, bright)
    if hidden is not None:
        wide = 2 * carrier.margin + 1
        hidden = np.asarray(cv2.dilate(hidden, np.ones((wide, wide), np.uint8)), np.float32)
    if any(region.rides for region in carrier.patches):
        outside = 1 - _patches(shot, carrier, frame)
        hidden = outside if hidden is None else np.maximum(hidden, outside)
    return hidden


def _bright(shot: Contents, media: str, frame: int, pictures: Pictures) -> Picture:
    """Where a clip of mattes is bright on a frame, 1 or 0, at the plate's size."""
    insert = Insert(source="media", media=media, start=shot.plate.first)
    shown = pictures.insert(insert, frame, False)
    assert shown is not None  # its ends are held
    seen = shown[..., :3].max(axis=2)
    size = (shot.plate.width, shot.plate.height)
    if seen.shape[::-1] != size:
        seen = np.asarray(cv2.resize(seen, size, interpolation=cv2.INTER_AREA), np.float32)
    return np.asarray(seen > BRIGHT, np.float32)


def _rides(shot: Contents, cover: Cover, carrier: Carrier) -> bool:
    return any(
        outline.rides == carrier.id or any(j.carrier == carrier.id for j in outline.joints)
        for outline in shot.outlines_of(cover)
    )
