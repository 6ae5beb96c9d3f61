"""Outlines of the demo's glove laid on its truth at a handful of frames, as an artist would draw them."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.starters.outlines import around_joints, smooth
from wiseglove.demo import footage, scene

Array = NDArray[Any]


def finger(frame: float, name: str = "index") -> Array:
    """A finger's outline at a frame (0-based): down one side, round the tip, up the other; (11, 8)."""
    hand, camera = scene.hand_at(frame), scene.camera_at(frame)
    joints, radii = hand.joints[name]
    return around_joints(camera.project(joints), radii / camera.depth(joints) * scene.FOCAL)


def rest_of_hand(frame: int, rendered: footage.Rendered) -> Array:
    """Outline of thumb, palm, curled fingers and sleeve at a frame (0-based), (N, 6), the same N on every frame.

    Points begin on the sides of the projected limbs, which gives them a meaning that lasts, and are then moved
    along their normals onto the edge of the truth, as an artist would. It reaches under the index finger.
    """
    hand, camera = scene.hand_at(frame), scene.camera_at(frame)

    def circle(place: Array, radius: float) -> tuple[Array, float]:
        centre = camera.project(place[None])[0]
        return centre, float(radius / camera.depth(place[None])[0] * scene.FOCAL)

    def beside(start: tuple[Array, float], end: tuple[Array, float], way: float, share: float = 1.0) -> Array:
        along = (end[0] - start[0]) / np.linalg.norm(end[0] - start[0])
        side = np.array([-along[1], along[0]]) * way
        return start[0] + (end[0] - start[0]) * share + side * (start[1] + (end[1] - start[1]) * share)

    thumb_joints, thumb_radii = hand.joints["thumb"]
    thumb = [circle(j, r) for j, r in zip(thumb_joints, thumb_radii, strict=True)]
    knit = int(np.flatnonzero(hand.cloth == scene.KNIT)[0])
    sleeve = int(np.flatnonzero(hand.cloth == scene.SLEEVE)[0])
    cuff = [circle(hand.start[knit], hand.start_radius[knit]), circle(hand.end[knit], hand.end_radius[knit])]
    arm = [circle(hand.start[sleeve], hand.start_radius[sleeve]), circle(hand.end[sleeve], hand.end_radius[sleeve])]
    knuckle = {name: circle(hand.joints[name][0][0], hand.joints[name][1][0]) for name in scene.FINGERS}
    middle_joint = {name: circle(hand.joints[name][0][1], hand.joints[name][1][1]) for name in scene.FINGERS}
    palm = cuff[0][0]

    def outer(of: tuple[Array, float], turn: float = 0.0) -> Array:
        away = (of[0] - palm) / np.linalg.norm(of[0] - palm)
        c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        return of[0] + np.array([c * away[0] - s * away[1], s * away[0] + c * away[1]]) * of[1]

    tip = thumb[3][0] - thumb[2][0]
    tip = tip / np.linalg.norm(tip)
    across = np.array([-tip[1], tip[0]])
    diagonal = np.sqrt(0.5)
    points = np.stack(
        [
            thumb[3][0] + tip * thumb[3][1],
            thumb[3][0] + (tip - across) * diagonal * thumb[3][1],
            beside(thumb[2], thumb[3], -1, 0.5),
            beside(thumb[1], thumb[2], -1, 0.8),
            beside(thumb[1], thumb[2], -1, 0.1),
            beside(thumb[0], thumb[1], -1, 0.2),
            beside(cuff[0], cuff[1], 1, 0.05),
            beside(cuff[0], cuff[1], 1, 0.6),
            beside(arm[0], arm[1], 1, 0.05),
            beside(arm[0], arm[1], 1, 0.5),
            beside(arm[0], arm[1], 1, 1.0),
            beside(arm[0], arm[1], -1, 1.0),
            beside(arm[0], arm[1], -1, 0.5),
            beside(arm[0], arm[1], -1, 0.05),
            beside(cuff[0], cuff[1], -1, 0.6),
            beside(cuff[0], cuff[1], -1, 0.05),
            beside(knuckle["little"], cuff[0], -1, 0.45),
            outer(knuckle["little"], 50),
            outer(knuckle["little"], 5),
            outer(knuckle["ring"], 15),
            outer(knuckle["ring"], -12),
            outer(knuckle["middle"], 15),
            outer(knuckle["middle"], -15),
            knuckle["index"][0] + (middle_joint["index"][0] - knuckle["index"][0]) * 0.3,
            (knuckle["index"][0] + beside(thumb[1], thumb[2], 1, 0.45)) / 2,
            beside(thumb[1], thumb[2], 1, 0.6),
            beside(thumb[2], thumb[3], 1, 0.5),
            thumb[3][0] + (tip + across) * diagonal * thumb[3][1],
        ]
    )
    return smooth(_on_edge(points, _soft_mask(rendered)))


INSIDE = (23, 24)
"""Points of rest_of_hand that lie under or beside the index finger, where there is no edge to go to."""
REACH = 16


def _soft_mask(rendered: footage.Rendered) -> Array:
    """Alpha of the whole hand, lightly smoothed and continued beyond the picture."""
    soft = cv2.GaussianBlur(rendered.hand.astype(np.float32) / 255, (0, 0), 1.0)
    return cv2.copyMakeBorder(soft, REACH, REACH, REACH, REACH, cv2.BORDER_REPLICATE)


def _on_edge(points: Array, mask: Array) -> Array:
    """Points moved along their outward normals to where alpha is one half, where that is near."""
    chord = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
    normal = np.stack([chord[:, 1], -chord[:, 0]], axis=1) / np.linalg.norm(chord, axis=1, keepdims=True)
    turning = np.sum(points[:, 0] * np.roll(points[:, 1], -1) - points[:, 1] * np.roll(points[:, 0], -1))
    normal *= np.sign(turning)
    out = points.copy()
    steps = np.arange(-REACH, REACH + 0.25, 0.25)
    for i in set(range(len(points))) - set(INSIDE):
        line = (points[i] + normal[i] * steps[:, None] - 0.5 + REACH).astype(np.float32)
        if not ((line >= 0) & (line < np.array(mask.shape[::-1]) - 1)).all():
            continue
        alpha = cv2.remap(mask, line[None, :, 0], line[None, :, 1], cv2.INTER_LINEAR)[0]
        falls = np.flatnonzero((alpha[:-1] >= 0.5) & (alpha[1:] < 0.5))
        if len(falls):
            out[i] = points[i] + normal[i] * steps[falls[np.argmin(np.abs(steps[falls]))]]
    return out
