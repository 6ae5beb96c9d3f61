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

from wiseglove.core.geometry.bezier import Points
from wiseglove.core.outline.normals import normals_at

Array = NDArray[np.float64]
APART = 14.0
"""Distance of the nodes along the curve, in pixels; also how far one reaches to what lies between."""
MOST_NODES = 90
"""On a long outline they are farther apart."""
STIFF_REACH = 20.0
"""Over what distance nodes agree, in pixels: the two sides of a finger move together."""
STIFF = 1.0
"""How much neighbours agree, against one place on the edge a pixel off."""
ALONG = 0.005
"""How much a place would rather stay where it is along the curve."""
DOUBT_EDGE, DOUBT_FEATURE = 2.0, 1.0
"""Misfit in pixels at which a place on the edge, or a feature, counts half."""
ROUNDS = 3
EVERY = 2
"""Of the places along the edge every second counts, twice: neighbours know nearly the same."""
KEPT = 0.5
"""Share of what the outline was moved besides that stays, and at most how far, in pixels."""
FARTHEST = 1.0


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
        self._middle = places.mean(axis=0)
        steps = np.linalg.norm(np.diff(places, axis=0, append=places[:1]), axis=1)
        self._apart = max(APART, float(steps.sum()) / MOST_NODES)
        every = max(round(self._apart / max(float(np.median(steps)), 1e-6)), 1)
        self._nodes = places[::every] - self._middle
        self._edge = self._rows(places[::EVERY])
        self._points = self._shares(first[:, :2] - self._middle)
        self._agreement = self._neighbours()
        self._solved = np.tile([1.0, 0.0, 0.0, 0.0], (len(self._nodes), 1))

    def bend(self, places: Array, outward: Array, weight: Array, features: Found) -> None:
        """Bend it to where its edge was found (M, 2), across `outward` (M, 2) and by weight (M,), and to features inside it."""
        x, y = self._edge
        places, outward, weight = places[::EVERY] - self._middle, outward[::EVERY], EVERY * weight[::EVERY]
        edge, wanted = _across(x, y, outward), (places * outward).sum(axis=1)
        side = np.stack([-outward[:, 1], outward[:, 0]], axis=1)
        along = _across(x, y, side)
        matrix = STIFF * self._agreement + EVERY * ALONG * along.T @ along
        right = EVERY * ALONG * along.T @ (places * side).sum(axis=1)
        fx, fy = self._rows(features.first)
        # Features count both ways, x and y: one below the other they are rows like the edge's.
        rows, there = np.concatenate([edge, fx, fy]), features.now - self._middle
        target = np.concatenate([wanted, there[:, 0], there[:, 1]])
        count = len(edge)
        trust, trust_features = weight, np.full(len(there), features.weight)
        solved = self._solved.ravel()
        for _ in range(ROUNDS):
            heavy = rows * np.concatenate([trust, trust_features, trust_features])[:, None]
            solved = np.linalg.solve(matrix + rows.T @ heavy, right + heavy.T @ target)
            off = rows @ solved - target
            off_x, off_y = np.split(off[count:], 2)
            trust = weight / (1 + (off[:count] / DOUBT_EDGE) ** 2)
            trust_features = features.weight / (1 + (off_x**2 + off_y**2) / DOUBT_FEATURE**2)
        self._solved = solved.reshape(-1, 4)

    def outline(self, moved: Points, kept: float = KEPT) -> Points:
        """The bent outline (N, 8), with a share of what `moved` (N, 8) is off it, but never far."""
        real, imaginary, across, down = (self._points @ self._solved).T
        turn = real + 1j * imaginary
        first = self.first[:, :6:2] + 1j * self.first[:, 1:6:2]
        first[:, 0] -= complex(*self._middle)
        bent = turn[:, None] * first
        bent[:, 0] += across + 1j * down + complex(*self._middle)
        off = (moved[:, :6:2] + 1j * moved[:, 1:6:2]) - bent
        off[:, 0] *= np.minimum(1.0, FARTHEST / np.maximum(np.abs(off[:, 0]) * kept, 1e-9))
        bent += kept * off
        out = self.first.copy()
        out[:, :6:2], out[:, 1:6:2] = bent.real, bent.imag
        return out

    def _shares(self, places: Array) -> Array:
        """By how much places (M, 2) follow each node, (M, K); the nearest one always counts."""
        away = _squares(places, self._nodes)
        share = np.exp(-(away - away.min(axis=1, keepdims=True)) / (2 * self._apart**2))
        return np.asarray(share / share.sum(axis=1, keepdims=True))

    def _rows(self, places: Array) -> tuple[Array, Array]:
        """Where places (M, 2) of the first frame go, x and y, linear in four numbers of each node: (M, 4K) each."""
        here = places - self._middle
        share = self._shares(here)
        x, y = share * here[:, :1], share * here[:, 1:]
        none = np.zeros_like(share)
        shape = (len(places), 4 * len(self._nodes))
        across, down = (x, -y, share, none), (y, x, none, share)
        return np.stack(across, axis=2).reshape(shape), np.stack(down, axis=2).reshape(shape)

    def _neighbours(self) -> Array:
        """The normal matrix (4K, 4K) of nodes that would carry each other's places alike."""
        away = _squares(self._nodes, self._nodes)
        reach = STIFF_REACH * self._apart / APART
        one, other = np.nonzero((away < (2 * reach) ** 2) & (away > 0))
        weight = np.exp(-away[one, other] / (4 * reach**2))
        x, y = weight * self._nodes[other, 0], weight * self._nodes[other, 1]
        pairs, size = np.arange(len(one)), len(self._nodes)
        total = np.eye(4 * size) * 1e-9
        for parts in ((x, -y, weight, 0 * weight), (y, x, 0 * weight, weight)):
            rows = np.zeros((len(one), size, 4))
            for k, part in enumerate(parts):
                rows[pairs, one, k] += part
                rows[pairs, other, k] -= part
            flat = rows.reshape(len(one), -1)
            total += flat.T @ flat
        return total


def _across(x: Array, y: Array, way: Array) -> Array:
    return np.asarray(x * way[:, :1] + y * way[:, 1:])


def _squares(one: Array, other: Array) -> Array:
    return np.asarray(((one[:, None] - other[None]) ** 2).sum(axis=2))
