"""What the plate tells about how a pane's picture should sit in it: sharpness, grain, level, motion, proportions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing import grain, soft_focus
from wiseglove.core.compositing.colour import decode, to_working
from wiseglove.core.compositing.grade import neutral
from wiseglove.core.geometry.proportions import Proportions, pixel_shape, proportions
from wiseglove.core.matte.coverage import Box
from wiseglove.shot.basics import Plate
from wiseglove.shot.cover_mattes import CoverMattes
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.pane import AmountRow, GlassRow, GrainRow, Insert, LevelRow, Pane, SitIn
from wiseglove.shot.pane_layers import PaneLayers
from wiseglove.shot.scene import Ground, Picture, Pictures

AROUND = 4
"""Pixels to each side of a picked place over which its colour is the mean."""
LOOKS = 5
"""Frames of the shot at which the pane is looked at."""
PAIRS = 3
"""Neighbouring frames at each of a few places from which grain is told."""
MOVES = 1.0
"""Pixels a frame from which a pane's motion is worth its blur."""
DARK = 0.01
"""Share of a pane's pixels that are darker than its black."""
UNLIT, SMOOTH = 0.3, 0.02
"""Encoded level up to which a screen may be off, and slope (a pixel of 160 across) that mirrored light may have."""
SEEN = 0.3
"""Share of a pane that must be seen for its level to be told."""


def proposed(
    shot: EvaluatedShot, pane: Pane, pictures: Pictures, quick: Pictures | None = None
) -> tuple[SitIn, list[str]]:
    """The rows as the plate tells them, on where they were measured; and what could not be told, as sentences.

    quick: where pictures come from that need not be exact.
    """
    sit, unknown = pane.sit, []
    frames = _frames(shot, pane)
    soft = _softness(shot, pane, pictures, frames)
    if soft is None:
        unknown.append(
            "The pane's border shows no clear edge, so its sharpness is not known; the row is left as it is."
        )
    else:
        sit = sit.model_copy(update={"sharp": sit.sharp.model_copy(update={"on": True, "soft": round(soft, 2)})})
    try:
        found = _grain(shot, pictures, frames)
        row = GrainRow(
            on=True, levels=list(found.levels), strength=list(found.strength), octaves=[list(o) for o in found.octaves]
        )
        sit = sit.model_copy(update={"grain": row})
    except ValueError as error:
        unknown.append(str(error))
    speed = _speed(shot, pane)
    motion = sit.motion.model_copy(update={"on": speed > MOVES})
    sit = sit.model_copy(update={"motion": motion, "edges": AmountRow(on=True)})
    black = _black(shot, pane, quick or pictures, frames)
    if black is None:
        unknown.append("The pane is hardly seen, so its black is not known; the row is left as it is.")
    else:
        sit = sit.model_copy(update={"level": sit.level.model_copy(update={"on": True, "black": black})})
    if sit.clean is None:
        unknown.append(
            "Without a clean pane its shadows and reflections are not known. Make the clean pane, then sit in again."
        )
    else:
        off = _is_off(shot, sit.clean, quick or pictures)
        sit = sit.model_copy(update={"glass": GlassRow(on=True, off=off), "shadow": AmountRow(on=True)})
    return sit, unknown


def _is_off(shot: EvaluatedShot, clean: str, pictures: Pictures) -> bool:
    """Whether a clean pane shows no picture: it is dark, and what light is on it has no sharp edges."""
    insert = Insert(source="media", media=clean, start=shot.plate.first)
    picture = pictures.insert(insert, shot.plate.first, False)
    assert picture is not None
    inner = cv2.resize(np.ascontiguousarray(picture[..., :3]), (160, 100), interpolation=cv2.INTER_AREA)[6:-6, 6:-6]
    grey = inner.mean(axis=2)
    steep = np.hypot(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)) / 8
    return bool(np.median(grey) < UNLIT and np.quantile(steep, 0.95) < SMOOTH)


@dataclass(frozen=True)
class Picked:
    """A place of the plate that was picked on a frame; `shown`: for a light one, what the insert has there, encoded 0..1."""

    frame: int
    x: float
    y: float
    stands_for: Literal["dark", "light", "grey"]
    shown: float = 1.0


def levelled_by(row: LevelRow, plate: Plate, pick: Picked, pictures: Pictures) -> LevelRow:
    """A level with a pick taken into it. Raises ValueError for a place that lies outside or tells nothing."""
    x, y = round(pick.x), round(pick.y)
    if not (0 <= x < plate.width and 0 <= y < plate.height):
        raise ValueError("That place lies outside the plate. Pick one inside.")
    pixels = pictures.plate(plate, pick.frame, plate.width, plate.height)
    part = pixels[max(y - AROUND, 0) : y + AROUND + 1, max(x - AROUND, 0) : x + AROUND + 1]
    mean = np.asarray(to_working(part, True).mean((0, 1)), np.float32)
    colour = (float(mean[0]), float(mean[1]), float(mean[2]))
    if pick.stands_for == "dark":
        return row.model_copy(update={"on": True, "black": colour})
    if pick.stands_for == "grey":
        white = neutral(np.array(row.white, np.float32), mean).tolist()
        return row.model_copy(update={"on": True, "white": tuple(white)})
    return levelled(row, row.black, colour, pick.shown)


