"""Outlines of fingers and of a whole hand from its joints and the picture, to begin with."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.geometry.fitting import evened, fit_sparsely
from wiseglove.core.outline.snap import snap
from wiseglove.core.starters.hand import MIDDLE, WRIST, Hand

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
FINGERS = {
    "Thumb": (1, 2, 3, 4),
    "Index finger": (5, 6, 7, 8),
    "Middle finger": (9, 10, 11, 12),
    "Ring finger": (13, 14, 15, 16),
    "Little finger": (17, 18, 19, 20),
}
"""Each finger's joints from its root to its tip."""
PALM = (0, 1, 2, 5, 9, 13, 17)
SLIM = np.array([0.128, 0.117, 0.105, 0.090])
"""A finger's half width at its joints, in lengths from wrist to middle knuckle (measured on a few hands; gloves are a little more)."""
THICK = {"Thumb": 1.15, "Little finger": 0.87}
TIP = 0.55
"""How far a finger goes on beyond its last joint, in half widths there."""
SMOOTHNESS = 1 / 6
"""Handle length over the chord of a point's neighbours (Catmull-Rom as cubic Bezier)."""
SEARCH = 0.7
"""How far an edge may be from where it is guessed, in half widths of a finger."""
WORKED, PASSES = 260.0, 4
"""Pixels along the side of the part in which the hand is told from what is around it, and rounds of doing so."""
AROUND = 0.55
"""How far around the joints that part reaches, in lengths from wrist to middle knuckle."""
CLOSE = 1.5
"""Pixels by which the whole hand's outline may be off the border that was found."""
STRETCHED = 0.95
"""A finger is stretched out when its tip is at least so far from the wrist, in distances of its middle joint: on the rendered
glove the pointing finger has 0.96 to 1.2, curled ones up to 0.93; stretched ones of two real hands 1.0 to 1.3."""
LEAST_FILLED = 0.35
"""Share of the area between the joints and around them that is hand, below which nothing is told of the whole."""


@dataclass(frozen=True)
class Starter:
    """An outline to begin with: its name, points (N, 8) and kinds, and whether it stands apart so that it is likely wanted."""

    name: str
    points: Points
    kinds: list[str]
    likely: bool


def smooth(points: Array) -> Points:
    """A closed run of points (N, 2) as an outline with smooth points and hard edges, (N, 8)."""
    chord = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
    before = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1)
    after = np.linalg.norm(points - np.roll(points, -1, axis=0), axis=1)
    share = np.stack([before, after], axis=1) / np.maximum(before + after, 1e-9)[:, None]
    reach = 2 * SMOOTHNESS * chord
    return np.concatenate([points, -reach * share[:, :1], reach * share[:, 1:], np.zeros_like(points)], axis=1)


def around_joints(centres: Array, sizes: Array) -> Points:
    """The outline (11, 8) of a finger whose joints from root to tip lie at (4, 2) with half widths (4,), in pixels: down one side,
    round the tip, up the other."""
    along = np.gradient(centres, axis=0)
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-9)
    side = np.stack([-along[:, 1], along[:, 0]], axis=1)
    left, right = centres + side * sizes[:, None], centres - side * sizes[:, None]
    diagonal = np.sqrt(0.5) * sizes[3]
    around = [
        centres[3] + diagonal * (side[3] + along[3]),
        centres[3] + sizes[3] * along[3],
        centres[3] + diagonal * (along[3] - side[3]),
    ]
    return smooth(np.concatenate([left, around, right[::-1]]))


