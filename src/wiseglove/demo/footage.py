"""Renders the tapping shot frame by frame: plate pixels and exact truth.

Each frame is the mean of sub-frames spread over the shutter, each with its own place within the pixel and
its own point on the lamp, which gives motion blur, antialiasing and a soft shadow at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.geometry.homography import quad_to_quads
from wiseglove.demo import limbs as casting
from wiseglove.demo import scene
from wiseglove.demo.surroundings import GLASS_BACKING, PANEL_PLANE, PANEL_TOP, PER_METRE, climate_panel, greenhouse

Array = NDArray[Any]
Layer = NDArray[Any]
SUBFRAMES = 10
LAMP = np.array([0.36, -0.66, 0.22])
LAMP_RADIUS = 0.04
BACKGROUND_DISTANCE = 4.2
SPILL = 0.22
"""How much of the coloured glass's light lies on the hand where glass is all around."""


@dataclass(frozen=True)
class Rendered:
    """A frame of the shot: encoded 8-bit plate, alpha of each part as seen (see scene.PARTS), screen corners."""

    plate: NDArray[np.uint8]
    parts: dict[str, NDArray[np.uint8]]
    corners: Array

    @property
    def hand(self) -> NDArray[np.uint8]:
        """Alpha of the whole hand: its parts hide each other, so they add up."""
        return np.minimum(sum(a.astype(np.uint16) for a in self.parts.values()), 255).astype(np.uint8)


