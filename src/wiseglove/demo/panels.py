"""Renders shots of one flat thing before a hand-held camera, with its exact motion as truth.

A shot is a handful of functions of time (frames from the first one, fractional): where the flat thing is, what
passes in front, how the light changes, what is mirrored. Each frame is the mean of sub-frames over the shutter,
each with its own place within the pixel, so motion blur and antialiasing are what a camera would record.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.motion.path import homographies
from wiseglove.demo import scene

Array = NDArray[Any]
SUBFRAMES = 12


@dataclass(frozen=True)
class Front:
    """Something flat that passes before the panel: premultiplied linear RGBA and its corners on a 720p plate."""

    texture: Array
    corners: Callable[[float], Array]


@dataclass(frozen=True)
class Panel:
    """A shot. All plate coordinates are those of a 1280x720 plate; `scale` enlarges it.

    texture: premultiplied linear RGBA (h, w, 4) laid on the rectangle `size` (metres) of the plane.
    pose: the plane's place in the world. camera: world to camera. screen: half width and height of the glass.
    light: (gain, slope x, slope y, step across, where the step lies in 0..1 of the width) at a time.
    shutter: share of a frame's time for which light is gathered.
    mirrored: what the glass reflects, linear (h, w), shifted by `sliding` texels, seen only inside `glass` (h, w).
    """

    name: str
    frames: int
    texture: Array
    size: tuple[float, float]
    back: Array
    pose: Callable[[float], scene.Plane]
    camera: Callable[[float], scene.Camera]
    screen: tuple[float, float] = (scene.SCREEN[0] / 2, scene.SCREEN[1] / 2)
    middle: tuple[float, float] = (0.0, 0.0)
    front: Front | None = None
    light: Callable[[float], tuple[float, float, float, float, float]] = lambda time: (1.0, 0.0, 0.0, 0.0, 0.5)
    mirrored: Array | None = None
    sliding: Callable[[float], tuple[float, float]] = lambda time: (0.0, 0.0)
    glass: Array | None = None
    scale: float = 1.0
    grain: float = 1.0
    shutter: float = scene.SHUTTER

    @property
    def plate_size(self) -> tuple[int, int]:
        """Width and height of the plate in pixels."""
        return round(scene.WIDTH * self.scale), round(scene.HEIGHT * self.scale)

    def seen(self, time: float, u: Array, v: Array) -> Array:
        """Points of the plane (metres from its middle) in plate pixels."""
        return self.camera(time).project(self.pose(time).at(u, v)) * self.scale

    def corners(self, time: float, half: tuple[float, float] | None = None) -> Array:
        """The glass's corners (or those of another rectangle about the middle) in plate pixels, (4, 2)."""
        a, b = half or self.screen
        u, v = self.middle
        return self.seen(time, np.array([u - a, u + a, u + a, u - a]), np.array([v - b, v - b, v + b, v + b]))


@dataclass(frozen=True)
class Taken:
    """A frame: encoded 8-bit plate (h, w, 3), alpha of what passes in front (h, w) 8-bit, the glass's corners."""

    plate: NDArray[np.uint8]
    front: NDArray[np.uint8]
    corners: Array


def take(shot: Panel, index: int) -> Taken:
    """Frame `index` (0-based) of a shot; the same each time."""
    width, height = shot.plate_size
    total = np.zeros((height, width, 3), np.float32)
    hidden = np.zeros((height, width), np.float32)
    for number in range(SUBFRAMES):
        time = index + ((number + 0.5) / SUBFRAMES - 0.5) * shot.shutter
        jitter = ((0.5 + number * 0.7548776662) % 1 - 0.5, (0.5 + number * 0.5698402910) % 1 - 0.5)
        _lay_all(shot, time, jitter, total, hidden)
    plate = _developed(total / SUBFRAMES, shot, index)
    return Taken(plate, np.round(hidden * (255 / SUBFRAMES)).astype(np.uint8), shot.corners(index))


def still(shot: Panel, time: float) -> Array:
    """What a shot shows at a time without what passes in front, linear and without grain, (h, w, 3) float32."""
    width, height = shot.plate_size
    total = np.zeros((height, width, 3), np.float32)
    for number in range(SUBFRAMES):
        jitter = ((0.5 + number * 0.7548776662) % 1 - 0.5, (0.5 + number * 0.5698402910) % 1 - 0.5)
        _lay_all(replace(shot, front=None), time, jitter, total, np.zeros((height, width), np.float32))
    return np.asarray(total / SUBFRAMES, np.float32)


