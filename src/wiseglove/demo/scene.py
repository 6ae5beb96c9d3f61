"""The tapping shot: camera, climate panel and gloved hand as functions of time.

Lengths are metres, angles degrees unless a name says otherwise. Camera space: x right, y down, z away from
the camera. Times are in frames from the first one and may be fractional.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import to_display

Array = NDArray[Any]

WIDTH, HEIGHT, FRAMES, RATE = 1280, 720, 100, 25
FOCAL = 1480.0
"""Focal length in pixels."""
SHUTTER = 0.5
"""Exposure as a share of the frame (180 degrees)."""

PANEL_DISTANCE = 0.92
PANEL_TURN = (5.0, -13.0, -2.5)
"""Pitch, yaw and roll of the panel."""
BEZEL = (0.400, 0.282)
SCREEN = (0.344, 0.222)
"""Outer size of the housing, and of the glass in its middle."""

PARTS = ("palm", "thumb", "index", "middle", "ring", "little")


def rotation(pitch: float, yaw: float, roll: float) -> Array:
    """Rotation matrix, roll first, then pitch, then yaw (degrees)."""
    a, b, c = np.radians([pitch, yaw, roll])
    about_x = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    about_y = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    about_z = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    return np.asarray(about_y @ about_x @ about_z)


@dataclass(frozen=True)
class Camera:
    """World to camera: x_cam = turn @ (x - place)."""

    turn: Array
    place: Array

    def project(self, points: Array) -> Array:
        """World points (..., 3) to plate pixels (..., 2), centre of the first pixel at (0.5, 0.5)."""
        seen = (points - self.place) @ self.turn.T
        return seen[..., :2] / seen[..., 2:] * FOCAL + (WIDTH / 2, HEIGHT / 2)

    def depth(self, points: Array) -> Array:
        """Distance along the viewing axis."""
        return np.asarray(((points - self.place) @ self.turn.T)[..., 2])


def camera_at(time: float) -> Camera:
    """A camera held in the hand: breathing, drift and a small tremor."""
    t = time / RATE
    sway = np.sin(2 * np.pi * np.array([0.31, 0.23, 0.19]) * t + (0.3, 1.1, 2.0))
    tremor = np.sin(2 * np.pi * np.array([2.3, 2.9, 1.7]) * t + (0.0, 2.0, 4.0))
    place = np.array([0.014, 0.010, 0.012]) * sway + np.array([0.0007, 0.0006, 0.0003]) * tremor
    angles = np.array([0.55, 0.9, 0.8]) * np.roll(sway, 1) + np.array([0.035, 0.04, 0.06]) * np.roll(tremor, 1)
    return Camera(rotation(*angles), place)


@dataclass(frozen=True)
class Plane:
    """A flat thing in the world: centre, and unit vectors to its right and down."""

    centre: Array
    right: Array
    down: Array

    @property
    def normal(self) -> Array:
        """Unit vector towards the camera's side."""
        return np.cross(self.down, self.right)

    def at(self, u: Array | float, v: Array | float) -> Array:
        """World points at distances u to the right and v down from the centre."""
        return self.centre + np.multiply.outer(u, self.right) + np.multiply.outer(v, self.down)


def panel() -> Plane:
    """The climate panel; it stands still, the camera moves."""
    turn = rotation(*PANEL_TURN)
    return Plane(np.array([-0.035, -0.02, PANEL_DISTANCE]), turn[:, 0], turn[:, 1])


def screen_corners(time: float) -> Array:
    """The glass's corners in plate pixels at a time: top left, top right, bottom right, bottom left."""
    half = np.array(SCREEN) / 2
    signs = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    where = panel()
    world = np.stack([where.at(su * half[0], sv * half[1]) for su, sv in signs])
    return camera_at(time).project(world)


# Where the fingertip is, in panel coordinates (right, down) and height over the glass, at some frames.
TIP_PATH = np.array(
    [
        # frame   right    down   height
        [-4.0, 0.150, 0.200, 0.110],
        [8.0, 0.060, 0.085, 0.060],
        [18.0, -0.030, 0.010, 0.032],
        [24.0, -0.052, -0.012, 0.004],
        [28.0, -0.052, -0.012, 0.004],
        [37.0, -0.010, -0.004, 0.045],
        [46.0, 0.066, -0.040, 0.034],
        [51.0, 0.078, -0.050, 0.004],
        [55.0, 0.078, -0.050, 0.004],
        [62.0, 0.060, 0.010, 0.030],
        [68.0, 0.048, 0.052, 0.005],
        [80.0, -0.072, 0.048, 0.005],
        [88.0, -0.030, 0.055, 0.040],
        [104.0, 0.150, 0.150, 0.095],
    ]
)