@lru_cache(maxsize=2)
def _textures(coloured: bool) -> tuple[Layer, Layer]:
    panel = climate_panel(coloured)
    height, width = panel.shape[:2]
    return greenhouse(), cv2.resize(panel, (width // 2, height // 2), interpolation=cv2.INTER_AREA)


def panel_showing(picture: Layer) -> Layer:
    """The panel's texture with a picture (h, w, 3), linear, on its screen; for `render`."""
    panel = climate_panel(shown=picture)
    height, width = panel.shape[:2]
    return np.asarray(cv2.resize(panel, (width // 2, height // 2), interpolation=cv2.INTER_AREA), np.float32)


def _subframe_offsets() -> Array:
    """(SUBFRAMES, 4): time in -0.5..0.5, pixel jitter x, y in 0..1, lamp phase; additive recurrence."""
    i = np.arange(SUBFRAMES)
    time = (i + 0.5) / SUBFRAMES - 0.5
    return np.stack([time, (0.5 + i * 0.7548776662) % 1, (0.5 + i * 0.5698402910) % 1, i * 2.39996323], axis=1)


def render_coloured(index: int) -> Rendered:
    """Frame `index` (0-based) of the shot with its glass in the colour of a backing, whose light spills on the hand."""
    return render(index, True)


def render(index: int, coloured: bool = False, texture: Layer | None = None) -> Rendered:
    """Frame `index` (0-based) of the shot, deterministic. texture: another panel than its own, see `panel_showing`."""
    total = np.zeros((scene.HEIGHT, scene.WIDTH, 3), np.float32)
    counts = np.zeros((len(scene.PARTS), scene.HEIGHT, scene.WIDTH), np.float32)
    back = _greenhouse_seen(scene.camera_at(index))
    panel = _textures(coloured)[1] if texture is None else texture
    mirrored = _reflection(panel.shape[:2], scene.camera_at(index))
    colour = np.zeros_like(total)
    hit = np.full(total.shape[:2], -1, np.int64)
    for number, (offset, jitter_x, jitter_y, phase) in enumerate(_subframe_offsets()):
        time = index + offset * scene.SHUTTER
        camera, hand = scene.camera_at(time), scene.hand_at(time)
        lamp = LAMP + LAMP_RADIUS * np.array([np.cos(phase), np.sin(phase), 0.3 * np.sin(phase)])
        picture = _panel_over(back, panel, camera, hand, lamp, (jitter_x - 0.5, jitter_y - 0.5), mirrored)
        _hand_over(picture, counts, camera, hand, (jitter_x, jitter_y), colour, hit, number)
        if coloured:
            _spill_over(picture, hit >= 0, camera)
        total += picture
    parts = {
        name: np.round(count * (255 / SUBFRAMES)).astype(np.uint8)
        for name, count in zip(scene.PARTS, counts, strict=True)
    }
    return Rendered(_lens_and_sensor(total / SUBFRAMES, index), parts, scene.screen_corners(index))


def _greenhouse_seen(camera: scene.Camera) -> Layer:
    texture = _textures(False)[0]
    height, width = texture.shape[:2]
    half = BACKGROUND_DISTANCE / scene.FOCAL * scene.WIDTH / 2 * 1.22
    plane = scene.Plane(np.array([0, 0, BACKGROUND_DISTANCE]), np.array([1.0, 0, 0]), np.array([0, 1.0, 0]))
    tall = half * height / width
    corners = np.stack([plane.at(su * half, sv * tall) for su, sv in ((-1, -1), (1, -1), (1, 1), (-1, 1))])
    matrix = _texture_to_plate(texture.shape, camera.project(corners), (0.0, 0.0))
    size = (scene.WIDTH, scene.HEIGHT)
    return np.asarray(cv2.warpPerspective(texture, matrix, size, flags=cv2.INTER_LINEAR), np.float32)


def _texture_to_plate(shape: tuple[int, ...], corners: Array, shift: tuple[float, float]) -> Array:
    """Homography between pixel indices (centres at whole numbers) of a texture and of the plate."""
    height, width = shape[:2]
    source = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64) - 0.5
    return np.asarray(quad_to_quads(source, (corners - 0.5 - np.array(shift))[None])[0])


def _spill_over(picture: Layer, hand: NDArray[np.bool_], camera: scene.Camera) -> None:
    """Add the light of the coloured glass to the hand, the more of it the more glass is seen around."""
    half = np.array(scene.SCREEN) / 2
    signs = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    corners = camera.project(np.stack([scene.panel().at(a * half[0], b * half[1]) for a, b in signs]))
    glass = np.zeros(hand.shape, np.uint8)
    cv2.fillConvexPoly(glass, np.round(corners).astype(np.int32), 255)
    glass[hand] = 0
    small = cv2.resize(glass, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    around = cv2.resize(cv2.GaussianBlur(small, (0, 0), 4), hand.shape[::-1]).astype(np.float32) / 255
    picture[hand] += SPILL * around[hand][:, None] * np.array(GLASS_BACKING, np.float32)


def _panel_over(
    back: Layer,
    texture: Layer,
    camera: scene.Camera,
    hand: scene.Limbs,
    lamp: Array,
    jitter: tuple[float, float],
    mirrored: Layer,
) -> Layer:
    where = scene.panel()
    wide, tall = PANEL_PLANE
    u, v = np.array([-wide / 2, wide / 2]), np.array([-PANEL_TOP, tall - PANEL_TOP])
    corners = np.stack([where.at(u[i], v[j]) for i, j in ((0, 0), (1, 0), (1, 1), (0, 1))])
    matrix = _texture_to_plate(texture.shape, camera.project(corners), jitter)
    shade = _shadow(texture.shape[:2], where, hand, lamp)
    picture = back.copy()
    _lay_panel(picture, texture, shade, mirrored, np.linalg.inv(matrix))
    return picture


@nb.njit(cache=True, fastmath=True)
def _lay_panel(picture, texture, shade, mirrored, inverse):  # type: ignore[no-untyped-def]
    """Bilinear lookup of the panel's texture, its light and its reflections, laid over the picture."""
    rows, columns = texture.shape[0], texture.shape[1]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            w = inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 2]
            u = (inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]) / w
            v = (inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]) / w
            if u < 0 or v < 0 or u >= columns - 1 or v >= rows - 1:
                continue
            i, j = int(u), int(v)
            fu, fv = np.float32(u - i), np.float32(v - j)
            a, b = (1 - fu) * (1 - fv), fu * (1 - fv)
            c, d = (1 - fu) * fv, fu * fv
            alpha = (
                a * texture[j, i, 3]
                + b * texture[j, i + 1, 3]
                + c * texture[j + 1, i, 3]
                + d * texture[j + 1, i + 1, 3]
            )
            if alpha == 0:
                continue
            light = a * shade[j, i] + b * shade[j, i + 1] + c * shade[j + 1, i] + d * shade[j + 1, i + 1]
            glare = mirrored[j, i]
            for k in range(3):
                t = (
                    a * texture[j, i, k]
                    + b * texture[j, i + 1, k]
                    + c * texture[j + 1, i, k]
                    + d * texture[j + 1, i + 1, k]
                )
                tint = np.float32(1.0) if k == 0 else (np.float32(0.86) if k == 1 else np.float32(0.62))
                picture[y, x, k] = picture[y, x, k] * (1 - alpha) + t * light + glare * tint


def _shadow(shape: tuple[int, int], where: scene.Plane, hand: scene.Limbs, lamp: Array) -> Layer:
    """How much of the lamp's light reaches each texel of the panel's plane, from one point on the lamp."""
    per_metre = PER_METRE / 2
    shade = np.zeros(shape, np.uint8)

    def thrown(points: Array, radii: Array) -> Array:
        height = (points - where.centre) @ where.normal
        lamp_height = (lamp - where.centre) @ where.normal
        share = lamp_height / np.maximum(lamp_height - height, 1e-3)
        on_plane = lamp + (points - lamp) * share[:, None] - where.centre
        u, v = on_plane @ where.right, on_plane @ where.down
        return np.stack([u + PANEL_PLANE[0] / 2, v + PANEL_TOP, radii * share], axis=1) * per_metre

    starts, ends = thrown(hand.start, hand.start_radius), thrown(hand.end, hand.end_radius)
    turn = np.linspace(0, 2 * np.pi, 20, endpoint=False)
    ring = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    for (ax, ay, ar), (bx, by, br) in zip(starts, ends, strict=True):
        hull = cv2.convexHull(np.concatenate([(ax, ay) + ring * ar, (bx, by) + ring * br]).astype(np.float32))
        cv2.fillConvexPoly(shade, (hull * 16).round().astype(np.int32), 255, cv2.LINE_AA, 4)
    soft = cv2.GaussianBlur(shade, (0, 0), 2.2).astype(np.float32) / 255
    return np.asarray(1 - 0.66 * soft, np.float32)


def _reflection(shape: tuple[int, int], camera: scene.Camera) -> Layer:
    """Lamp light mirrored faintly in the glass; it slides as the camera moves."""
    y, x = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    cx = shape[1] * 0.5 + (-0.075 - camera.place[0] * 1.4) * PER_METRE / 2
    cy = (PANEL_TOP - 0.05 - camera.place[1] * 1.4) * PER_METRE / 2
    blob = np.exp(-((((x - cx) / 118) ** 2 + ((y - cy) / 52) ** 2) ** 1.3))
    half_w, half_h = scene.SCREEN[0] * PER_METRE / 4, scene.SCREEN[1] * PER_METRE / 4
    glass = (np.abs(x - shape[1] / 2) < half_w) & (np.abs(y - PANEL_TOP * PER_METRE / 2) < half_h)
    return np.asarray((0.030 * blob + 0.012) * glass, np.float32)


def _hand_over(
    picture: Layer,
    counts: Layer,
    camera: scene.Camera,
    hand: scene.Limbs,
    jitter: tuple[float, float],
    colour: Layer,
    hit: NDArray[np.int64],
    phase: int,
) -> None:
    circles = np.stack(
        [_circles(camera, hand.start, hand.start_radius), _circles(camera, hand.end, hand.end_radius)], 1
    )
    reach = circles[..., 2]
    margin = 8
    left = int(max(np.floor((circles[..., 0] - reach).min()) - margin, 0))
    top = int(max(np.floor((circles[..., 1] - reach).min()) - margin, 0))
    right = int(min(np.ceil((circles[..., 0] + reach).max()) + margin, scene.WIDTH))
    bottom = int(min(np.ceil((circles[..., 1] + reach).max()) + margin, scene.HEIGHT))
    if right <= left or bottom <= top:
        hit[:] = -1
        return
    box = (left, top, right, bottom)
    lists, seen_by = casting.tiles(circles, box)
    limbs = casting.Limbs(hand.start, hand.end, hand.start_radius, hand.end_radius, hand.cloth, hand.dip, hand.dorsal)
    centre = np.array([scene.WIDTH / 2, scene.HEIGHT / 2])
    view = casting.View(camera.turn, camera.place, scene.FOCAL, centre, np.array(jitter))
    tiles = casting.Tiles(np.array(box), lists, seen_by)
    casting.cast(limbs, view, tiles, casting.Light(LAMP, scene.panel().centre), colour, hit, phase)
    for outside in (np.s_[:top], np.s_[bottom:], np.s_[:, :left], np.s_[:, right:]):
        hit[outside] = -1
    casting.put(colour, hit, hand.part, picture, counts)


def _circles(camera: scene.Camera, points: Array, radii: Array) -> Array:
    """Spheres as circles on the plate (a little generous): x, y, radius."""
    return np.concatenate([camera.project(points), (radii / camera.depth(points) * scene.FOCAL * 1.06)[:, None]], 1)


def _lens_and_sensor(linear: Layer, index: int) -> NDArray[np.uint8]:
    """Slight defocus, vignette, a little bloom, grain that follows brightness, display encoding."""
    rng = np.random.default_rng([index, 2026])
    focused = cv2.GaussianBlur(linear, (0, 0), 0.62)
    bloom = cv2.GaussianBlur(cv2.resize(linear, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA), (0, 0), 9)
    focused = focused * 0.96 + cv2.resize(bloom, (scene.WIDTH, scene.HEIGHT)) * 0.05
    y, x = np.mgrid[: scene.HEIGHT, : scene.WIDTH].astype(np.float32)
    away = np.hypot(x - scene.WIDTH / 2, y - scene.HEIGHT / 2) / (scene.WIDTH / 2)
    focused *= (1 - 0.20 * away**2)[..., None]
    noise = rng.normal(0, 1, (scene.HEIGHT, scene.WIDTH, 3)).astype(np.float32)
    return scene.developed(1.25 * focused, noise)
