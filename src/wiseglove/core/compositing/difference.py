"""How different two colours look: CIEDE2000."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import decode

Array = NDArray[np.float64]
TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
"""Linear sRGB to CIE XYZ, white D65 (IEC 61966-2-1)."""
WHITE = TO_XYZ.sum(axis=1)


def lab(encoded: NDArray[np.float32] | Array) -> Array:
    """Display-encoded sRGB (..., 3) in 0..1 as CIE L*a*b* under D65."""
    xyz = decode(np.asarray(encoded, np.float64)) @ TO_XYZ.T / WHITE
    t = np.where(xyz > (6 / 29) ** 3, np.cbrt(xyz), xyz / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * t[..., 1] - 16, 500 * (t[..., 0] - t[..., 1]), 200 * (t[..., 1] - t[..., 2])], axis=-1)


def ciede2000(one: Array, other: Array) -> Array:
    """CIEDE2000 colour difference of L*a*b* colours (..., 3); as Sharma, Wu and Dalal 2005 write it down."""
    (l1, a1, b1), (l2, a2, b2) = np.moveaxis(one, -1, 0), np.moveaxis(other, -1, 0)
    mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = (np.degrees(np.arctan2(b, a)) % 360 for a, b in ((a1, b1), (a2, b2)))
    grey = c1 * c2 == 0
    turn = h2 - h1
    turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    turn = np.where(grey, 0, turn)
    dl, dc = l2 - l1, c2 - c1
    dh = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    far = np.abs(h1 - h2) > 180
    hm = np.where(grey, h1 + h2, np.where(far, (h1 + h2 + np.where(h1 + h2 < 360, 360, -360)) / 2, (h1 + h2) / 2))
    r = np.radians
    t = (
        1
        - 0.17 * np.cos(r(hm - 30))
        + 0.24 * np.cos(r(2 * hm))
        + 0.32 * np.cos(r(3 * hm + 6))
        - 0.20 * np.cos(r(4 * hm - 63))
    )
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    rt = -np.sin(r(60 * np.exp(-(((hm - 275) / 25) ** 2)))) * 2 * np.sqrt(cm**7 / (cm**7 + 25.0**7))
    return np.asarray(np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + rt * (dc / sc) * (dh / sh)))
