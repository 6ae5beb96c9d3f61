"""The demo's footage with its exact mattes, and pictures of one known edge, for what follows the picture."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from scipy.spatial import cKDTree
from skimage.measure import find_contours

from tests.e2e.stage import ROOT
from wiseglove.core.geometry.fitting import evened, fit_closed
from wiseglove.core.outline.edges import linear_light, seen_at
from wiseglove.core.outline.normals import normals_at, normals_of
from wiseglove.core.outline.snap import stretch_between
from wiseglove.demo.install import MOVIE, read_truth

FOOTAGE = ROOT / ".run" / "footage"
STEPS = 0.8
"""Smoothing of a matte against the steps of its moments, in pixels; a circle of 20 px keeps its place to 0.03 px."""
MUCH = 60
"""Pixels of a line from which it is measured."""
VISIBLE = 3.0
"""Difference of the two sides of an edge, in roots of linear light (0..16), from which an eye sees it."""


def plates() -> list[np.ndarray]:
    """All frames of the demo's movie, RGB."""
    movie = cv2.VideoCapture(str(FOOTAGE / MOVIE))
    frames = []
    while True:
        there, picture = movie.read()
        if not there:
            return frames
        frames.append(cv2.cvtColor(picture, cv2.COLOR_BGR2RGB))


class AtHand:
    """A plate of pictures (h, w, 3) that are at hand, from frame 0 on, as a view reads it."""

    def __init__(self, plates: Sequence[np.ndarray] | np.ndarray) -> None:
        self._plates = plates
        self.first, self.last, self.size = 0, len(plates) - 1, plates[0].shape[1::-1]

    def missing(self, frame: int) -> bool:
        """None is."""
        return False

    def read(self, frame: int) -> np.ndarray:
        """A frame's picture."""
        return self._plates[frame]


def edge_of(alpha: np.ndarray) -> shapely.MultiLineString:
    """Where a matte (H, W, 0..255) is half covered."""
    return shapely.MultiLineString(half_covered(alpha))


def half_covered(alpha: np.ndarray) -> list[np.ndarray]:
    """The lines (M, 2) on which a matte is half covered, longest first.

    The matte is the mean of ten moments, so a moving edge falls in ten steps, and half of it is a whole step wide: which
    of its two ends a contour at one half takes is left to rounding. Smoothed by STEPS it runs in the middle.
    """
    smooth = cv2.GaussianBlur(alpha.astype(np.float64), (0, 0), STEPS)
    return sorted((c[:, ::-1] + 0.5 for c in find_contours(smooth, 127.5)), key=len, reverse=True)


def line_distance(matte: np.ndarray, true: np.ndarray, counts: np.ndarray) -> float | None:
    """Mean distance in pixels, both ways, between the lines on which two mattes (H, W, 0..255) are half covered.

    counts (H, W): where a line counts at all. None where there are less than MUCH pixels of the true one.
    """
    found, wanted = (np.concatenate([np.zeros((0, 2)), *half_covered(m)]) for m in (matte, true))
    seen = [
        p[counts[tuple(np.clip(p[:, k].astype(int), 0, counts.shape[1 - k] - 1) for k in (1, 0))]]
        for p in (found, wanted)
    ]
    if len(seen[1]) < MUCH or not len(found):
        return None
    ways = [cKDTree(b).query(a)[0].mean() for a, b in ((seen[0], wanted), (seen[1], found)) if len(a)]
    return float(np.mean(ways))


def fitted(alpha: np.ndarray, tolerance: float) -> tuple[np.ndarray, list[str]]:
    """The largest part of a matte as an outline, and the kinds of its points."""
    found = fit_closed(evened(half_covered(alpha)[0][:-1], 1.0), tolerance)
    return found.points, ["free" if corner else "smooth" for corner in found.corners]


@dataclass(frozen=True)
class Stretch:
    """Five neighbouring points of the hand's outline on a frame, along an edge that can be seen."""

    frame: int
    points: np.ndarray
    kinds: list[str]
    chosen: list[int]
    truth: shapely.MultiLineString


def stretches(frames: list[np.ndarray]) -> Iterator[Stretch]:
    """All such stretches on every sixth frame, wholly in the picture."""
    for frame in range(12, 96, 6):
        hand = read_truth(FOOTAGE, frame).hand
        points, kinds = fitted(hand, 1.0)
        truth, count = edge_of(hand), len(points)
        light = np.sqrt(linear_light(frames[frame], 1.0) + 1)
        for start in range(0, count, 4):
            chosen = [(start + k) % count for k in range(5)]
            inside = [10 < points[i, 0] < 1270 and 10 < points[i, 1] < 710 for i in chosen]
            along = normals_of(points, stretch_between(count, chosen))
            sides = [seen_at(light, along.places + d * along.outward) for d in (4.0, -4.0)]
            seen = np.linalg.norm(sides[0] - sides[1], axis=1) > VISIBLE
            if all(inside) and seen.mean() > 0.9:
                yield Stretch(frame, points, kinds, chosen, truth)


def off(truth: shapely.Geometry, places: np.ndarray) -> float:
    """Mean distance of places from the true edge, in pixels."""
    return float(shapely.distance(truth, shapely.points(places)).mean())


@dataclass(frozen=True)
class Edges:
    """The true edges on one frame: of all that is one colour there, and of the part that an outline is for."""

    whole: shapely.Geometry
    part: shapely.Geometry

    def errors(self, points: np.ndarray, first: np.ndarray, then: Edges) -> np.ndarray:
        """As `off`, without the segments."""
        return self.off(points, first, then)[0]

    def off(self, points: np.ndarray, first: np.ndarray, then: Edges) -> tuple[np.ndarray, np.ndarray]:
        """How far an outline (N, 8) is from the part's true edge, in pixels, at places a pixel apart along it; and their segments.

        `first` and `then` are the outline and the edges on the frame that it was carried on from. Left out is what lies
        at the border of the picture, where there was no edge on that frame (where the outline was cut off), and where
        the nearest edge is hidden inside the whole: there is nothing to be right or wrong about.
        """
        along = normals_of(points, list(range(len(points))), 1.0)
        before = shapely.points(normals_at(first, along.segment, along.t).places)
        places = shapely.points(along.places)
        nearest = shapely.get_coordinates(shapely.shortest_line(places, self.part)).reshape(-1, 2, 2)[:, 1]
        counts = _well_inside(along.places) & _well_inside(nearest) & (shapely.distance(then.part, before) < 3)
        counts &= shapely.distance(self.whole, shapely.points(nearest)) < 1.5
        return np.asarray(shapely.distance(self.part, places))[counts], along.segment[counts]


def _well_inside(places: np.ndarray) -> np.ndarray:
    return np.asarray(((places > 8) & (places < [1272, 712])).all(axis=1))
