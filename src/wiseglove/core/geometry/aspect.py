"""The aspect of a real rectangle from how its corners are seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
LEAST = 1e-3
"""Perspective, as the share by which opposite sides differ, below which it tells nothing."""
NEAREST, FARTHEST = 0.3, 12.0
"""Focal lengths, in pictures' widths, between which an answer is believed."""


def aspect_of(corners: Array, width: float, height: float) -> tuple[float, bool]:
    """Width over height of a flat rectangle seen with corners (4, 2) on a picture of a size, and whether perspective told it.

    Zhang and He 2007, "Whiteboard scanning and image enhancement": with square pixels and the lens's axis in the
    picture's middle, the corners give focal length and aspect. Where there is too little perspective for that, the
    mean lengths of opposite sides are compared.
    """
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    plain = float((sides[0] + sides[2]) / max(sides[1] + sides[3], 1e-9))
    m1, m2, m4, m3 = (np.append(c - (width / 2, height / 2), 1.0) for c in corners)
    k2 = (np.cross(m1, m4) @ m3) / (np.cross(m2, m4) @ m3)
    k3 = (np.cross(m1, m4) @ m2) / (np.cross(m3, m4) @ m2)
    n2, n3 = k2 * m2 - m1, k3 * m3 - m1
    if abs(n2[2]) < LEAST or abs(n3[2]) < LEAST:
        return plain, False
    focal = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2])
    if not (NEAREST * width) ** 2 < focal < (FARTHEST * width) ** 2:
        return plain, False
    lengths = [np.sqrt((n[0] ** 2 + n[1] ** 2) / focal + n[2] ** 2) for n in (n2, n3)]
    return float(lengths[0] / lengths[1]), True
