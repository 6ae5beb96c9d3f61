"""How a whole figure's outline is doubted, stretch by stretch: its signs and their products, weighed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.looks import logistic

Array = NDArray[np.float64]
MEANS = (-2.08, -2.1, -0.74, 0.11, -1.6, 0.88, -0.43, 0.03, 3.41)
SPREADS = (0.62, 0.6, 0.44, 0.15, 0.44, 0.14, 0.34, 0.16, 0.7)
"""Of the signs: six of how the edge looks (`Signs`), the logarithm of how far the matte's edge is, whether an edge was missed, and
the logarithm of the stretch's length."""
ADDED = -3.155
ALONE = (0.299, 2.224, 0.088, 0.122, -1.017, -1.344, 0.363, -0.021, -0.292)
TOGETHER = (
    (-0.042, -0.365, -0.184, 0.144, 0.036, 0.424, 0.176, -0.197, -1.001),
    (-0.115, -0.117, -0.272, 0.633, -0.408, -0.163, 0.224, 0.836),
    (1.021, 0.448, -0.968, -0.063, 0.086, -0.247, 0.035),
    (0.214, 0.006, -0.041, 0.003, -0.072, 0.023),
    (0.101, 0.475, 0.06, 0.371, 0.103),
    (-0.298, 0.035, -0.176, -0.119),
    (-0.003, 0.207, 0.241),
    (-0.004, -0.035),
    (-0.26,),
)
"""Weights of each sign, and of its product with itself and those after it: logistic regression on the gardener before the panel, as
rendered, with grain and in JPEG, and four tenths the size in stronger JPEG; both classes counted alike. She before leaves was kept aside."""


def doubt_of_whole(signs: Array) -> Array:
    """Doubt 0..1 of each of N stretches by its signs (N, 9), in the order of MEANS.

    A sign weighs by what the others say: colours that differ tell little on a short stretch, and much on a long one.
    """
    told = (signs - MEANS) / SPREADS
    weighed = ADDED + told @ np.array(ALONE)
    for i, weights in enumerate(TOGETHER):
        weighed = weighed + told[:, i] * (told[:, i:] @ np.array(weights))
    return logistic(weighed)
