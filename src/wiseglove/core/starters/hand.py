"""Hands in a picture and their 21 joints, by two small networks that run on the processor.

Published as Bazarevsky and Zhang, "On-Device, Real-Time Hand Tracking" (2019), and Zhang et al., "MediaPipe Hands: On-device
Real-time Hand Tracking" (arXiv 2006.10214): a single-shot detector of palms over fixed anchors, then joints in a crop turned so
that the hand points upwards, found again in the crop that these joints ask for.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
PALM_FILE, JOINTS_FILE = "palm_detection_full.tflite", "hand_landmark_full.tflite"
PALM, JOINTS = 192, 224
"""Pixels along the side of what the two networks look at."""
GRIDS = ((24, 2), (12, 6))
"""Cells along a side and anchors in each cell of the palm detector's two maps."""
LEAST_PALM, LEAST_HAND = 0.35, 0.5
"""Certainty from which a palm is looked at closer, and from which a hand is told."""
SAME = 0.3
"""Overlap of two palms' boxes from which they are one (intersection over union)."""
WIDER, FARTHER = 2.6, 0.5
"""The first crop's side in sides of the palm's box, and how far it is moved towards the fingers."""
ROOM = 1.9
"""The next crops' side in extents of the joints."""
SMALLEST = 150.0
"""Pixels along the side of a part that is looked at at least: what is much enlarged looks like anything."""
AGAIN = 2
"""How often the joints are looked for again in the crop that they ask for."""
WRIST, MIDDLE = 0, 9
KNUCKLES = (5, 9, 13)


class NoModelError(RuntimeError):
    """The networks' files are not there."""


@dataclass(frozen=True)
class Hand:
    """21 joints (21, 2), x and y in pixels: wrist, then four of each finger from its root to its tip, the thumb first; and how
    sure it is that there is a hand at all, 0..1."""

    joints: Array
    sure: float


@dataclass(frozen=True)
class _Palm:
    centre: Array
    side: float
    up: Array
    score: float


class HandFinder:
    """Looks for hands. Safe for use by several threads, one at a time."""

    def __init__(self, folder: Path) -> None:
        """folder: where PALM_FILE and JOINTS_FILE lie. Raises NoModelError where they do not."""
        for name in (PALM_FILE, JOINTS_FILE):
            if not (folder / name).is_file():
                raise NoModelError(name)
        # The classic engine gives all of a network's outputs, the other one of OpenCV 5 only the last.
        engine = cv2.dnn.ENGINE_CLASSIC
        self._palms = cv2.dnn.readNetFromTFLite(str(folder / PALM_FILE), engine)
        self._joints = cv2.dnn.readNetFromTFLite(str(folder / JOINTS_FILE), engine)
        self._lock = Lock()

    def find(self, picture: Picture) -> list[Hand]:
        """Hands in an RGB picture (H, W, 3), the surest first; none where it sees none."""
        hands: list[Hand] = []
        with self._lock:
            for windows in _windows(picture.shape[1], picture.shape[0]):
                palms = [p for window in windows for p in self._palms_in(picture, *window)]
                hands = [hand for palm in _apart(palms) if (hand := self._hand(picture, palm)) is not None]
                if hands:
                    break  # smaller parts are only for hands that are small in the picture
        out: list[Hand] = []
        for hand in sorted(hands, key=lambda h: -h.sure):
            if all(_between(hand, other) > 0.5 for other in out):
                out.append(hand)
        return out

    def _palms_in(self, picture: Picture, left: float, top: float, side: float) -> list[_Palm]:
        scale = side / PALM
        seen = _cut(picture, np.array([[scale, 0, left], [0, scale, top]]), PALM)
        self._palms.setInput(seen)
        scores, boxes = self._palms.forward(("Identity_1", "Identity"))
        sure = 1 / (1 + np.exp(-np.clip(scores[0, :, 0].astype(np.float64), -40, 40)))
        out = []
        for index in np.flatnonzero(sure > LEAST_PALM):
            row, anchor = boxes[0, index].astype(np.float64) / PALM, _ANCHORS[index]
            keys = row[4:].reshape(-1, 2) + anchor  # the wrist is the first, the middle finger's knuckle the third
            way = keys[2] - keys[0]
            length = float(np.linalg.norm(way))
            if length < 1e-6:
                continue
            centre = (row[:2] + anchor) * side + (left, top)
            out.append(_Palm(centre, float(row[2:4].max() * side), way / length, float(sure[index])))
        return out

    def _hand(self, picture: Picture, palm: _Palm) -> Hand | None:
        side, up = palm.side * WIDER, palm.up
        joints, sure = self._look(picture, palm.centre + up * palm.side * FARTHER, side, up)
        for _ in range(AGAIN):
            if sure < LEAST_HAND / 2:
                return None
            way = joints[list(KNUCKLES)].mean(axis=0) - joints[WRIST]
            length = float(np.linalg.norm(way))
            if length < 1e-6:
                return None
            up = way / length
            turned = joints @ _across(up)
            low, high = turned.min(axis=0), turned.max(axis=0)
            centre = _across(up) @ ((low + high) / 2)
            joints, sure = self._look(picture, centre, float((high - low).max()) * ROOM, up)
        return Hand(joints, sure) if sure >= LEAST_HAND else None

    def _look(self, picture: Picture, centre: Array, side: float, up: Array) -> tuple[Array, float]:
        """The joints in a square crop around a place, turned so that `up` points upwards."""
        turn = _across(up) * (side / JOINTS)
        matrix = np.column_stack([turn, centre - turn @ (JOINTS / 2, JOINTS / 2)])
        self._joints.setInput(_cut(picture, matrix, JOINTS))
        rows, sure = self._joints.forward(("Identity", "Identity_1"))
        places = rows.reshape(21, 3)[:, :2].astype(np.float64)
        return places @ turn.T + matrix[:, 2], float(sure.ravel()[0])


