"""What would do for a shadow, but is what covers right beside it."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.behind.distances import distance, nearest_of, steps_round

Picture = NDArray[np.float32]
LIKE = (1.0, 6.0)
"""Times the noise, and levels more, by which a neighbourhood's colour is off from that of the thing beside it at most."""
OTHERWISE = 16.0
"""Levels by which what is behind is another there than behind the thing beside it, at least."""
IN, REACH, LEAST = 3.0, 40.0, 30
"""Pixels inside from which the thing's colour is taken, how far from it pixels are joined at a time, and how many at least."""
FAR = 8
"""Pixels from the nearest place of a thing within which its other colours are looked for."""
_ROUND = steps_round(FAR // 2, FAR)
TURNS = 4
"""How often what was joined is looked on from."""


def join(solid: NDArray[np.bool_], dim: NDArray[np.bool_], frame: Picture, empty: Picture, noise: float) -> bool:
    """Add to what is solid (h, w), in place, those of the dim pixels (h, w) that look as it does right beside them; whether there are any.

    Dark skin before an orange key is the key in a shadow, by its colour. But it goes on beside the key, in the same colour before
    another one, and a shadow would not: it has another colour on what is otherwise.
    frame, empty: (h, w, 3), 0..255, what is seen and what is behind in the same light.
    """
    left, top, width, height = cv2.boundingRect((dim & ~solid).view(np.uint8))
    if not width * height or not solid.any():
        return False
    around = round(REACH) + 2
    part = tuple(slice(max(a - around, 0), a + n + around) for a, n in ((top, height), (left, width)))
    thing, dark = np.ascontiguousarray(solid[part]), np.ascontiguousarray(dim[part] & ~solid[part])
    calm = np.asarray(cv2.blur(frame[part], (3, 3)), np.float32)
    bare = np.ascontiguousarray(empty[part])
    joined = np.zeros_like(thing)
    for _ in range(TURNS):
        core = distance(thing) > IN
        if not core.any():
            break
        like = np.zeros_like(thing)
        most = np.float32(LIKE[0] * noise + LIKE[1])
        _alike(calm, bare, *nearest_of(core), core, distance(~core), dark, joined, most, _ROUND, like)
        closed = (cv2.morphologyEx(like.view(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8)) > 0) & dark
        count, labels, stats, _ = cv2.connectedComponentsWithStats(closed.view(np.uint8), connectivity=8)
        touches = np.zeros(count, bool)
        touches[labels[cv2.dilate(thing.view(np.uint8), np.ones((7, 7), np.uint8)) > 0]] = True
        touches &= stats[:, cv2.CC_STAT_AREA] >= LEAST
        touches[0] = False
        new = touches[labels]
        if not new.any():
            break
        thing |= new
        joined |= new
        dark &= ~new
    solid[part] |= joined
    return bool(joined.any())


@nb.njit(cache=True, nogil=True)
def _alike(frame, empty, labels, nearest, core, away, dark, joined, most, steps, out):  # type: ignore[no-untyped-def]
    """Which dark pixels (h, w) have the colour of a thing at its nearest place or `steps` from there, before something else; written into `out`."""
    h, w = dark.shape
    for y in range(h):
        for x in range(w):
            if not dark[y, x] or away[y, x] > np.float32(REACH):
                continue
            at = nearest[labels[y, x]]
            for k in range(len(steps)):
                v, u = at // w + steps[k, 1], at % w + steps[k, 0]
                if v < 0 or u < 0 or v >= h or u >= w or not core[v, u]:
                    continue
                off = other = np.float32(0)
                for c in range(3):
                    off = max(off, abs(frame[y, x, c] - frame[v, u, c]))
                    other = max(other, abs(empty[y, x, c] - empty[v, u, c]))
                if off < most and (joined[v, u] or other > np.float32(OTHERWISE)):
                    out[y, x] = True
                    break
