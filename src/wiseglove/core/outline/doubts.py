"""How a whole figure's outline is doubted, stretch by stretch: its signs and their products, weighed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.looks import logistic

Array = NDArray[np.float64]
MEANS = (-2.08, -2.09, -0.83, 0.13, -1.71, 0.86, -0.43, 0.04, 3.4, 5.21)
SPREADS = (0.64, 0.62, 0.44, 0.16, 0.43, 0.16, 0.33, 0.2, 0.69, 0.43)
"""Of the signs: six of how the edge looks (`Signs`), the logarithm of how far the matte's edge is, whether an edge was missed, and
the logarithms of the stretch's length and of the root of the figure's area."""
ADDED, ADDED_UNKNOWN = -1.747, -1.977
ALONE = (0.649, 1.422, -0.273, -0.148, -0.278, -0.842, 0.528, 0.017, -0.562, 0.76)
TOGETHER = (
    (-0.425, -0.215, -0.005, 0.099, 0.069, -0.068, -0.149, 0.013, -0.155, -0.243),
    (0.085, 0.138, -0.118, 0.205, -0.115, 0.121, -0.036, 0.193, -0.058),
    (0.13, 0.342, -0.116, 0.234, 0.194, 0.119, 0.048, 0.215),
    (0.276, -0.054, 0.016, 0.069, -0.039, 0.077, -0.189),
    (-0.018, 0.068, -0.07, -0.205, 0.03, 0.041),
    (-0.12, 0.055, 0.053, -0.17, -0.138),
    (0.006, 0.105, 0.057, 0.056),
    (0.004, 0.035, 0.007),
    (-0.286, -0.06),
    (-0.137,),
)
"""What is added, so that a tenth of the good stretches of all of these has a doubt of a half, and weights of each sign and of its product
with itself and those after it: logistic regression on the gardener before the panel (as rendered, with grain and in JPEG, and four and
two tenths the size in stronger JPEG) and on three others (white before louvres, in a robe before a bare wall, filmed by hand); each of
these, and both classes in it, counted alike. She before leaves and one who is far off were kept aside, but for what is added where nothing is
known behind: there a tenth is of the rendered gardener, before both backs, and the three others."""


def doubt_of_whole(signs: Array, known: bool) -> Array:
    """Doubt 0..1 of each of N stretches by its signs (N, 10), in the order of MEANS; known: whether what is behind it is.

    A sign weighs by what the others say: colours that differ tell little on a short stretch, and much on a long one.
    """
    told = (signs - MEANS) / SPREADS
    weighed = (ADDED if known else ADDED_UNKNOWN) + told @ np.array(ALONE)
    for i, weights in enumerate(TOGETHER):
        weighed = weighed + told[:, i] * (told[:, i:] @ np.array(weights))
    return logistic(weighed)
