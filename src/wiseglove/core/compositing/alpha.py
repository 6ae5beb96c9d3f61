"""How a picture's alpha is meant: whether its colours hold it already."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

Kind = Literal["straight", "premultiplied"]
FEWEST = 40
"""Pixels that are covered in part, of each kind, from which colours tell anything."""
OVER = 1.02
"""Colour over alpha that a premultiplied picture does not have, but for rounding."""
HALFWAY = 0.65
"""Ratio of thin pixels' colours to dense ones' between 1, straight, and about 0.33, premultiplied."""


def kind_of(picture: NDArray[Any]) -> Kind:
    """Whether the colours of an encoded picture (h, w, 4) are multiplied by its alpha; straight where nothing tells it.

    A premultiplied colour is never above its alpha, and gets darker where that gets thinner; a straight one does not.
    """
    top = float(np.iinfo(picture.dtype).max) if picture.dtype.kind == "u" else 1.0
    alpha = picture[..., 3].astype(np.float32) / top
    brightest = picture[..., :3].max(2).astype(np.float32) / top
    partly = (alpha > 0.05) & (alpha < 0.95)
    if (brightest[partly] > alpha[partly] * OVER + 2 / 255).mean() > 0.005 if partly.any() else False:
        return "straight"
    thin, dense = (alpha > 0.1) & (alpha < 0.4), (alpha > 0.6) & (alpha < 0.95)
    if thin.sum() < FEWEST or dense.sum() < FEWEST:
        return "straight"
    ratio = float(np.median(brightest[thin])) / max(float(np.median(brightest[dense])), 1e-6)
    return "premultiplied" if ratio < HALFWAY and float(np.median(brightest[dense])) > 4 / 255 else "straight"
