"""Least-squares similarities between point sets, in complex notation.

A point (x, y) is x + iy; a turn by a and a scaling by s is a product with s e^(ia).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex128]

ALIKE = 0.2
"""Below this correlation two shapes are so unlike that no turn between them means anything."""


def turn_and_scale(source: Complex, target: Complex) -> tuple[float, float]:
    """Angle (radians, -pi..pi) and log scale that best take centred points (N,) onto others.

    The least-squares solution without reflection (Umeyama 1991, eq. 40-42), which in the plane is the
    argument and the modulus of sum(conj(a) b) / sum(|a|^2). Shapes that are points, or unlike each other
    (mirrored, say), give (0, 0): nothing is turned rather than something wrong.
    """
    cross = np.vdot(source, target)
    size_source = float(np.vdot(source, source).real)
    size_target = float(np.vdot(target, target).real)
    if min(size_source, size_target) < 1e-12 or abs(cross) < ALIKE * np.sqrt(size_source * size_target):
        return 0.0, 0.0
    return float(np.angle(cross)), float(np.log(abs(cross) / size_source))