def _across(up: Array) -> Array:
    """The rotation whose second column points against `up`, so that a crop's rows run from it downwards."""
    return np.array([[-up[1], -up[0]], [up[0], -up[1]]])


def _cut(picture: Picture, matrix: Array, side: int) -> NDArray[np.float32]:
    """A square of the picture as the networks want it, (1, 3, side, side), 0..1; matrix (2, 3): crop to picture."""
    scale = float(np.hypot(*matrix[:, 0]))
    if scale > 1.5:  # a crop much smaller than what it shows would alias
        small = max(1 / scale, 1 / max(picture.shape[:2]))
        picture = np.asarray(cv2.resize(picture, None, fx=small, fy=small, interpolation=cv2.INTER_AREA), np.uint8)
        matrix = matrix * small
    crop = cv2.warpAffine(picture, matrix, (side, side), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    return np.ascontiguousarray(crop.astype(np.float32).transpose(2, 0, 1)[None] / 255)


def _anchors() -> Array:
    parts = []
    for cells, each in GRIDS:
        rows, columns = np.mgrid[0:cells, 0:cells]
        centres = np.stack([(columns + 0.5) / cells, (rows + 0.5) / cells], axis=-1).reshape(-1, 2)
        parts.append(np.repeat(centres, each, axis=0))
    return np.concatenate(parts)


_ANCHORS = _anchors()


def _windows(width: int, height: int) -> Iterator[list[tuple[float, float, float]]]:
    """Squares to look at, left, top and side: first the whole picture and large parts of it, then smaller ones."""
    whole = float(max(width, height))
    if whole < SMALLEST:
        return
    yield [((width - whole) / 2, (height - whole) / 2, whole), *_tiles(width, height, min(width, height))]
    side = 0.6 * min(width, height)
    if side >= SMALLEST:
        yield _tiles(width, height, side)


def _tiles(width: int, height: int, side: float) -> list[tuple[float, float, float]]:
    across, down = (_starts(length, side) for length in (width, height))
    return [(left, top, side) for top in down for left in across]


def _starts(length: float, side: float) -> list[float]:
    """Where parts of a length begin so that neighbours share 0.4 of their side."""
    more = max(int(np.ceil((length - side) / (side * 0.6))), 0)
    return [(length - side) * (i / more if more else 0.5) for i in range(more + 1)]


def _apart(palms: list[_Palm]) -> list[_Palm]:
    """Palms that are not the same, the surest first."""
    if not palms:
        return []
    boxes = [[*(p.centre - p.side / 2).tolist(), p.side, p.side] for p in palms]
    kept = cv2.dnn.NMSBoxes(boxes, [p.score for p in palms], LEAST_PALM, SAME)
    return [palms[i] for i in np.array(kept, int).ravel()]


def _between(one: Hand, other: Hand) -> float:
    """How far two hands' joints are from each other, in lengths of a palm."""
    size = float(np.linalg.norm(other.joints[MIDDLE] - other.joints[WRIST]))
    return float(np.linalg.norm(one.joints - other.joints, axis=1).mean()) / max(size, 1e-6)
