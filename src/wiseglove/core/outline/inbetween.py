"""In-betweening that keeps shape and is smooth in time.

From key to key the best similarity is taken out; its angle, its log scale and the centre are interpolated
as such, the remainder point by point. All of them run through the neighbouring keys by non-uniform
Catmull-Rom, so a turning finger neither shrinks nor swims and does not stop at every key.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.similarity import turn_and_scale

Ease = Literal["smooth", "linear", "hold"]
Array = NDArray[np.float64]


@dataclass(frozen=True)
class Animation:
    """Keys of one outline: frames (K,) rising, points (K, N, 6), the ease of each stretch to the next key."""

    frames: Array
    points: Array
    eases: tuple[Ease, ...]

    def __post_init__(self) -> None:
        if len(self.frames) == 0:
            raise ValueError("an animation needs at least one key")
        if len(self.frames) != len(self.points) or len(self.frames) != len(self.eases):
            raise ValueError("frames, points and eases must be as many")
        if (np.diff(self.frames) <= 0).any():
            raise ValueError("key frames must rise")


def in_between(animation: Animation, times: Array) -> Array:
    """The outline at each time (T,), which may be fractional; returns (T, N, 6).

    Exact at the keys; before the first and after the last key the nearest key holds.
    """
    keys, frames = animation.points, animation.frames
    count = len(frames)
    times = np.clip(np.asarray(times, np.float64), frames[0], frames[-1])
    if count == 1:
        return np.repeat(keys, len(times), axis=0)
    channels = _take_similarity_out(keys)
    values = _hermite(frames, channels, _still(keys), animation.eases, times)
    return _put_similarity_back(values, keys.shape[1])


def _complex(keys: Array) -> NDArray[np.complex128]:
    """(K, N, 6) as points, incoming and outgoing handle vectors, (K, 3, N)."""
    return np.stack([keys[..., 2 * j] + 1j * keys[..., 2 * j + 1] for j in range(3)], axis=1)


def _take_similarity_out(keys: Array) -> NDArray[np.complex128]:
    """Channels (K, 2 + 3N): centre, log scale + i angle, then the shape with both taken out."""
    z = _complex(keys)
    count = len(z)
    centre = z[:, 0].mean(axis=1)
    z[:, 0] -= centre[:, None]
    turn = np.zeros(count, np.complex128)
    # Handle ends weigh as much as points: an ellipse of four points turns by its handles too.
    whole = np.concatenate([z[:, 0], z[:, 0] + z[:, 1], z[:, 0] + z[:, 2]], axis=1)
    for k in range(1, count):
        angle, log_scale = turn_and_scale(whole[k - 1], whole[k])
        turn[k] = turn[k - 1] + log_scale + 1j * angle
    shape = z * np.exp(-turn)[:, None, None]
    return np.concatenate([centre[:, None], turn[:, None], shape.reshape(count, -1)], axis=1)


def _put_similarity_back(channels: NDArray[np.complex128], points: int) -> Array:
    z = channels[:, 2:].reshape(len(channels), 3, points) * np.exp(channels[:, 1])[:, None, None]
    z[:, 0] += channels[:, 0][:, None]
    return np.stack([z[:, j].real if part == 0 else z[:, j].imag for j in range(3) for part in (0, 1)], axis=-1)


def _still(keys: Array) -> NDArray[np.bool_]:
    """Which stretches (K - 1,) have the same shape at both ends: they must not move in between."""
    return np.asarray(np.abs(np.diff(keys, axis=0)).max(axis=(1, 2)) < 1e-9)


def _hermite(
    frames: Array,
    values: NDArray[np.complex128],
    still: NDArray[np.bool_],
    eases: tuple[Ease, ...],
    times: Array,
) -> NDArray[np.complex128]:
    count = len(frames)
    widths = np.diff(frames)
    slopes = np.diff(values, axis=0) / widths[:, None]
    tangents = np.empty_like(values)
    tangents[0], tangents[-1] = slopes[0], slopes[-1]
    if count > 2:
        # Slope of the parabola through three keys: what Barry & Goldman 1988 give at a knot of a
        # non-uniform Catmull-Rom spline whose knots are the frames.
        w0, w1 = widths[:-1, None], widths[1:, None]
        tangents[1:-1] = (slopes[:-1] * w1 + slopes[1:] * w0) / (w0 + w1)
    resting = still | np.array([ease == "hold" for ease in eases[:-1]])
    touched = np.zeros(count, bool)
    touched[:-1] |= resting
    touched[1:] |= resting
    tangents[touched] = 0.0  # no overshoot next to a rest

    at = np.clip(np.searchsorted(frames, times, side="right") - 1, 0, count - 2)
    u = ((times - frames[at]) / widths[at])[:, None]
    w = widths[at][:, None]
    smooth = (
        values[at] * (1 + 2 * u) * (1 - u) ** 2
        + values[at + 1] * u * u * (3 - 2 * u)
        + tangents[at] * w * u * (1 - u) ** 2
        - tangents[at + 1] * w * u * u * (1 - u)
    )
    linear = values[at] * (1 - u) + values[at + 1] * u
    held = np.where(u >= 1.0, values[at + 1], values[at])
    kind = np.array(eases)[at][:, None]
    return np.where(kind == "hold", held, np.where(kind == "linear", linear, smooth))