def starters_of(picture: Picture, hand: Hand) -> list[Starter]:
    """The whole hand first, where it can be told from what is around it, then its fingers; laid on edges where there are some."""
    joints = hand.joints
    palm = max(
        float(np.linalg.norm(joints[MIDDLE] - joints[WRIST])), 1.5 * float(np.linalg.norm(joints[5] - joints[17]))
    )
    out = []
    whole = _whole(picture, joints, palm)
    if whole is not None:
        out.append(whole)
    for name, chain in FINGERS.items():
        places = joints[list(chain)].copy()
        sizes = SLIM * palm * THICK.get(name, 1.0)
        last = places[3] - places[2]
        length = max(float(np.linalg.norm(last)), 1e-6)
        places[3] += last / length * (TIP - 1) * sizes[3] * min(1.0, length / sizes[3])
        guess = around_joints(places, sizes)
        kinds = ["smooth"] * len(guess)
        laid = snap(picture, guess, list(range(1, len(guess) - 1)), kinds, float(SEARCH * sizes[3]))
        out.append(Starter(name, guess if laid.reason else laid.points, kinds, _is_stretched(joints, chain)))
    return out


def _is_stretched(joints: Array, chain: tuple[int, ...]) -> bool:
    wrist = joints[WRIST]
    tip, middle = (float(np.linalg.norm(joints[chain[i]] - wrist)) for i in (3, 1))
    return tip > STRETCHED * middle


def _whole(picture: Picture, joints: Array, palm: float) -> Starter | None:
    """The hand's border, told by colour from what lies farther off (GrabCut: Rother, Kolmogorov, Blake 2004); None where it
    cannot be."""
    low, high = joints.min(axis=0) - AROUND * palm, joints.max(axis=0) + AROUND * palm
    left, top = (int(v) for v in np.maximum(low, 0))
    right, bottom = (int(v) for v in np.minimum(np.ceil(high), (picture.shape[1], picture.shape[0])))
    if right - left < 16 or bottom - top < 16:
        return None
    part = picture[top:bottom, left:right]
    scale = min(WORKED / max(part.shape[:2]), 1.0)
    small = cv2.resize(part, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    places = (joints - (left, top)) * scale
    bones = [tuple(joint) for joint in FINGERS.values()] + [(WRIST, 5), (WRIST, 9), (WRIST, 17), (WRIST, 1)]

    def drawn(width: float) -> NDArray[np.uint8]:
        canvas = np.zeros(small.shape[:2], np.uint8)
        for bone in bones:
            line = np.round(places[list(bone)]).astype(np.int32)
            cv2.polylines(canvas, [line], False, 1, max(round(width * palm * scale), 1))
        cv2.fillPoly(canvas, [np.round(places[list(PALM)]).astype(np.int32)], 1)
        return canvas

    surely, likely, maybe = drawn(0.10), drawn(0.24), drawn(0.50)
    mask = np.where(surely > 0, cv2.GC_FGD, np.where(likely > 0, cv2.GC_PR_FGD, cv2.GC_PR_BGD)).astype(np.uint8)
    mask[maybe == 0] = cv2.GC_BGD
    if not (mask == cv2.GC_BGD).any():
        return None
    cv2.setRNGSeed(1)  # the colours' first clusters are drawn by lot
    cv2.grabCut(small, mask, (0, 0, 0, 0), np.zeros((1, 65)), np.zeros((1, 65)), PASSES, cv2.GC_INIT_WITH_MASK)
    told = ((mask == cv2.GC_FGD) | (mask == cv2.GC_PR_FGD)).astype(np.uint8)
    if told.sum() < LEAST_FILLED * maybe.sum():
        return None
    lines, _ = cv2.findContours(np.pad(told, 1), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    line = max(lines, key=cv2.contourArea)[:, 0].astype(np.float64)
    if len(line) < 24:
        return None
    calm = cv2.GaussianBlur(np.vstack([line] * 3)[:, None], (1, 9), 1.6)[len(line) : 2 * len(line), 0]
    fitted = fit_sparsely(evened((np.asarray(calm, np.float64) - 0.5) / scale + (left, top), 2.0), CLOSE)
    kinds = ["free" if corner else "smooth" for corner in fitted.corners]
    return Starter("Hand", fitted.points, kinds, True)
