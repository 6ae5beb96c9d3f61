"""Least-squares similarities between point sets, in complex notation.

A point (x, y) is x + iy; a turn by a and a scaling by s is a product with s e^(ia).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex128]

ALIKE = 0.2
"""Below this correlation two shapes are so unlike that no turn between them means anything."""


def turns_and_scales(sources: Complex, targets: Complex) -> Complex:
    """Log scales + i angles (radians, -pi..pi) that best take sets of centred points (K, N) onto others: (K,).

    The least-squares solution without reflection (Umeyama 1991, eq. 40-42), which in the plane is the
    argument and the modulus of sum(conj(a) b) / sum(|a|^2). Shapes that are points, or unlike each other
    (mirrored, say), give 0: nothing is turned rather than something wrong.
    """
    cross = np.einsum("kn,kn->k", sources.conj(), targets)
    size_source = (np.abs(sources) ** 2).sum(axis=1)
    size_target = (np.abs(targets) ** 2).sum(axis=1)
    means = (np.minimum(size_source, size_target) >= 1e-12) & (
        np.abs(cross) >= ALIKE * np.sqrt(size_source * size_target)
    )
    ratio = np.divide(cross, size_source, out=np.ones(len(cross), np.complex128), where=means)
    return np.asarray(np.log(ratio), np.complex128)
