"""What Lantern Lane's panels show once their shots are done: a dashboard that answers the tap, a page of the seed catalogue."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.demo import scene
from wiseglove.media.encode import FINE, MovieWriter, png

Bytes = NDArray[np.uint8]
Colour = tuple[int, int, int]
SIZE = (992, 640)
"""Of the dashboard; the panel's screen has the same proportions."""
LARGER = 2
"""How many times larger it is drawn than it is kept, for smooth edges."""
FONT = cv2.FONT_HERSHEY_DUPLEX
NIGHT: Colour = (13, 27, 30)
CARD: Colour = (24, 48, 50)
PALE: Colour = (222, 232, 214)
DIM: Colour = (120, 154, 146)
LEAF: Colour = (126, 178, 92)
LAMP: Colour = (240, 180, 88)
MIST_FROM, LAMPS_FROM = 24, 51
"""Frames (0-based) on which the fingertip comes to lie on a tile."""
SLIDES = range(67, 82)
"""Frames on which it lies on the slider and draws it along."""


class _Sheet:
    """A picture that is drawn larger, in coordinates of the smaller one."""

    def __init__(self, width: int, height: int, colour: Colour) -> None:
        self.pixels: NDArray[Any] = np.full((height * LARGER, width * LARGER, 3), colour, np.uint8)

    def card(self, box: tuple[float, float, float, float], colour: Colour, radius: float = 14) -> None:
        """A box (left, top, right, bottom) with round corners."""
        left, top, right, bottom = (round(v * LARGER) for v in box)
        r = round(radius * LARGER)
        cv2.rectangle(self.pixels, (left + r, top), (right - r, bottom), colour, -1)
        cv2.rectangle(self.pixels, (left, top + r), (right, bottom - r), colour, -1)
        for x in (left + r, right - r):
            for y in (top + r, bottom - r):
                cv2.circle(self.pixels, (x, y), r, colour, -1, cv2.LINE_AA)

    def write(self, text: str, at: tuple[float, float], size: float, colour: Colour, weight: float = 1) -> None:
        """A line of text that begins at its lower left."""
        place = (round(at[0] * LARGER), round(at[1] * LARGER))
        cv2.putText(self.pixels, text, place, FONT, size * LARGER, colour, round(weight * LARGER), cv2.LINE_AA)

    def line(self, points: NDArray[np.float64], colour: Colour, weight: float = 2) -> None:
        """A line through points (n, 2)."""
        places = np.round(points * LARGER * 16).astype(np.int32)
        cv2.polylines(self.pixels, [places], False, colour, round(weight * LARGER), cv2.LINE_AA, 4)

    def area(self, points: NDArray[np.float64], colour: Colour) -> None:
        """What points (n, 2) enclose."""
        cv2.fillPoly(self.pixels, [np.round(points * LARGER * 16).astype(np.int32)], colour, cv2.LINE_AA, 4)

    @property
    def kept(self) -> Bytes:
        """The picture at its size."""
        return np.asarray(
            cv2.resize(self.pixels, None, fx=1 / LARGER, fy=1 / LARGER, interpolation=cv2.INTER_AREA), np.uint8
        )


def _at(right: float, down: float) -> tuple[float, float]:
    """A place of the screen, in metres from its middle, in pixels of the dashboard."""
    return (right / scene.SCREEN[0] + 0.5) * SIZE[0], (down / scene.SCREEN[1] + 0.5) * SIZE[1]


def _leaf(x: float, y: float, long: float, wide: float, degrees: float) -> NDArray[np.float64]:
    """A leaf's outline (n, 2) about its middle."""
    t = np.linspace(0, 2 * np.pi, 60)
    shape = np.stack([np.cos(t) * long, np.sin(t) * wide * (1 - 0.35 * np.cos(t))], axis=1)
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.asarray(shape @ np.array([[c, s], [-s, c]]) + (x, y))