def _through(table: Array, time: float) -> Array:
    """Smooth path through the rows of a table (first column: frame), by monotone ease between them."""
    frames = table[:, 0]
    i = int(np.clip(np.searchsorted(frames, time, side="right") - 1, 0, len(frames) - 2))
    u = np.clip((time - frames[i]) / (frames[i + 1] - frames[i]), 0, 1)
    slopes = np.diff(table[:, 1:], axis=0) / np.diff(frames)[:, None]
    tangent = np.zeros_like(table[:, 1:])
    same_way = slopes[:-1] * slopes[1:] > 0
    tangent[1:-1] = np.where(same_way, 2 * slopes[:-1] * slopes[1:] / (slopes[:-1] + slopes[1:] + 1e-12), 0)
    w = frames[i + 1] - frames[i]
    a, b = table[i, 1:], table[i + 1, 1:]
    return np.asarray(
        a * (1 + 2 * u) * (1 - u) ** 2
        + b * u * u * (3 - 2 * u)
        + tangent[i] * w * u * (1 - u) ** 2
        - tangent[i + 1] * w * u * u * (1 - u)
    )


@dataclass(frozen=True)
class Limbs:
    """A hand as tapering limbs with round ends: ends (n, 3), radii (n,), part, cloth, how far dipped in rubber, dorsal side."""

    start: Array
    end: Array
    start_radius: Array
    end_radius: Array
    part: NDArray[np.int64]
    cloth: NDArray[np.int64]
    dip: Array
    dorsal: Array
    joints: dict[str, tuple[Array, Array]]
    """For each finger: its joints from knuckle to tip (4, 3) and their radii (4,)."""


GLOVE, KNIT, SLEEVE = 0, 1, 2

# Name: knuckle in the hand (thumb side, towards the fingers, dorsal), lengths, radii from knuckle to tip.
FINGERS = {
    "index": ((0.027, 0.092, 0.003), (0.047, 0.029, 0.021), (0.0128, 0.0116, 0.0104, 0.0088)),
    "middle": ((0.008, 0.096, 0.005), (0.050, 0.032, 0.022), (0.0130, 0.0117, 0.0105, 0.0090)),
    "ring": ((-0.011, 0.091, 0.003), (0.046, 0.029, 0.021), (0.0124, 0.0112, 0.0101, 0.0087)),
    "little": ((-0.028, 0.082, -0.001), (0.037, 0.022, 0.019), (0.0112, 0.0100, 0.0090, 0.0078)),
}


def _flexions(time: float, height: float) -> dict[str, tuple[float, float, float]]:
    """Bend at each joint; the hand opens a little while it travels and closes when it taps."""
    relaxed = float(np.clip(height / 0.06, 0, 1))
    wave = np.sin(2 * np.pi * time / 41.0)
    return {
        "index": (10 + 14 * relaxed, 14 + 18 * relaxed, 8 + 10 * relaxed),
        "middle": (58 - 16 * relaxed + 3 * wave, 82 - 20 * relaxed, 42 - 12 * relaxed),
        "ring": (66 - 18 * relaxed + 4 * wave, 86 - 20 * relaxed, 44 - 12 * relaxed),
        "little": (68 - 20 * relaxed + 5 * wave, 80 - 22 * relaxed, 42 - 12 * relaxed),
    }


def tip_at(time: float) -> tuple[float, float, float]:
    """Where the fingertip is over the panel's middle: metres to the right, down, and off its glass."""
    right, down, height = _through(TIP_PATH, time)
    return float(right), float(down), float(height)


