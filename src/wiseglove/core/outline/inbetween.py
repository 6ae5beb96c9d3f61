"""In-betweening that keeps shape and is smooth in time.

From key to key the best similarity is taken out; its angle, its log scale and the pivot are interpolated
as such, the remainder point by point. All of them run smoothly through the neighbouring keys, so a turning finger neither
shrinks nor swims and does not stop at every key.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.similarity import turns_and_scales
from wiseglove.core.kept import kept
from wiseglove.core.outline.easing import cubic_progress

Ease = Literal["smooth", "linear", "hold", "curve"]
Array = NDArray[np.float64]
Channels = NDArray[np.complex128]
TURNED = 3
"""Pairs of a point that turn and scale with the outline: place, incoming and outgoing handle. Widths do not."""


@dataclass(frozen=True, eq=False)
class Animation:
    """Keys of one outline: frames (K,) rising, points (K, N, 6 or 8), the ease of each stretch to the next key.

    `pivot` is where the outline turns about, as a place at the first key; None is the mean of the points. `turns`
    (K,) are whole turns by hand on the way to the next key, on top of the shorter way round. `curves` (K, 4) are
    the control points x1, y1, x2, y2 of stretches whose ease is "curve".
    """

    frames: Array
    points: Array
    eases: tuple[Ease, ...]
    pivot: tuple[float, float] | None = None
    turns: tuple[int, ...] = ()
    curves: Array | None = None

    def __post_init__(self) -> None:
        if len(self.frames) == 0:
            raise ValueError("an animation needs at least one key")
        if len(self.frames) != len(self.points) or len(self.frames) != len(self.eases):
            raise ValueError("frames, points and eases must be as many")
        if (np.diff(self.frames) <= 0).any():
            raise ValueError("key frames must rise")

    @kept
    def all_smooth(self) -> bool:
        """Whether no stretch has an ease of its own."""
        return set(self.eases) <= {"smooth"}

    @kept
    def channels(self) -> Channels:
        """(K, 2 + pairs * N): pivot, log scale + i angle, then the shape with both taken out."""
        z = _complex(self.points)
        count, pairs, points = z.shape
        centre = z[:, 0].mean(axis=1)
        z[:, 0] -= centre[:, None]
        # Handle ends weigh as much as points: an ellipse of four points turns by its handles too.
        whole = np.concatenate([z[:, 0], z[:, 0] + z[:, 1], z[:, 0] + z[:, 2]], axis=1)
        steps = turns_and_scales(whole[:-1], whole[1:])
        if self.turns:
            steps += 2j * np.pi * np.array(self.turns[: count - 1])
        turn = np.concatenate([[0j], np.cumsum(steps)])
        offset = 0j if self.pivot is None else complex(*self.pivot) - centre[0]
        pivot = centre + np.exp(turn) * offset
        z[:, 0] += (centre - pivot)[:, None]
        z[:, :TURNED] *= np.exp(-turn)[:, None, None]
        return np.concatenate([pivot[:, None], turn[:, None], z.reshape(count, pairs * points)], axis=1)

    @kept
    def tangents(self) -> Channels:
        """Change of each channel by frame at each key."""
        frames, values = self.frames, self.channels
        count = len(frames)
        widths = np.diff(frames)[:, None]
        slopes = np.diff(values, axis=0) / widths
        local = np.empty_like(values)
        local[0], local[-1] = slopes[0], slopes[-1]
        if count > 2:
            # Slope of the parabola through three keys: what Barry & Goldman 1988 give at a knot of a
            # non-uniform Catmull-Rom spline whose knots are the frames.
            w0, w1 = widths[:-1], widths[1:]
            local[1:-1] = (slopes[:-1] * w1 + slopes[1:] * w0) / (w0 + w1)
        resting = _still(self) | np.array([ease == "hold" for ease in self.eases[:-1]])
        touched = np.zeros(count, bool)
        touched[:-1] |= resting
        touched[1:] |= resting
        local[touched] = 0.0  # no overshoot next to a rest
        tangents = local.copy()
        if count > 2:
            # One step (Jacobi's) towards the spline whose bend is continuous too, from its equations for the
            # tangents (de Boor 1978, ch. IV; free ends): a key still reaches no farther than its neighbours' neighbours.
            tangents[1:-1] = (3 * (w1 * slopes[:-1] + w0 * slopes[1:]) - w1 * local[:-2] - w0 * local[2:]) / (
                2 * (w0 + w1)
            )
            tangents[0], tangents[-1] = 1.5 * slopes[0] - 0.5 * local[1], 1.5 * slopes[-1] - 0.5 * local[-2]
            tangents[touched] = 0.0
        return tangents


def in_between(animation: Animation, times: Array) -> Array:
    """The outline at each time (T,), which may be fractional; returns (T, N, 6 or 8).

    Exact at the keys; before the first and after the last key the nearest key holds.
    """
    keys, frames = animation.points, animation.frames
    times = np.minimum(np.maximum(np.asarray(times, np.float64), frames[0]), frames[-1])
    if len(frames) == 1:
        return np.repeat(keys, len(times), axis=0)
    out = _put_similarity_back(_at(animation, times), keys.shape[1])
    np.maximum(out[..., 2 * TURNED :], 0.0, out=out[..., 2 * TURNED :])
    nearest = frames.searchsorted(times)
    on_key = frames[nearest] == times
    if on_key.any():  # a key's own numbers, to the last bit: whoever changes one point of it changes no other
        out[on_key] = keys[nearest[on_key]]
    return out


def pivots(animation: Animation, times: Array) -> Array:
    """Where the outline turns about at each time (T,): (T, 2)."""
    frames = animation.frames
    times = np.clip(np.asarray(times, np.float64), frames[0], frames[-1])
    values = animation.channels[:1, 0].repeat(len(times)) if len(frames) == 1 else _at(animation, times)[:, 0]
    return np.stack([values.real, values.imag], axis=1)


def _complex(keys: Array) -> Channels:
    """(K, N, 2P) as P pairs of numbers: (K, P, N)."""
    return np.stack([keys[..., 2 * j] + 1j * keys[..., 2 * j + 1] for j in range(keys.shape[2] // 2)], axis=1)


def _put_similarity_back(channels: Channels, points: int) -> Array:
    z = channels[:, 2:].reshape(len(channels), -1, points)
    z[:, :TURNED] *= np.exp(channels[:, 1])[:, None, None]
    z[:, 0] += channels[:, 0][:, None]
    # Real and imaginary parts lie beside each other, as the pairs of a point do.
    return np.ascontiguousarray(z.transpose(0, 2, 1)).view(np.float64)


def _still(animation: Animation) -> NDArray[np.bool_]:
    """Which stretches (K - 1,) have the same shape at both ends: they must not move in between."""
    same = np.abs(np.diff(animation.points, axis=0)).max(axis=(1, 2)) < 1e-9
    turned = np.array(animation.turns[: len(same)], bool) if animation.turns else np.zeros(len(same), bool)
    return np.asarray(same & ~turned)


def _at(animation: Animation, times: Array) -> Channels:
    frames, values, tangents = animation.frames, animation.channels, animation.tangents
    at = np.minimum(np.maximum(frames.searchsorted(times, side="right") - 1, 0), len(frames) - 2)
    w = (frames[at + 1] - frames[at])[:, None]
    u = (times - frames[at])[:, None] / w
    out: Channels = (
        values[at] * ((1 + 2 * u) * (1 - u) ** 2)
        + values[at + 1] * (u * u * (3 - 2 * u))
        + tangents[at] * (w * u * (1 - u) ** 2)
        - tangents[at + 1] * (w * u * u * (1 - u))
    )
    if animation.all_smooth:
        return out
    kinds = np.array(animation.eases)[at]
    for kind in set(kinds) - {"smooth"}:
        rows = kinds == kind
        share = u[rows]
        if kind == "hold":
            share = np.floor(share)
        elif kind == "curve" and animation.curves is not None:
            share = cubic_progress(animation.curves[at[rows]], share[:, 0])[:, None]
        out[rows] = values[at[rows]] * (1 - share) + values[at[rows] + 1] * share
    return out