def _lay_all(shot: Panel, time: float, jitter: tuple[float, float], total: Array, hidden: Array) -> None:
    picture = _backdrop(shot, time)
    half_w, half_h = shot.size[0] / 2, shot.size[1] / 2
    u, v = np.array([-half_w, half_w, half_w, -half_w]), np.array([-half_h, -half_h, half_h, half_h])
    inverse = _plate_to_texture(shot.texture.shape, shot.seen(time, u, v), jitter)
    mirrored = shot.mirrored if shot.mirrored is not None else np.zeros((1, 1), np.float32)
    glass = shot.glass if shot.glass is not None else np.zeros((1, 1), np.float32)
    _lay(picture, shot.texture, inverse, np.array(shot.light(time)), mirrored, np.array(shot.sliding(time)), glass)
    if shot.front is not None:
        corners = shot.front.corners(time) * shot.scale
        inverse = _plate_to_texture(shot.front.texture.shape, corners, jitter)
        _cover(picture, hidden, shot.front.texture, inverse)
    total += picture


def _backdrop(shot: Panel, time: float) -> Array:
    height, width = shot.back.shape[:2]
    half = 4.2 / scene.FOCAL * scene.WIDTH / 2 * 1.25
    plane = scene.Plane(np.array([0, 0, 4.2]), np.array([1.0, 0, 0]), np.array([0, 1.0, 0]))
    tall = half * height / width
    corners = np.stack([plane.at(su * half, sv * tall) for su, sv in ((-1, -1), (1, -1), (1, 1), (-1, 1))])
    inverse = _plate_to_texture(shot.back.shape, shot.camera(time).project(corners) * shot.scale, (0.0, 0.0))
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return cv2.warpPerspective(shot.back, inverse, shot.plate_size, flags=flags, borderMode=cv2.BORDER_REPLICATE)


def _plate_to_texture(shape: tuple[int, ...], corners: Array, jitter: tuple[float, float]) -> Array:
    """Homography from plate pixel indices to texture indices (centres of both at whole numbers)."""
    height, width = shape[:2]
    texels = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64) - 0.5
    return np.asarray(homographies(corners - 0.5 - np.array(jitter), texels[None])[0])


@nb.njit(cache=True, nogil=True, fastmath=True)
def _place_in(texture, inverse, x, y):  # type: ignore[no-untyped-def]
    """Where a plate pixel lies in a texture (u, v); u is negative where it lies outside or behind."""
    w = inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 2]
    if w <= 0:
        return -1.0, -1.0
    u = (inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]) / w
    v = (inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]) / w
    if u < 0 or v < 0 or u >= texture.shape[1] - 1 or v >= texture.shape[0] - 1:
        return -1.0, -1.0
    return u, v


@nb.njit(cache=True, nogil=True, fastmath=True)
def _looked_up(texture, u, v, k):  # type: ignore[no-untyped-def]
    """A channel of a texture between its texels (bilinear)."""
    i, j = int(u), int(v)
    fu, fv = np.float32(u - i), np.float32(v - j)
    above = texture[j, i, k] + fu * (texture[j, i + 1, k] - texture[j, i, k])
    below = texture[j + 1, i, k] + fu * (texture[j + 1, i + 1, k] - texture[j + 1, i, k])
    return above + fv * (below - above)


@nb.njit(cache=True, nogil=True, fastmath=True)
def _lay(picture, texture, inverse, light, mirrored, sliding, glass):  # type: ignore[no-untyped-def]
    """A texture, its light and what it mirrors, laid over the picture (h, w, 3)."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            u, v = _place_in(texture, inverse, x, y)
            if u < 0:
                continue
            alpha = _looked_up(texture, u, v, 3)
            if alpha == 0:
                continue
            across, down = u / texture.shape[1], v / texture.shape[0]
            lit = light[0] + light[1] * (across - 0.5) + light[2] * (down - 0.5)
            lit += light[3] / (1 + np.exp(-(across + 0.25 * down - light[4]) * 120))
            glare = np.float32(0)
            if mirrored.size > 1:
                s, t = int(u + sliding[0]), int(v + sliding[1])
                if 0 <= s < mirrored.shape[1] and 0 <= t < mirrored.shape[0]:
                    glare = mirrored[t, s] * glass[int(v), int(u)]
            for k in range(3):
                own = _looked_up(texture, u, v, k) * lit + glare * (1 - np.float32(0.17) * k)
                picture[y, x, k] = picture[y, x, k] * (1 - alpha) + own


@nb.njit(cache=True, nogil=True, fastmath=True)
def _cover(picture, hidden, texture, inverse):  # type: ignore[no-untyped-def]
    """A premultiplied texture laid over the picture; its alpha is added to `hidden`."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            u, v = _place_in(texture, inverse, x, y)
            if u < 0:
                continue
            alpha = _looked_up(texture, u, v, 3)
            for k in range(3):
                picture[y, x, k] = picture[y, x, k] * (1 - alpha) + _looked_up(texture, u, v, k)
            hidden[y, x] += alpha


def _developed(linear: Array, shot: Panel, index: int) -> NDArray[np.uint8]:
    """Slight defocus, grain that follows brightness, display encoding."""
    rng = np.random.default_rng([index, sum(map(ord, shot.name))])
    focused = cv2.GaussianBlur(linear, (0, 0), 0.62 * shot.scale)
    return scene.developed(1.25 * focused, rng.standard_normal(linear.shape, np.float32), shot.grain)
