"""The face of a pane: rounded corners, bowed edges and glass, a soft border. In the unit square of its corners."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import apply

Array = NDArray[np.float64]
ARC, SIDE = 8, 16
"""Pieces that a rounded corner and a side are drawn in."""


@dataclass(frozen=True)
class Face:
    """radius: of the corners, as a share of the shorter side (0..0.5). bow: how much the glass bulges (above 0) or is
    hollow, -0.5..0.5. edges: by what share of a side's length its middle stands out, -0.2..0.2. soft: width of the
    border over which it fades inwards, plate px. aspect: the real width over the height.
    """

    radius: float = 0.0
    bow: float = 0.0
    edges: float = 0.0
    soft: float = 0.0
    aspect: float = 1.0

    @property
    def square(self) -> bool:
        """Whether its border is that of its four corners, straight and hard."""
        return self.radius == 0 and self.edges == 0 and self.soft == 0

    @property
    def flat(self) -> bool:
        """Whether the insert lies on it as on a flat rectangle."""
        return self.bow == 0 and self.edges == 0


PLAIN = Face()


def ring(face: Face) -> Array:
    """The border in the unit square, (N, 2), clockwise on the picture from the top left."""
    rx = face.radius * min(1.0, 1 / face.aspect)
    ry = face.radius * min(1.0, face.aspect)
    places = []
    turns = np.linspace(0, np.pi / 2, ARC + 1) if face.radius > 0 else np.zeros(1)
    middles = ((rx, ry), (1 - rx, ry), (1 - rx, 1 - ry), (rx, 1 - ry))
    for quarter, (cx, cy) in enumerate(middles):
        angles = np.pi + quarter * np.pi / 2 + turns
        places.append(np.stack([cx + rx * np.cos(angles), cy + ry * np.sin(angles)], axis=1))
        if face.edges:
            following = middles[(quarter + 1) % 4]
            end = np.pi + quarter * np.pi / 2 + np.pi / 2
            a = np.array([cx + rx * np.cos(end), cy + ry * np.sin(end)])
            b = np.array([following[0] + rx * np.cos(end), following[1] + ry * np.sin(end)])
            share = np.linspace(0, 1, SIDE + 1)[1:-1, None]
            places.append(a + (b - a) * share)
    straight = np.concatenate(places)
    return _bowed_out(straight, face.edges)


def _bowed_out(places: Array, edges: float) -> Array:
    """Places of the unit square where the edges bow out: each coordinate is stretched about its middle."""
    u, v = places[..., 0], places[..., 1]
    wide, tall = 1 + 2 * edges * 4 * v * (1 - v), 1 + 2 * edges * 4 * u * (1 - u)
    return np.stack([0.5 + (u - 0.5) * wide, 0.5 + (v - 0.5) * tall], axis=-1)


def outline(face: Face, unit: Array) -> Array:
    """The border as an outline (N, 8) without handles where `unit` (3, 3) takes the unit square, soft inwards."""
    places = apply(unit, ring(face))
    points = np.zeros((len(places), 8))
    points[:, :2] = places
    points[:, 6] = face.soft
    return points


def on_insert(face: Face, places: Array) -> Array:
    """Which place of the insert (0..1) is seen at places (..., 2) of the unit square."""
    u, v = places[..., 0], places[..., 1]
    if face.edges:
        a, b = np.clip(u, 0, 1), np.clip(v, 0, 1)
        u = 0.5 + (u - 0.5) / (1 + 2 * face.edges * 4 * b * (1 - b))
        v = 0.5 + (v - 0.5) / (1 + 2 * face.edges * 4 * a * (1 - a))
    if face.bow:
        x, y = 2 * u - 1, 2 * v - 1
        pull = 1 - face.bow * (1 - (x * x + y * y) / 2)  # 1 in the corners, which stay where they are
        u, v = 0.5 + x * pull / 2, 0.5 + y * pull / 2
    return np.stack([u, v], axis=-1)
