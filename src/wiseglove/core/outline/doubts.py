"""How a whole figure's outline is doubted, stretch by stretch: its signs and their products, weighed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.looks import logistic

Array = NDArray[np.float64]
MEANS = (-2.03, -2.03, -0.81, 0.13, -1.72, 0.86, -0.43, 0.02, 3.35, 5.05)
SPREADS = (0.63, 0.61, 0.45, 0.15, 0.45, 0.15, 0.33, 0.16, 0.7, 0.54)
"""Of the signs: six of how the edge looks (`Signs`), the logarithm of how far the matte's edge is, whether an edge was missed, and
the logarithms of the stretch's length and of the root of the figure's area."""
ADDED, ADDED_UNKNOWN = -2.76, -2.955
ALONE = (0.481, 2.108, -0.401, 0.262, -0.645, -1.063, 0.375, -0.094, -0.219, 1.157)
TOGETHER = (
    (-0.227, -0.142, -0.092, 0.154, 0.502, 0.343, 0.178, 0.185, -0.888, -0.463),
    (-0.108, -0.173, -0.372, 0.112, -0.396, -0.151, -0.143, 0.727, -0.084),
    (0.462, 0.31, -0.28, -0.218, -0.001, -0.356, 0.232, 0.603),
    (0.143, 0.127, -0.14, -0.008, -0.063, 0.075, 0.116),
    (0.086, 0.395, 0.055, 0.426, -0.058, -0.302),
    (-0.267, -0.029, -0.171, -0.108, 0.018),
    (-0.076, 0.211, 0.166, 0.132),
    (-0.016, -0.036, 0.129),
    (-0.268, -0.097),
    (-0.125,),
)
"""What is added, so that a tenth of the good stretches of all but the smallest has a doubt of a half, and weights of each sign and of its product with itself
and those after it: logistic regression on the gardener before the panel, as rendered, with grain and in JPEG, and four and two tenths
the size in stronger JPEG; both classes counted alike. She before leaves was kept aside."""


def doubt_of_whole(signs: Array, known: bool) -> Array:
    """Doubt 0..1 of each of N stretches by its signs (N, 10), in the order of MEANS; known: whether what is behind it is.

    A sign weighs by what the others say: colours that differ tell little on a short stretch, and much on a long one.
    """
    told = (signs - MEANS) / SPREADS
    weighed = (ADDED if known else ADDED_UNKNOWN) + told @ np.array(ALONE)
    for i, weights in enumerate(TOGETHER):
        weighed = weighed + told[:, i] * (told[:, i:] @ np.array(weights))
    return logistic(weighed)
