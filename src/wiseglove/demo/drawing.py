"""Outlines of the demo's glove laid on its truth at a handful of frames, as an artist would draw them."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.demo import footage, scene

Array = NDArray[Any]
SMOOTHNESS = 1 / 6
"""Handle length over the chord of a point's neighbours (Catmull-Rom as cubic Bezier)."""


def smooth(points: Array) -> Array:
    """A closed run of points (N, 2) as an outline with smooth points, (N, 6)."""
    chord = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
    before = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1)
    after = np.linalg.norm(points - np.roll(points, -1, axis=0), axis=1)
    share = np.stack([before, after], axis=1) / np.maximum(before + after, 1e-9)[:, None]
    reach = 2 * SMOOTHNESS * chord
    return np.concatenate([points, -reach * share[:, :1], reach * share[:, 1:]], axis=1)


def index_finger(frame: int) -> Array:
    """The index finger's outline at a frame (0-based): down one side, round the tip, up the other; (11, 6)."""
    hand, camera = scene.hand_at(frame), scene.camera_at(frame)
    joints, radii = hand.joints["index"]
    centres = camera.project(joints)
    sizes = radii / camera.depth(joints) * scene.FOCAL
    along = np.gradient(centres, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    side = np.stack([-along[:, 1], along[:, 0]], axis=1)
    left, right = centres + side * sizes[:, None], centres - side * sizes[:, None]
    diagonal = np.sqrt(0.5) * sizes[3]
    around = [
        centres[3] + diagonal * (side[3] + along[3]),
        centres[3] + sizes[3] * along[3],
        centres[3] + diagonal * (along[3] - side[3]),
    ]
    return smooth(np.concatenate([left, around, right[::-1]]))


def _others_mask(rendered: footage.Rendered) -> Array:
    """The hand without its index finger, reaching a little under it so that the two covers join."""
    others = np.minimum(sum(a.astype(int) for n, a in rendered.parts.items() if n != "index"), 255) > 127
    under = cv2.dilate(others.astype(np.uint8), np.ones((29, 29), np.uint8)) > 0
    return (others | (under & (rendered.parts["index"] > 127))).astype(np.uint8)


def rest_of_hand(frame: int, rendered: footage.Rendered) -> Array:
    """Outline of the hand without its index finger at a frame (0-based), (N, 6), the same N on every frame.

    The contour is cut at places that keep their meaning (thumb tip, index joint, both sides of the cuff, where
    the sleeve leaves the picture) and points are spread evenly between them.
    """
    contours, _ = cv2.findContours(_others_mask(rendered) * 255, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    contour = max(contours, key=len)[:, 0, :].astype(np.float64) + 0.5
    hand, camera = scene.hand_at(frame), scene.camera_at(frame)
    cuff = np.flatnonzero(hand.cloth == scene.KNIT)[0]
    axis = camera.project(np.stack([hand.start[cuff], hand.end[cuff]]))
    along = (axis[1] - axis[0]) / np.linalg.norm(axis[1] - axis[0])
    side = np.array([-along[1], along[0]]) * hand.end_radius[cuff] / camera.depth(hand.end[cuff]) * scene.FOCAL
    marks = np.stack(
        [
            camera.project(hand.joints["thumb"][0][3]),
            camera.project(hand.joints["index"][0][1]),
            camera.project(hand.joints["middle"][0][0]) + side * 0.2,
            axis[1] - side,
            axis[1] + side,
        ]
    )
    places = [int(np.argmin(np.linalg.norm(contour - m, axis=1))) for m in marks]
    order = sorted(range(len(marks)), key=lambda i: (places[i] - places[0]) % len(contour))
    counts = {0: 7, 1: 4, 2: 7, 3: 8, 4: 6}
    points = []
    for position, mark in enumerate(order):
        start = places[mark]
        end = places[order[(position + 1) % len(order)]]
        run = np.arange(start, end if end > start else end + len(contour))
        take = run[np.linspace(0, len(run), counts[mark], endpoint=False).astype(int)]
        points.append(contour[take % len(contour)])
    return smooth(np.concatenate(points))
