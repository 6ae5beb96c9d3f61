"""Changes of which points an outline has and how its handles run, on all of its keys at once."""

from __future__ import annotations

import numpy as np

from wiseglove.core.geometry.bezier import Points, stretch_of
from wiseglove.core.geometry.fitting import fit_one


def remove_points(keys: Points, indices: list[int]) -> Points:
    """Take points out of every key, keys (K, N, 8); each gap is fitted anew, on every key by itself.

    The cubic over a gap begins and ends in the directions in which the curve did and is the least-squares one
    to the curve before (Schneider 1990). Raises ValueError when fewer than three points would be left.
    """
    count = keys.shape[1]
    gone = set(indices)
    kept = [i for i in range(count) if i not in gone]
    if len(kept) < 3:
        raise ValueError("an outline needs at least three points")
    out = keys[:, kept].copy()
    for place, index in enumerate(kept):
        following = kept[(place + 1) % len(kept)]
        if (index + 1) % count == following:
            continue
        for k, key in enumerate(keys):
            cubic = fit_one(stretch_of(key, index, following))
            out[k, place, 4:6] = cubic[1] - cubic[0]
            out[k, (place + 1) % len(kept), 2:4] = cubic[2] - cubic[3]
    return out


def round_points(keys: Points, indices: list[int], roundness: float) -> Points:
    """Give points handles along the chord of their neighbours, roundness thirds of the way to each of them.

    keys (K, N, 8); 0 makes corners, 1 is the tangent of a Catmull-Rom spline, more is fuller.
    """
    out = keys.copy()
    for index in indices:
        here = keys[:, index, :2]
        before, after = keys[:, index - 1, :2], keys[:, (index + 1) % keys.shape[1], :2]
        chord = after - before
        direction = chord / np.maximum(np.linalg.norm(chord, axis=-1, keepdims=True), 1e-9)
        for columns, neighbour, sign in ((slice(2, 4), before, -1.0), (slice(4, 6), after, 1.0)):
            reach = np.linalg.norm(neighbour - here, axis=-1, keepdims=True) * roundness / 3
            out[:, index, columns] = sign * direction * reach
    return out


def mirror(keys: Points, centres: Points, across: bool) -> Points:
    """The keys (K, N, 8) mirrored about vertical lines through centres (K, 2), or across: about horizontal ones."""
    out = keys.copy()
    axis = 1 if across else 0
    out[..., axis] = 2 * centres[:, None, axis] - out[..., axis]
    out[..., [2 + axis, 4 + axis]] *= -1
    return out
