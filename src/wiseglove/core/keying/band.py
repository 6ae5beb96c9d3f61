"""The soft edge of a matte solved anew from the picture's colours, for hair, fur and motion blur."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]
WIDTH = 3
"""Pixels by which the band is wider than what is neither fully in nor fully out."""
TRUST = 0.03
"""How much the key's own matte counts against the colours' evidence."""
EVEN = 1e-5
"""Regularisation of the colour lines of small windows."""
AROUND = 4
"""Pixels around the band that are looked at too."""


def band_of(alpha: Picture) -> NDArray[np.bool_]:
    """Where a matte (h, w) is soft, a little wider."""
    soft = ((alpha > 0.02) & (alpha < 0.98)).astype(np.uint8)
    side = 2 * WIDTH + 1
    return np.asarray(cv2.dilate(soft, np.ones((side, side), np.uint8)) > 0)


def solved_in_band(picture: Picture, alpha: Picture) -> Picture:
    """A matte (h, w) whose soft band is solved in closed form from a picture (h, w, 3; linear), the rest as it is.

    The matting Laplacian of Levin, Lischinski and Weiss 2008 ("A closed-form solution to natural image matting") from
    pymatting; the key's matte is a soft constraint in the band and a hard one outside. The first call on a machine
    compiles what is used of it, which takes some seconds.
    """
    from wiseglove.core.keying.closed_form import cf_laplacian, cg, ichol

    unknown = band_of(alpha)
    if not unknown.any() or unknown.all():
        return alpha
    rows, columns = np.flatnonzero(unknown.any(axis=1)), np.flatnonzero(unknown.any(axis=0))
    here = (
        slice(max(int(rows[0]) - AROUND, 0), int(rows[-1]) + AROUND + 1),
        slice(max(int(columns[0]) - AROUND, 0), int(columns[-1]) + AROUND + 1),
    )
    seen = np.clip(picture[here], 0, 1).astype(np.float64)
    wanted = unknown[here].ravel()
    own = alpha[here].astype(np.float64).ravel()
    lines = cf_laplacian(seen, EVEN, 1, ~wanted)[wanted, :]
    inner, outer = lines[:, wanted], lines[:, ~wanted]
    inner.setdiag(inner.diagonal() + TRUST)
    found = cg(inner, TRUST * own[wanted] - outer.dot(np.round(own[~wanted])), M=ichol(inner.tocsc()))
    out = alpha.copy()
    part = out[here].ravel()
    part[wanted] = np.clip(found, 0, 1)
    out[here] = part.reshape(seen.shape[:2])
    return out
