"""A carrier's motion over time: where four places of its reference are on every frame, and what rides on that.

Quads are the carrier's four base corners as seen on a frame, (4, 2) plate pixels. A motion is evaluated from quads,
so in-betweens, bridges and corrections all move places of the picture, never matrix entries.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import is_convex, quad_to_quads
from wiseglove.core.kept import kept

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Motion:
    """Quads (T, 4, 2) of the frames first, first + 1 ...; `base` (4, 2) is the quad at the reference."""

    base: Array
    first: int
    quads: Array

    @property
    def last(self) -> int:
        """The last frame."""
        return self.first + len(self.quads) - 1

    def matrices(self, times: Array) -> Array:
        """Homographies (T, 3, 3) from the reference to fractional frames; the end frames hold beyond the ends."""
        at = np.clip(np.asarray(times, np.float64) - self.first, 0, len(self.quads) - 1)
        low = np.minimum(np.floor(at).astype(int), len(self.quads) - 1)
        out: Array = self._of_frames[low]
        off = low != at
        if off.any():
            out[off] = homographies(self.base, _between(self.quads, low[off], (at - low)[off]))
        return out

    @kept
    def _of_frames(self) -> Array:
        """The homographies of the frames themselves, made once for all that rides."""
        return homographies(self.base, self.quads)

    def carry(self, times: Array, points: Array) -> Array:
        """Points (T, N, 8) of the reference as they are seen at times (T,): places and handles; edges keep their width."""
        return moved(self.matrices(times), points)

    def between(self, one: int, two: int) -> Array:
        """How the picture goes from one frame to another, (3, 3)."""
        before, after = self.matrices(np.array([one, two], np.float64))
        return np.asarray(after @ np.linalg.inv(before), np.float64)

    def back(self, time: float, points: Array) -> Array:
        """Points (N, 8) seen at a time, as they are at the reference."""
        inverse = np.asarray(np.linalg.inv(self.matrices(np.array([time]))), np.float64)
        return np.asarray(moved(inverse, points[None])[0])


def _between(quads: Array, low: NDArray[np.int64], share: Array) -> Array:
    """Catmull-Rom through the neighbouring frames."""
    last = len(quads) - 1
    a, b = quads[np.maximum(low - 1, 0)], quads[low]
    c, d = quads[np.minimum(low + 1, last)], quads[np.minimum(low + 2, last)]
    t = share[:, None, None]
    return np.asarray(b + t * ((c - a) / 2 + t * ((2 * a - 5 * b + 4 * c - d) / 2 + t * (3 * (b - c) + d - a) / 2)))


def homographies(base: Array, quads: Array) -> Array:
    """The homographies (T, 3, 3) that take base (4, 2) to quads (T, 4, 2); a quad that folds over is taken by an affine fit."""
    out = quad_to_quads(base, quads)
    for i, quad in enumerate(quads):
        if not is_convex(quad):
            out[i] = _affine(base, quad)
    return out


def _affine(base: Array, quad: Array) -> Array:
    """What takes base to a quad (4, 2) as well as an affine motion can; a shift where even that cannot be told."""
    out = np.eye(3)
    linear, _ = cv2.estimateAffine2D(base.astype(np.float32), quad.astype(np.float32), method=cv2.LMEDS)
    if linear is None:
        out[:2, 2] = quad.mean(0) - base.mean(0)
    else:
        out[:2] = linear
    return out


def moved(matrices: Array, points: Array) -> Array:
    """Points (T, N, 8) moved by homographies (T, 3, 3); handles go with their ends, soft edges keep their width."""
    out = np.array(points, np.float64)
    place = applied(matrices, points[..., 0:2])
    out[..., 0:2] = place
    for k in (2, 4):
        handle = points[..., k : k + 2]
        if np.any(handle):
            out[..., k : k + 2] = applied(matrices, points[..., 0:2] + handle) - place
    return out


def applied(matrices: Array, places: Array) -> Array:
    """Places (T, N, 2) under homographies (T, 3, 3)."""
    x, y = places[..., 0], places[..., 1]
    m = matrices[:, :, :, None]
    away = m[:, 2, 0] * x + m[:, 2, 1] * y + m[:, 2, 2]
    across = m[:, 0, 0] * x + m[:, 0, 1] * y + m[:, 0, 2]
    down = m[:, 1, 0] * x + m[:, 1, 1] * y + m[:, 1, 2]
    return np.stack([across / away, down / away], axis=-1)


def smoothed(known: dict[int, Array], radius: int) -> dict[int, Array]:
    """Quads (4, 2) by frame without jitter: in each run of frames, a parabola fitted over `radius` frames to either side.

    Savitzky and Golay 1964; at a run's ends its last parabola goes on. Runs too short for one stay as they are.
    """
    from scipy import signal  # takes a second to load, and most motions are not smoothed

    out = dict(known)
    frames = sorted(known)
    runs = np.split(np.array(frames), np.flatnonzero(np.diff(frames) > 1) + 1) if frames else []
    for run in runs:
        window = min(2 * radius + 1, (len(run) - 1) // 2 * 2 + 1)
        if window >= 5:
            quads = signal.savgol_filter(np.stack([known[int(f)] for f in run]), window, 2, axis=0)
            out.update({int(f): quad for f, quad in zip(run, quads, strict=True)})
    return out


def path(
    frames: range, known: dict[int, Array], by_hand: dict[int, Array], eases: Mapping[int, str] | None = None
) -> Array:
    """Quads (T, 4, 2) on all frames: what is known where it is known, else a bridge through what was set by hand.

    A bridge is a cubic Hermite curve: it meets the known stretches at both ends in place and in speed, and passes its
    stitches with the slope of their neighbours (Catmull-Rom for uneven steps). Beyond the first and the last known
    frame without a stitch, the motion stands still. eases: how stitches go on; `linear` straight and `hold` not at all.
    """
    stitches = {**by_hand, **{f: q for f, q in known.items() if f not in by_hand}}
    if not stitches:
        raise ValueError("nothing is known of this motion")
    order = np.array(sorted(stitches))
    places = np.stack([stitches[f] for f in order])
    slopes = _slopes(order.astype(np.float64), places, np.array([f in known for f in order]))
    out = np.empty((len(frames), 4, 2))
    wanted = np.arange(frames.start, frames.stop)
    at = np.clip(np.searchsorted(order, wanted, side="right") - 1, 0, max(len(order) - 2, 0))
    for row, (frame, i) in enumerate(zip(wanted, at, strict=True)):
        if frame <= order[0]:
            out[row] = places[0]
        elif frame >= order[-1]:
            out[row] = places[-1]
        elif (ease := (eases or {}).get(int(order[i]))) == "hold":
            out[row] = places[i]
        else:
            span = float(order[i + 1] - order[i])
            t = (frame - order[i]) / span
            if ease == "linear":
                out[row] = places[i] + (places[i + 1] - places[i]) * t
                continue
            out[row] = (
                places[i] * (1 + 2 * t) * (1 - t) ** 2
                + places[i + 1] * t * t * (3 - 2 * t)
                + slopes[i] * span * t * (1 - t) ** 2
                - slopes[i + 1] * span * t * t * (1 - t)
            )
    return out


def _slopes(times: Array, places: Array, known: NDArray[np.bool_]) -> Array:
    """Change of place a frame at each stitch; at the end of a known stretch, the stretch's own speed there."""
    if len(times) == 1:
        return np.zeros_like(places)
    steps = np.diff(times)[:, None, None]
    speeds = np.diff(places, axis=0) / steps
    out = np.empty_like(places)
    out[0], out[-1] = speeds[0], speeds[-1]
    out[1:-1] = (speeds[:-1] * steps[1:] + speeds[1:] * steps[:-1]) / (steps[:-1] + steps[1:])
    for i in range(1, len(times) - 1):
        if known[i] and known[i - 1] and steps[i - 1, 0, 0] == 1 and steps[i, 0, 0] > 1:
            out[i] = speeds[i - 1]
        elif known[i] and known[i + 1] and steps[i, 0, 0] == 1 and steps[i - 1, 0, 0] > 1:
            out[i] = speeds[i]
    return out
