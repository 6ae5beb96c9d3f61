"""How exactly fine text is laid on a pane: against sixteen samples a pixel and axis, still and in motion.

Peers are one call of OpenCV each: bilinear from the insert as it is, and by way of an insert that was reduced by area and
sampled twice. Signal to noise is that of display-encoded values, where all of the pixel lies on the pane.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.table import Row
from wiseglove.core.compositing import colour, pane
from wiseglove.core.geometry.homography import unit_square_to_quad
from wiseglove.shot.basics import PaneKey, Plate
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import new_shot
from wiseglove.shot.pane import Insert, MotionRow, Pane, SitIn
from wiseglove.shot.render import FrameScene

Array = NDArray[Any]
SIZE = (640, 400)
INSERT = (1920, 1200)
CORNERS = np.array([[61.3, 42.8], [541.9, 51.6], [533.4, 352.2], [70.7, 343.9]])
"""About a quarter of the insert's width and height."""
TRAVEL = np.array([9.0, 4.0])
"""Pixels in a frame; the shutter is open for half of it."""
FINE, MOMENTS, INSIDE = 16, 48, 10
WORDS = "Seed 48  bay 7  18.5  mist 12 %  fern moss  lamp 3  "


def run() -> list[Row]:
    """Still, and in motion."""
    text = _text()
    still = _supersampled(text, CORNERS, FINE)
    laid = _scene(text, SitIn(), 2)
    bare = _once(text)
    halved = _by_area(text)
    moving = _scene(text, SitIn(motion=MotionRow(on=True, shutter=180.0)), 2)
    moments = [(k + 0.5) / MOMENTS - 0.5 for k in range(MOMENTS)]
    true = np.mean([_supersampled(text, CORNERS + t * 0.5 * TRAVEL, FINE // 2) for t in moments], axis=0)
    peer = np.mean([_supersampled(text, CORNERS + t * 0.5 * TRAVEL, 1) for t in (-1 / 3, 0.0, 1 / 3)], axis=0)
    denser = []
    for dense, name in ((2.0, "  2x reduced"), (1.2, "  1.2x reduced")):
        size = (round(480 * dense), round(300 * dense))
        sheet = cv2.resize(text, size, interpolation=cv2.INTER_AREA)
        once = _decibels(_supersampled(sheet, CORNERS, 1), _supersampled(sheet, CORNERS, FINE))
        value = _decibels(_scene(sheet, SitIn(), 2), _supersampled(sheet, CORNERS, FINE))
        denser.append(Row(name, value, "dB", "warp.still", f"bilinear {once:.0f} dB"))
    return [
        Row("insert of fine text, 4x reduced, against 16x supersampling: still", _decibels(laid, still), "dB", "warp.still", f"bilinear {_decibels(bare, still):.0f} dB, area and 2x {_decibels(halved, still):.0f} dB"),
        *denser,
        Row("  with motion blur, 180 degrees of 10 px a frame", _decibels(moving, true), "dB", "warp.moving", f"bilinear at three moments {_decibels(peer, true):.0f} dB"),
    ]  # fmt: skip


def _text() -> Array:
    """Lines of small letters on a screen's dark green, linear (h, w, 3)."""
    sheet = np.full((INSERT[1], INSERT[0], 3), (24, 52, 46), np.uint8)
    for line, y in enumerate(range(22, INSERT[1], 26)):
        words = (WORDS[line % 7 :] + WORDS * 3)[:190]
        bright = (235, 238, 225) if line % 3 else (240, 180, 70)
        cv2.putText(sheet, words, (12, y), cv2.FONT_HERSHEY_SIMPLEX, 0.62, bright, 1, cv2.LINE_AA)
    return colour.to_working(sheet, True)


def _supersampled(text: Array, corners: Array, samples: int) -> Array:
    """The mean of samples x samples places in each pixel, each looked up bilinearly in the insert as it is."""
    width, height = SIZE
    on_text = np.array([[text.shape[1], 0, -0.5], [0, text.shape[0], -0.5], [0, 0, 1.0]])
    fine = np.array([[1 / samples, 0, 0.5 / samples], [0, 1 / samples, 0.5 / samples], [0, 0, 1.0]])
    matrix = on_text @ np.linalg.inv(unit_square_to_quad(corners)) @ fine
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    out = np.empty((height, width, 3), np.float32)
    for top in range(0, height, 16):
        moved = matrix @ np.array([[1, 0, 0], [0, 1, top * samples], [0, 0, 1.0]])
        part = cv2.warpPerspective(text, moved, (width * samples, 16 * samples), flags=flags)
        out[top : top + 16] = cv2.resize(part, (width, 16), interpolation=cv2.INTER_AREA)
    return out


def _once(text: Array) -> Array:
    return _supersampled(text, CORNERS, 1)


def _by_area(text: Array) -> Array:
    """Reduced by area to what is seen, then two samples."""
    wide = CORNERS[:, 0].max() - CORNERS[:, 0].min()
    small = cv2.resize(text, None, fx=wide / INSERT[0], fy=wide / INSERT[0], interpolation=cv2.INTER_AREA)
    return _supersampled(cv2.resize(small, INSERT, interpolation=cv2.INTER_LINEAR), CORNERS, 2)


class _Pictures:
    """A black plate and the text."""

    exact = True

    def __init__(self, text: Array) -> None:
        self._text = text

    def plate(self, plate: Plate, frame: int, width: int, height: int) -> Array:
        """Nothing but black."""
        return np.zeros((height, width, 3), np.uint8)

    def insert(self, insert: Insert, frame: int, linear: bool) -> Array:
        """The text."""
        return self._text

    def pixel_aspect(self, media: str) -> float:
        """Square."""
        return 1.0


def _scene(text: Array, sit: SitIn, frame: int) -> Array:
    """What is delivered: the pane laid by the shot's own rules, linear (h, w, 3)."""
    keys = [
        PaneKey.model_validate({"frame": f, "corners": (CORNERS + (f - frame) * TRAVEL).tolist(), "ease": "linear"}, strict=False)
        for f in range(5)
    ]  # fmt: skip
    plate = Plate(media="a" * 24, width=SIZE[0], height=SIZE[1], first=0, count=5, rate_num=25, rate_den=1)
    one = Pane(id="pane", name="Pane", colour="#aabbcc", keys=keys, sit=sit)
    empty = new_shot("shot", "Shot", plate)
    settings = empty.settings.model_copy(update={"depth": ["pane"]})
    shot = EvaluatedShot.of(empty.with_elements({"pane": one, "settings": settings}))
    made = FrameScene(shot, frame, _Pictures(text), 1.0, pane.FINAL)  # type: ignore[arg-type]
    laid = made.panes.laid(one, {})
    assert laid is not None
    out = np.zeros((SIZE[1], SIZE[0], 3), np.float32)
    out[laid.box.slices] = laid.colour
    return out


def _decibels(one: Array, other: Array) -> float:
    """Peak signal to noise well inside of the pane, of display-encoded values."""
    inside = np.zeros((SIZE[1], SIZE[0]), np.uint8)
    cv2.fillConvexPoly(inside, np.round(CORNERS).astype(np.int32), 1)
    inside = np.asarray(cv2.erode(inside, np.ones((2 * INSIDE + 1, 2 * INSIDE + 1), np.uint8)), np.uint8)
    off = (colour.encoded(np.clip(one, 0, 1)) - colour.encoded(np.clip(other, 0, 1)))[inside > 0]
    return float(-10 * np.log10(np.mean(off**2)))


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
