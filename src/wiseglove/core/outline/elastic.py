"""An outline that bends like something elastic: the shape it had on one frame, moved on by similarities that differ from place to place.

Nodes along the curve each have a similarity of their own; what lies between follows them by its distance. They are the least-squares
solution for where the edge and the features inside were found, and for neighbours that agree, as in embedded
deformation (Sumner, Schmid & Pauly 2007), but in the plane and with similarities, for which it is linear. Places that
do not fit are believed less (Cauchy's weights, iterated), so one wrong stretch of an edge does not bend the outline.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.distance import cdist

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.normals import SPACING, normals_at
from wiseglove.core.outline.rows import Rows, joined, solved

Array = NDArray[np.float64]
APART = 14.0
"""Distance of the nodes along the curve, in pixels; also how far one reaches to what lies between."""
MOST_NODES = 64
"""On a long outline they are farther apart."""
STIFF_REACH = 20.0
"""Over what distance nodes agree, in pixels: the two sides of a finger move together."""
STIFF = 1.0
"""How much neighbours agree, against one place on the edge a pixel off."""
ALONG = 0.005
"""How much a place would rather stay where it is along the curve."""
DOUBT_EDGE, DOUBT_FEATURE = 2.0, 1.0
"""Misfit in pixels at which a place on the edge, or a feature, counts half."""
NEAREST = 8
NEXT_TO_NOTHING = 2e-3
"""How many nodes a place follows at most, and what share of the nearest one's counts for nothing."""
ROUNDS = 3
CLOSE = 4.0
"""Of places nearer together than this, in pixels, some count for the others too: neighbours know nearly the same.
Normals at their usual distance count once each."""
KEPT = 0.5
"""Share of what the outline was moved besides that stays, and at most how far, in pixels."""
FARTHEST = 1.0
_RIGHT, _DOWN = np.array([[1.0, 0.0]]), np.array([[0.0, 1.0]])


@dataclass(frozen=True)
class Found:
    """Where things were found: (M, 2) each of their places on the first frame and on this one, and how much each counts."""

    first: Array
    now: Array
    weight: float


