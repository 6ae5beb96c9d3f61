"""A line that follows the edge in a picture between two places: the least-cost path.

Mortensen & Barrett 1995, "Intelligent scissors for image composition": pixels are nodes, cheap where the picture
has an edge; Dijkstra's tree from the last anchor gives the best path to wherever the pointer is. Buckets keep the
queue in order (Dial 1969), and the tree grows only as far as it has been asked for.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.outline.edges import averaged, gradients, seen_at

Array = NDArray[np.float64]
LEAST, MOST = 20, 60
"""Cost of a pixel on the clearest edge around, and of one without any: a detour three times as long is the most."""
SURROUNDINGS = 61
STRAIGHT, SLANTED = 5, 7
BUCKETS = 1 << 10
"""More than the cost of any one step, MOST * SLANTED."""
REACH = 420
"""How far from its anchor a trace can get, in pixels."""
BLUR = 1.2


def edge_costs(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """What a pixel of an RGB picture costs a trace, (H, W): little on the crest of an edge that is strong for its
    surroundings, so that faint edges in the dark count as well as bright ones."""
    strength = np.log1p(gradients(cv2.GaussianBlur(picture, (0, 0), BLUR).astype(np.float32)))
    share = np.clip(strength / (cv2.dilate(strength, np.ones((SURROUNDINGS, SURROUNDINGS), np.uint8)) + 0.1), 0.0, 1.0)
    crest = strength >= 0.92 * cv2.dilate(strength, np.ones((3, 3), np.uint8))
    costs = LEAST + (MOST - LEAST) * (1.0 - share) ** 2
    costs[~crest] = np.minimum(costs[~crest] * 1.3 + 1.0, MOST)
    return np.asarray(np.round(costs), np.uint8)


@nb.njit(cache=True)
def _grow(costs, far, back, after, before, heads, state, target):  # type: ignore[no-untyped-def]
    """Grow the tree until the target is settled. state: present distance, cells in the queue, and the settled flag."""
    rows, columns = costs.shape
    while state[1] > 0 and far[target] >= 0:
        bucket = state[0] & (BUCKETS - 1)
        cell = heads[bucket]
        if cell < 0:
            state[0] += 1
            continue
        heads[bucket] = after[cell]
        if after[cell] >= 0:
            before[after[cell]] = -1
        state[1] -= 1
        own = state[0]
        far[cell] = -2 - own  # settled; the distance is kept in the sign
        row, column = cell // columns, cell % columns
        for way in range(8):
            dr, dc = _WAYS[way, 0], _WAYS[way, 1]
            r, c = row + dr, column + dc
            if r < 0 or c < 0 or r >= rows or c >= columns:
                continue
            other = r * columns + c
            if far[other] < -1:
                continue
            step = SLANTED if dr != 0 and dc != 0 else STRAIGHT
            distance = own + costs[r, c] * step
            if far[other] <= distance:
                continue
            if far[other] < UNSEEN:
                if before[other] >= 0:
                    after[before[other]] = after[other]
                else:
                    heads[far[other] & (BUCKETS - 1)] = after[other]
                if after[other] >= 0:
                    before[after[other]] = before[other]
                state[1] -= 1
            far[other] = distance
            back[other] = way
            slot = distance & (BUCKETS - 1)
            after[other] = heads[slot]
            before[other] = -1
            if heads[slot] >= 0:
                before[heads[slot]] = other
            heads[slot] = other
            state[1] += 1


_WAYS = np.array([[-1, -1], [-1, 0], [-1, 1], [0, -1], [0, 1], [1, -1], [1, 0], [1, 1]], np.int64)
UNSEEN = 1 << 30


class Room:
    """Memory for a tree, to be used again: fresh memory costs more than the searching."""

    def __init__(self, cells: int = (2 * REACH + 1) ** 2) -> None:
        self.far = np.zeros(cells, np.int32)
        self.back = np.zeros(cells, np.int8)
        self.after, self.before = np.zeros(cells, np.int32), np.zeros(cells, np.int32)
        self.heads = np.zeros(BUCKETS, np.int32)


class Tree:
    """All best paths from an anchor, in a window around it; grown as far as they are asked for."""

    def __init__(self, costs: NDArray[np.uint8], anchor: tuple[float, float], room: Room | None = None) -> None:
        """costs (H, W) of a whole picture; the anchor in its pixels (the first pixel's centre is 0.5, 0.5).

        A `room` that was used before makes the tree in no time; the tree that was in it is lost.
        """
        height, width = costs.shape
        column, row = (int(np.clip(v, 0, most - 1)) for v, most in zip(anchor, (width, height), strict=True))
        self._left, self._top = max(column - REACH, 0), max(row - REACH, 0)
        self._costs = np.ascontiguousarray(costs[self._top : row + REACH + 1, self._left : column + REACH + 1])
        cells = self._costs.size
        held = room if room is not None and len(room.far) >= cells else Room(cells)
        self._far, self._back = held.far[:cells], held.back[:cells]
        self._after, self._before, self._heads = held.after, held.before, held.heads
        self._far[:], self._back[:], self._heads[:] = UNSEEN, -1, -1
        root = (row - self._top) * self._costs.shape[1] + column - self._left
        self._far[root], self._heads[0] = 0, root
        self._after[root] = self._before[root] = -1
        self._state = np.array([0, 1], np.int64)

    def path(self, place: tuple[float, float]) -> Array:
        """Pixel centres from the anchor to a place (brought into the window where it lies outside), (M, 2)."""
        rows, columns = self._costs.shape
        column = int(np.clip(place[0] - self._left, 0, columns - 1))
        row = int(np.clip(place[1] - self._top, 0, rows - 1))
        target = row * columns + column
        _grow(self._costs, self._far, self._back, self._after, self._before, self._heads, self._state, target)
        found = _walk(self._back, target, columns)
        return np.stack([found % columns + self._left + 0.5, found // columns + self._top + 0.5], axis=1)[::-1]


@nb.njit(cache=True)
def _walk(back, target, columns):  # type: ignore[no-untyped-def]
    count, cell = 1, target
    while back[cell] >= 0:
        cell -= _WAYS[back[cell], 0] * columns + _WAYS[back[cell], 1]
        count += 1
    out = np.empty(count, np.int64)
    cell = target
    for k in range(count):
        out[k] = cell
        if back[cell] >= 0:
            cell -= _WAYS[back[cell], 0] * columns + _WAYS[back[cell], 1]
    return out


def settled(line: Array, strength: NDArray[np.float32]) -> Array:
    """A traced line (M, 2) moved from pixel centres onto the crest of the edge, by parabolas across it, then calmed.

    strength (H, W) is what `edges.gradients` gives. The ends stay where they are.
    """
    if len(line) < 5:
        return line
    out = line.copy()
    ahead = averaged(line, 3)
    way = np.gradient(ahead, axis=0)
    normal = np.stack([-way[:, 1], way[:, 0]], axis=1) / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    offsets = np.arange(-2.0, 2.01, 1.0)
    seen = seen_at(strength, ahead[:, None] + normal[:, None] * offsets[:, None])
    best = np.clip(seen.argmax(axis=1), 1, len(offsets) - 2)
    rows = np.arange(len(line))
    before, here, after = seen[rows, best - 1], seen[rows, best], seen[rows, best + 1]
    bend = before - 2 * here + after
    shift = np.where(bend < -1e-6, 0.5 * (before - after) / np.where(bend < -1e-6, bend, 1.0), 0.0)
    moved = ahead + normal * (offsets[best] + np.clip(shift, -0.5, 0.5))[:, None]
    out[1:-1] = averaged(moved, 3)[1:-1]
    return out
