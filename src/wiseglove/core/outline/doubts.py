"""How a whole figure's outline is doubted, stretch by stretch: its signs and their products, weighed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.looks import logistic

Array = NDArray[np.float64]
MEANS = (-2.09, -2.09, -0.83, 0.13, -1.71, 0.86, -0.43, 0.03, 3.39, 5.22)
SPREADS = (0.64, 0.62, 0.44, 0.16, 0.43, 0.16, 0.33, 0.18, 0.7, 0.43)
"""Of the signs: six of how the edge looks (`Signs`), the logarithm of how far the matte's edge is, whether an edge was missed, and
the logarithms of the stretch's length and of the root of the figure's area."""
ADDED, ADDED_UNKNOWN = -1.808, -1.866
ALONE = (0.655, 1.236, -0.37, -0.243, -0.133, -0.989, 0.519, 0.006, -0.57, 0.777)
TOGETHER = (
    (-0.306, -0.169, -0.029, 0.102, 0.048, -0.118, -0.217, -0.02, -0.176, -0.213),
    (0.054, 0.149, -0.174, 0.156, -0.049, 0.227, -0.108, 0.059, -0.109),
    (0.177, 0.38, -0.086, 0.27, 0.153, 0.146, 0.069, 0.187),
    (0.235, -0.079, 0.017, 0.079, 0.044, 0.024, -0.032),
    (-0.173, 0.132, 0.015, -0.238, 0.13, 0.082),
    (-0.173, 0.034, 0.031, -0.248, -0.006),
    (-0.015, 0.099, 0.059, 0.114),
    (0.002, 0.092, -0.051),
    (-0.259, -0.06),
    (-0.125,),
)
"""What is added, so that a tenth of the good stretches of all of these has a doubt of a half, and weights of each sign and of its product
with itself and those after it: logistic regression on the gardener before the panel (as rendered, with grain and in JPEG, and four and
two tenths the size in stronger JPEG) and on three others (white before louvres, in a robe before a bare wall, filmed by hand); each of
these, and both classes in it, counted alike. She before leaves and one who is far off were kept aside."""


def doubt_of_whole(signs: Array, known: bool) -> Array:
    """Doubt 0..1 of each of N stretches by its signs (N, 10), in the order of MEANS; known: whether what is behind it is.

    A sign weighs by what the others say: colours that differ tell little on a short stretch, and much on a long one.
    """
    told = (signs - MEANS) / SPREADS
    weighed = (ADDED if known else ADDED_UNKNOWN) + told @ np.array(ALONE)
    for i, weights in enumerate(TOGETHER):
        weighed = weighed + told[:, i] * (told[:, i:] @ np.array(weights))
    return logistic(weighed)