class Elastic:
    """How one outline bends from its first frame, sampled at places on its segments."""

    def __init__(self, first: Points, segment: NDArray[np.int64], t: Array) -> None:
        """first: the outline (N, 8) on its first frame; segment, t (M,): where its edge is looked at."""
        self.first, self.segment, self.t = first, segment, t
        places = normals_at(first, segment, t).places
        steps = np.linalg.norm(np.diff(places, axis=0, append=places[:1]), axis=1)
        self._apart = max(APART, float(steps.sum()) / MOST_NODES)
        step = max(float(np.median(steps)), 1e-6)
        every = max(round(self._apart / step), 1)
        self._few = slice(None, None, max(round(CLOSE / step), 1))
        self._times = self._few.step * step / SPACING
        self._nodes = places[::every]
        self._edge = self._nearest(places[self._few])
        self._points = self._nearest(first[:, :2])
        self._agreement = self._neighbours()
        self._turn = np.ones(len(self._nodes), np.complex128)
        self._place = self._nodes[:, 0] + 1j * self._nodes[:, 1]

    def bend(self, places: Array, outward: Array, weight: Array, features: Found) -> None:
        """Bend it to where its edge was found (M, 2), across `outward` (M, 2) and by weight (M,), and to features inside it."""
        places, outward, weight = places[self._few], outward[self._few], self._times * weight[self._few]
        side = np.stack([-outward[:, 1], outward[:, 0]], axis=1)
        matrix, right = STIFF * self._agreement, np.zeros((len(self._agreement), 1))
        lazy = np.full(len(places), self._times * ALONG)
        self._edge.rows(side).add(lazy, (places * side).sum(axis=1)[:, None], matrix, right)
        # Features count both ways, x and y: one below the other they are rows like the edge's.
        near = self._nearest(features.first)
        rows = joined(self._edge.rows(outward), near.rows(_RIGHT), near.rows(_DOWN))
        wanted = np.concatenate([(places * outward).sum(axis=1), features.now[:, 0], features.now[:, 1]])
        trust, trust_features = weight, np.full(len(features.now), features.weight)
        for _ in range(ROUNDS):
            total, there = matrix.copy(), right.copy()
            rows.add(np.concatenate([trust, trust_features, trust_features]), wanted[:, None], total, there)
            found = solved(total, there)[:, 0]
            off = rows.times(found) - wanted
            off_x, off_y = np.split(off[len(places) :], 2)
            trust = weight / (1 + (off[: len(places)] / DOUBT_EDGE) ** 2)
            trust_features = features.weight / (1 + (off_x**2 + off_y**2) / DOUBT_FEATURE**2)
        real, imaginary, x, y = found.reshape(-1, 4).T
        self._turn, self._place = real + 1j * imaginary, x + 1j * y

    def outline(self, moved: Points, kept: float = KEPT) -> Points:
        """The bent outline (N, 8), with a share of what `moved` (N, 8) is off it, but never far."""
        node, share = self._points.node, self._points.share
        turn = (share * self._turn[node]).sum(axis=1)
        bent = turn[:, None] * (self.first[:, :6:2] + 1j * self.first[:, 1:6:2])
        away = self._points.away[..., 0] + 1j * self._points.away[..., 1]
        bent[:, 0] = (share * (self._turn[node] * away + self._place[node])).sum(axis=1)
        off = (moved[:, :6:2] + 1j * moved[:, 1:6:2]) - bent
        off[:, 0] *= np.minimum(1.0, FARTHEST / np.maximum(np.abs(off[:, 0]) * kept, 1e-9))
        bent += kept * off
        out = self.first.copy()
        out[:, :6:2], out[:, 1:6:2] = bent.real, bent.imag
        return out

    def _nearest(self, places: Array) -> _Near:
        """What places (M, 2) of the first frame follow; the nearest node always counts."""
        squares = cdist(places, self._nodes, "sqeuclidean")
        count = min(NEAREST, len(self._nodes))
        node = np.sort(np.argpartition(squares, count - 1, axis=1)[:, :count], axis=1)
        squares = np.take_along_axis(squares, node, axis=1)
        share = np.exp(-(squares - squares.min(axis=1, keepdims=True)) / (2 * self._apart**2))
        share[share < NEXT_TO_NOTHING] = 0.0
        return _Near(node, share / share.sum(axis=1, keepdims=True), places[:, None] - self._nodes[node])

    def _neighbours(self) -> Array:
        """The normal matrix (4K, 4K) of nodes that would carry each other's places alike."""
        squares = cdist(self._nodes, self._nodes, "sqeuclidean")
        reach = STIFF_REACH * self._apart / APART
        one, other = np.nonzero((squares < (2 * reach) ** 2) & (squares > 0))
        weight = np.exp(-squares[one, other] / (2 * reach**2))
        first, second = np.minimum(one, other), np.maximum(one, other)
        node, share = np.stack([first, second], axis=1), np.tile([1.0, -1.0], (len(one), 1))
        near = _Near(node, share, self._nodes[other][:, None] - self._nodes[node])
        size = 4 * len(self._nodes)
        total = np.eye(size) * 1e-9
        for way in (_RIGHT, _DOWN):
            near.rows(way).add(weight, np.zeros((len(one), 1)), total, np.zeros((size, 1)))
        return total


@dataclass(frozen=True)
class _Near:
    """The nodes that places follow (M, W), by what shares (M, W), and how far from each (M, W, 2) they were."""

    node: NDArray[np.int64]
    share: Array
    away: Array

    def rows(self, way: Array) -> Rows:
        """Where the places go, seen along `way` (M, 2) or (1, 2): linear in the turn and place, four numbers, of each node."""
        x, y = self.away[..., 0], self.away[..., 1]
        right, down = way[:, :1], way[:, 1:]
        parts = x * right + y * down, x * down - y * right, right, down
        factor = np.stack([self.share * part for part in parts], axis=2)
        unknown = 4 * self.node[:, :, None] + np.arange(4)
        shape = len(self.node), 4 * self.node.shape[1]
        return Rows(unknown.reshape(shape), factor.reshape(shape))