def dashboard(index: int) -> Bytes:
    """The climate dashboard on a frame (0-based) of the tap, (640, 992, 3): what the finger touches answers at once."""
    sheet = _Sheet(*SIZE, NIGHT)
    sheet.write("Night house", (40, 66), 1.25, PALE, 2)
    sheet.write(f"Lantern Lane   21:{14 + index // 25:02d}", (42, 100), 0.62, DIM)
    warm = 18.5 + 0.9 * float(np.clip((index - LAMPS_FROM) / 40, 0, 1))
    sheet.write(f"{warm:.1f}", (760, 92), 1.9, LAMP if index >= LAMPS_FROM else PALE, 3)
    sheet.write("deg C", (892, 92), 0.6, DIM)
    _tile(sheet, _at(-0.052, -0.012), "Mist", index - MIST_FROM, LEAF)
    _tile(sheet, _at(0.078, -0.05), "Lamps", index - LAMPS_FROM, LAMP)
    _tile(sheet, (132, 205), "Vents", 99, DIM)
    x = np.linspace(40, 952, 160)
    for k, (middle, sway, colour) in enumerate(((392, 22, LEAF), (408, 13, DIM))):
        y = middle + sway * np.sin(x / 74 + index * 0.06 + k) + 5 * np.sin(x / 19 - index * 0.11)
        sheet.line(np.stack([x, y], axis=1), colour, 2.5 - k)
    where = int(np.clip(index, SLIDES[0], SLIDES[-1]))
    knob, level = _at(scene.tip_at(where)[0], 0.05)
    sheet.card((180, level - 9, 812, level + 9), CARD, 9)
    sheet.card((180, level - 9, knob, level + 9), LEAF, 9)
    cv2.circle(sheet.pixels, (round(knob * LARGER), round(level * LARGER)), 21 * LARGER, PALE, -1, cv2.LINE_AA)
    sheet.write("Shade", (66, level + 9), 0.8, PALE)
    sheet.write(f"{round(100 * (knob - 180) / 632)} %", (840, level + 9), 0.8, PALE)
    for k, bay in enumerate(("Bay 1  ferns", "Bay 2  moss", "Bay 3  orchids", "Bay 4  seedlings")):
        sheet.card((40 + 232 * k, 556, 256 + 232 * k, 606), CARD, 10)
        sheet.write(bay, (54 + 232 * k, 588), 0.58, DIM if k != 3 else PALE)
    return sheet.kept


def _tile(sheet: _Sheet, middle: tuple[float, float], name: str, since: int, colour: Colour) -> None:
    """A tile about a place, lit from when it was touched on, and larger for a moment."""
    x, y = middle
    wide, high = 104.0, 62.0
    grown = 10 * float(np.clip(1 - since / 6, 0, 1)) if since >= 0 else 0.0
    box = (x - wide - grown, y - high - grown, x + wide + grown, y + high + grown)
    sheet.card(box, colour if since >= 0 else CARD, 16)
    ink = NIGHT if since >= 0 else DIM
    sheet.write(name, (x - wide + 22, y + 2), 1.0, ink, 2)
    sheet.write("on" if since >= 0 else "off", (x - wide + 24, y + 38), 0.62, ink)


def catalogue() -> Bytes:
    """A page of the seed catalogue, (640, 992, 3)."""
    paper: Colour = (238, 230, 206)
    ink: Colour = (52, 62, 46)
    sheet = _Sheet(*SIZE, paper)
    sheet.card((36, 36, 440, 604), (206, 216, 176), 22)
    for k, (x, y, turn) in enumerate(
        ((238, 430, -90), (170, 350, -140), (306, 350, -40), (190, 240, -118), (290, 240, -62))
    ):
        green: Colour = ((92, 136, 70), (110, 152, 82))[k % 2]
        sheet.area(_leaf(x, y, 96 - 8 * k, 34, turn), green)
    sheet.line(np.array([[238, 580], [236, 420], [240, 200]], np.float64), (74, 102, 58), 4)
    sheet.write("Moonfern", (486, 128), 2.0, ink, 3)
    sheet.write("No. 114   shade, cool nights", (490, 176), 0.7, (120, 112, 84))
    for k, line in enumerate(
        (
            "Sow on damp moss in March.",
            "Keep the lid on for nine days.",
            "Move by lantern light only:",
            "its fronds fold up by day.",
        )
    ):
        sheet.write(line, (490, 256 + 46 * k), 0.78, ink)
    sheet.card((490, 470, 760, 548), (150, 88, 58), 14)
    sheet.write("12 spores  2.40", (512, 520), 0.86, paper, 1.5)
    return sheet.kept


def leaf_counter() -> Bytes:
    """A card that counts leaves, to float before the panel: straight alpha, (300, 640, 4)."""
    sheet, mask = _Sheet(640, 300, (16, 34, 36)), _Sheet(640, 300, (0, 0, 0))
    mask.card((10, 10, 630, 290), (240, 240, 240), 40)
    sheet.area(_leaf(120, 150, 74, 34, -42), LEAF)
    sheet.line(np.array([[66, 202], [174, 98]], np.float64), (16, 34, 36), 3)
    sheet.write("Leaves today", (220, 112), 1.05, DIM, 1.5)
    sheet.write("1 284", (216, 222), 2.9, PALE, 5)
    return np.dstack([sheet.kept, mask.kept[..., 0]])


def render(folder: Path) -> dict[str, Path]:
    """All of them as files, rendered where they are not there yet, by their names."""
    folder.mkdir(parents=True, exist_ok=True)
    found = {
        "dashboard": folder / "dashboard.mp4",
        "catalogue": folder / "catalogue.png",
        "counter": folder / "leaf_counter.png",
    }
    if not found["dashboard"].exists():
        work = folder / "dashboard.rendering.mp4"
        with MovieWriter(work, *SIZE, Fraction(scene.RATE), FINE) as writer:
            for index in range(scene.FRAMES):
                writer.write(dashboard(index))
        work.rename(found["dashboard"])
    for name, picture in (("catalogue", catalogue), ("counter", leaf_counter)):
        if not found[name].exists():
            found[name].write_bytes(png(picture()))
    return found