def hand_at(time: float) -> Limbs:
    """The gloved hand at a time, in world space, its fingertip on TIP_PATH."""
    right, down, height = _through(TIP_PATH, time)
    where = panel()
    t = time / RATE
    towards = np.array([-0.50 + 0.05 * np.sin(1.9 * t), -0.70 + 0.04 * np.sin(1.3 * t + 1), 0.46])
    towards /= np.linalg.norm(towards)
    dorsal = np.array([0.16 + 0.08 * np.sin(1.6 * t + 2), -0.42, -0.88])
    dorsal -= towards * (dorsal @ towards)
    dorsal /= np.linalg.norm(dorsal)
    thumbwards = np.cross(dorsal, towards)
    frame = np.stack([thumbwards, towards, dorsal], axis=1)

    back = np.array([0, 0, 1.0])
    rows: list[tuple[Array, Array, float, float, int, int, Array, float]] = []
    joints: dict[str, tuple[Array, Array]] = {}
    for name, (knuckle, lengths, radii) in FINGERS.items():
        chain, sides = finger_chain(np.array(knuckle), lengths, _flexions(time, height)[name])
        joints[name] = chain, np.array(radii)
        part = PARTS.index(name)
        for i in range(3):
            rows.append((chain[i], chain[i + 1], radii[i], radii[i + 1], part, GLOVE, sides[i], (0.25, 0.95, 1.6)[i]))
        for i in range(2):  # knuckles stand out a little on the back
            bump = chain[i] + sides[i] * 0.0022
            rows.append((bump, bump, radii[i] * 1.02, radii[i] * 1.02, part, GLOVE, sides[i], (0.25, 0.95)[i]))
        wrist = np.array([knuckle[0] * 0.55, 0.004, -0.002])
        rows.append((wrist, np.array(knuckle), 0.0185, radii[0] * 1.12, 0, GLOVE, back, -1.0))
    thumb = np.array([[0.024, 0.022, -0.006], [0.044, 0.052, -0.020], [0.050, 0.084, -0.030], [0.043, 0.109, -0.034]])
    thumb_radii = np.array([0.0185, 0.0140, 0.0125, 0.0102])
    joints["thumb"] = thumb, thumb_radii
    side = np.array([0.6, -0.2, 0.78])
    for i in range(3):
        rows.append((thumb[i], thumb[i + 1], thumb_radii[i], thumb_radii[i + 1], 1, GLOVE, side, (-2.0, 0.55, 1.6)[i]))
    flesh = np.array([0.020, 0.05, -0.014])
    rows.append((flesh, np.array([-0.018, 0.045, -0.012]), 0.020, 0.019, 0, GLOVE, back, -1.0))

    out_of_sight = np.array([-0.05, -0.34, 0.16])
    wrist = np.array([0.0, -0.012, 0.0])
    cuff = wrist + (out_of_sight - wrist) * 0.17
    rows.append((np.array([0.0, 0.012, 0.0]), cuff, 0.0300, 0.0340, 0, KNIT, back, 0.0))
    rows.append((cuff + (out_of_sight - cuff) * 0.02, out_of_sight, 0.0365, 0.0560, 0, SLEEVE, back, 0.0))

    tip, tip_radius = joints["index"][0][-1], joints["index"][1][-1]
    target = where.at(right, down) + where.normal * (height + tip_radius)
    shift = target - frame @ tip

    def world(points: Array) -> Array:
        return points @ frame.T + shift

    return Limbs(
        start=world(np.stack([r[0] for r in rows])),
        end=world(np.stack([r[1] for r in rows])),
        start_radius=np.array([r[2] for r in rows]),
        end_radius=np.array([r[3] for r in rows]),
        part=np.array([r[4] for r in rows]),
        cloth=np.array([r[5] for r in rows]),
        dip=np.array([r[7] for r in rows]),
        dorsal=np.stack([r[6] for r in rows]) @ frame.T,
        joints={name: (world(chain), radii) for name, (chain, radii) in joints.items()},
    )


def finger_chain(knuckle: Array, lengths: tuple[float, ...], bends: tuple[float, ...]) -> tuple[Array, Array]:
    """Joints (4, 3) and each limb's dorsal direction (3, 3) of a finger bent towards the palm."""
    chain, sides, angle = [knuckle], [], 0.0
    for length, bend in zip(lengths, bends, strict=True):
        angle += np.radians(bend)
        along = np.array([-0.25 * knuckle[0], np.cos(angle), -np.sin(angle)])
        chain.append(chain[-1] + length * along / np.linalg.norm(along))
        sides.append(np.array([0.0, np.sin(angle), np.cos(angle)]))
    return np.stack(chain), np.stack(sides)


def developed(linear: NDArray[Any], noise: NDArray[Any], grain: float = 1.0) -> NDArray[np.uint8]:
    """What a camera stores of linear light (h, w, 3): grain that follows brightness, display encoding. noise: standard normal."""
    rough = cv2.GaussianBlur(noise, (0, 0), 0.55) * 1.6 * grain
    noisy = linear + rough * np.sqrt(np.maximum(linear, 0) * 0.00022 + 0.0000035)
    return to_display(np.asarray(noisy, np.float32), True)