def levelled(
    row: LevelRow, dark: tuple[float, float, float], light: tuple[float, float, float], shown: float = 1.0
) -> LevelRow:
    """A level by two picks in the plate (linear light): a dark place, and a light one where the insert is `shown`, encoded 0..1.

    Raises ValueError where the light one is not lighter.
    """
    share = float(decode(np.array([max(shown, 0.05)]))[0])
    white = [d + (b - d) / share for d, b in zip(dark, light, strict=True)]
    if not all(w > d for w, d in zip(white, dark, strict=True)):
        raise ValueError("The light place is not lighter than the dark one. Pick them the other way round.")
    return row.model_copy(update={"on": True, "black": dark, "white": (white[0], white[1], white[2])})


def true_proportions(shot: EvaluatedShot, pane: Pane) -> Proportions:
    """The pane's aspect and the focal length from its motion. Raises UnknownProportionsError with the reason."""
    return proportions(*_seen(shot, pane))


def pixels_remark(shot: EvaluatedShot, pane: Pane) -> str | None:
    """A sentence where the pane's motion says that the plate's pixels are of another shape than they are taken for."""
    taken, off = shot.plate.pixel_aspect, pixel_shape(*_seen(shot, pane))
    if off is None:
        return None
    return (
        f"The way this pane turns does not go with the plate's pixels, which are taken for {taken:.4g} times as wide as high: "
        f"{taken * off:.4g} goes with it. Nothing was changed. If it is so, take the plate in again with that pixel shape."
    )


def _seen(shot: EvaluatedShot, pane: Pane) -> tuple[NDArray[np.float64], float, float]:
    """The pane's corners over the shot, (T, 4, 2), and the picture's width and height, in pixels as they are taken for."""
    plate = shot.plate
    frames = np.unique(np.linspace(plate.first, plate.last, 80).round())
    quads = shot.points_at(pane, frames)[:, :, :2] * (plate.pixel_aspect, 1.0)
    return quads, plate.width * plate.pixel_aspect, plate.height


def _frames(shot: EvaluatedShot, pane: Pane) -> list[int]:
    """A few frames over the shot, on which the pane lies in the picture."""
    plate = shot.plate
    every = np.unique(np.linspace(plate.first, plate.last, LOOKS).round().astype(int))
    middles = shot.points_at(pane, every.astype(np.float64))[:, :, :2].mean(1)
    inside = ((middles > 0) & (middles < (plate.width, plate.height))).all(1)
    return [int(f) for f, seen in zip(every, inside, strict=True) if seen]


def _softness(shot: EvaluatedShot, pane: Pane, pictures: Pictures, frames: list[int]) -> float | None:
    found = []
    plate = shot.plate
    moves = [float(np.abs(np.diff(shot.points_at(pane, [f - 0.5, f + 0.5])[:, :, :2], axis=0)).max()) for f in frames]
    for frame in [f for _, f in sorted(zip(moves, frames, strict=True))][: max(len(frames) // 2, 3)]:  # the calm ones
        picture = to_working(pictures.plate(plate, frame, plate.width, plate.height), True).mean(axis=2)
        hidden = CoverMattes(Ground(shot, frame, pictures)).matte(Box(0, 0, plate.width, plate.height))
        width = soft_focus.edge_softness(np.asarray(picture, np.float32), shot.corners_at(pane, frame), hidden)
        if width is not None:
            found.append(width)
    return float(np.median(found)) if found else None


def _grain(shot: EvaluatedShot, pictures: Pictures, frames: list[int]) -> grain.Grain:
    """The plate's grain in the values in which light is mixed. Raises ValueError where nothing stands still."""
    plate, linear = shot.plate, shot.settings.mixing == "linear"
    best: grain.Grain | None = None
    error: ValueError | None = None
    for frame in frames[len(frames) // 2 :] + frames[: len(frames) // 2]:
        run = [f for f in range(frame, frame + PAIRS + 1) if f <= plate.last]
        pixels = [to_working(pictures.plate(plate, f, plate.width, plate.height), linear) for f in run]
        try:
            best = grain.measured(pixels)
            break
        except ValueError as failed:
            error = failed
    if best is None:
        raise error or ValueError("The plate is too short to tell its grain. Type the amount.")
    return best


def _speed(shot: EvaluatedShot, pane: Pane) -> float:
    """Pixels that the pane's fastest corner goes in a frame, at the 90th percentile."""
    frames = np.arange(shot.plate.first, shot.plate.last + 1, dtype=np.float64)
    if len(frames) < 2:
        return 0.0
    steps = np.abs(np.diff(shot.points_at(pane, frames)[:, :, :2], axis=0)).max(axis=(1, 2))
    return float(np.quantile(steps, 0.9))


def _black(shot: EvaluatedShot, pane: Pane, pictures: Pictures, frames: list[int]) -> tuple[float, float, float] | None:
    """The darkest that the glass shows, where nothing is before it: the median over frames.

    Without tint: the darkest of a screen that shows something is rarely its black, and is then of some colour.
    """
    found = []
    for frame in frames:
        ground = Ground(shot, frame, pictures, 0.5)
        inside = PaneLayers(ground).matte_of(pane) > 0.99
        hidden = CoverMattes(ground).matte(ground.whole) > 0.01
        kernel = np.ones((5, 5), np.uint8)
        free = cv2.erode((inside & ~hidden).astype(np.uint8), kernel) > 0
        if free.sum() > SEEN * max(inside.sum(), 1) and free.sum() > 200:
            found.append(np.quantile(_smooth(ground.working)[free], DARK, axis=0))
    if not found:
        return None
    darkest = float(np.median(np.stack(found), axis=0).min())
    return darkest, darkest, darkest


def _smooth(picture: Picture) -> Picture:
    """Without grain, which would make the darkest darker than the glass is."""
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), 2.0), np.float32)
