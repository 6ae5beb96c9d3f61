"""Composites beside rendered truth: the tapping shot rendered a second time with the insert truly in its panel."""

from __future__ import annotations

import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.table import Row
from benchmarks.truth import ROOT
from wiseglove.core.behind.clean import clean_picture
from wiseglove.core.compositing import colour, pane
from wiseglove.core.compositing.chart import build_chart
from wiseglove.core.compositing.cover_edges import own_share
from wiseglove.core.compositing.difference import ciede2000, lab
from wiseglove.core.geometry.homography import apply, unit_square_to_quad
from wiseglove.core.geometry.proportions import UnknownProportionsError, proportions
from wiseglove.core.matte.coverage import Box
from wiseglove.core.motion.path import homographies
from wiseglove.demo import footage, panel_shots, scene
from wiseglove.shot.basics import PaneKey, Plate
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.measuring import Picked, levelled_by, proposed
from wiseglove.shot.model import new_shot
from wiseglove.shot.pane import GlowRow, Insert, LevelRow, MixRow, Pane, SitIn
from wiseglove.shot.render import FrameScene

Array = NDArray[Any]
KEPT = ROOT / ".run" / "sitting"
JUDGED = (10, 26, 40, 53, 70, 85)
FRAMES = tuple(sorted({*JUDGED, *range(0, 100, 7), 24, 25, 27, 50, 51, 52}))
SHEET = (688, 444)
LENS = 0.62
"""Standard deviation in px of the blur that the renderer's lens has."""
CLEAN = "c" * 24


LIGHT = 200


def old_screen() -> Array:
    """What the panel showed when it was shot, encoded (h, w, 3): a frame for lining up, with a light and a black patch."""
    out = np.full((640, 992, 3), 110, np.uint8)
    out[::80], out[:, ::62] = 150, 150
    out[40:140, 60:260], out[40:140, 730:930] = LIGHT, 0
    cv2.putText(out, "LINE UP  B4", (330, 350), cv2.FONT_HERSHEY_SIMPLEX, 1.6, (210, 190, 120), 4, cv2.LINE_AA)
    return out


WHITE, BLACK = (0.16, 0.14), (0.84, 0.14)
"""Where on the pane the white and the black are picked."""


def _linear(encoded: Array) -> Array:
    return np.asarray(colour.decode(encoded.astype(np.float32) / 255), np.float32)


def _keep(index: int, name: str) -> None:
    path = KEPT / f"{name}.{index:04d}.png"
    if not path.exists():
        picture = {"old": old_screen, "true": build_chart, "black": lambda: np.zeros((640, 992, 3), np.uint8)}[name]()
        taken = footage.render(index, texture=footage.panel_showing(_linear(picture)))
        cv2.imwrite(str(path), taken.plate[..., ::-1])
        cv2.imwrite(str(KEPT / f"hand.{index:04d}.png"), taken.hand)


@dataclass
class Truth:
    """Plates with the old screen, the insert and a black one, and the hand's alpha as the lens shows it, by frame."""

    old: dict[int, Array]
    true: dict[int, Array]
    black: dict[int, Array]
    hand: dict[int, Array]


def truth() -> Truth:
    """Rendered once and kept."""
    KEPT.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        list(pool.map(_keep, FRAMES, ["old"] * len(FRAMES)))
        for name in ("true", "black"):
            list(pool.map(_keep, JUDGED, [name] * len(JUDGED)))

    def read(name: str, frames: tuple[int, ...]) -> dict[int, Array]:
        return {f: cv2.imread(str(KEPT / f"{name}.{f:04d}.png"))[..., ::-1] for f in frames}

    grey = {f: cv2.imread(str(KEPT / f"hand.{f:04d}.png"), cv2.IMREAD_GRAYSCALE) / np.float32(255) for f in FRAMES}
    hands = {f: cv2.GaussianBlur(alpha, (0, 0), LENS) for f, alpha in grey.items()}
    return Truth(read("old", FRAMES), read("true", JUDGED), read("black", JUDGED), hands)


class Pictures:
    """The plate with the old screen, the chart as insert, and the clean pane that was made from the plate."""

    exact = True

    def __init__(self, known: Truth, size: tuple[int, int] = (scene.WIDTH, scene.HEIGHT)) -> None:
        self.known, self.size, self.chart = known, size, _linear(build_chart())
        self.clean = clean_pane(known)

    def plate(self, plate: Plate, frame: int, width: int, height: int) -> Array:
        """The nearest frame that was rendered."""
        near = min(self.known.old, key=lambda f: abs(f - frame))
        found = self.known.old[near]
        return found if found.shape[:2] == (height, width) else cv2.resize(found, (width, height))

    def insert(self, insert: Insert, frame: int, linear: bool) -> Array:
        """The clean pane by its id, else the chart."""
        return self.clean if insert.media == CLEAN else self.chart

    def pixel_aspect(self, media: str) -> float:
        """Square."""
        return 1.0


def clean_pane(known: Truth) -> Array:
    """The unrolled pane without the hand, linear."""
    w, h = SHEET
    sheet = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    seen = []
    for frame, picture in known.old.items():
        back = half @ homographies(sheet, scene.screen_corners(frame)[None])[0] @ np.linalg.inv(half)
        seen.append(cv2.warpPerspective(picture, back, SHEET, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP))
    return _linear(clean_picture(np.stack(seen)).picture)


class TrueCovers:
    """The hand's true alpha in place of drawn covers."""

    counted: tuple[()] = ()

    def __init__(self, matte: Array) -> None:
        self._matte = matte

    def matte(self, box: Box, override: object = None, only: object = None) -> Array:
        """The hand over a box."""
        return np.asarray(self._matte[box.slices], np.float32)


def shot_with(sit: SitIn, scale: float = 1.0) -> EvaluatedShot:
    """The shot with its pane where it truly is."""
    width, height = round(scene.WIDTH * scale), round(scene.HEIGHT * scale)
    plate = Plate(media="a" * 24, width=width, height=height, first=0, count=100, rate_num=25, rate_den=1)
    keys = [
        PaneKey.model_validate(
            {"frame": f, "corners": (scene.screen_corners(f) * scale).tolist(), "ease": "linear"}, strict=False
        )
        for f in range(100)
    ]
    aspect = scene.SCREEN[0] / scene.SCREEN[1]
    one = Pane(id="pane", name="Pane", colour="#aabbcc", keys=keys, sit=sit, aspect=aspect)
    empty = new_shot("shot", "Shot", plate)
    settings = empty.settings.model_copy(update={"depth": ["pane"]})
    return EvaluatedShot.of(empty.with_elements({"pane": one, "settings": settings}))


def scene_at(shot: EvaluatedShot, frame: int, pictures: Any, known: Truth, scale: float, samples: int) -> FrameScene:
    """A frame with the true hand before it."""
    made = FrameScene(shot, frame, pictures, scale, samples)
    hand = cv2.resize(known.hand[frame], made.ground.size, interpolation=cv2.INTER_LINEAR)
    made.covers = made.sitting._covers = TrueCovers(hand)  # type: ignore[assignment]
    return made


def picked(frame: int, place: tuple[float, float], stands_for: Literal["dark", "light"], shown: float = 1.0) -> Picked:
    """A place of the pane as it is picked on a frame of the plate."""
    x, y = apply(unit_square_to_quad(scene.screen_corners(frame)), np.array([place]))[0]
    return Picked(frame, float(x), float(y), stands_for, shown)


def scored(sit: SitIn, pictures: Pictures, known: Truth) -> tuple[float, float, float, float]:
    """CIEDE2000 inside the pane (mean, 95th percentile), at the hand's rim inside it, and ms a frame."""
    shot, every, rims, spent = shot_with(sit), [], [], 0.0
    for frame in JUDGED:
        made = scene_at(shot, frame, pictures, known, 1.0, pane.FINAL)
        start = time.perf_counter()
        picture = made.look("composite", made.whole)
        spent += time.perf_counter() - start
        off = ciede2000(lab(picture / np.float32(255)), lab(known.true[frame] / np.float32(255)))
        inside = made.panes.matte_of(shot.panes[0]) > 0.5
        hand = known.hand[frame]
        every.append(off[inside])
        rims.append(off[inside & (hand > 0.02) & (hand < 0.98)])
    all_ = np.concatenate(every)
    rim = float(np.concatenate(rims).mean())
    return float(all_.mean()), float(np.percentile(all_, 95)), rim, spent / len(JUDGED) * 1000


def sat_in(pictures: Pictures) -> SitIn:
    """All rows as one press proposes them, and the level by two picks."""
    start = SitIn(clean=CLEAN)
    bare = shot_with(start)
    sit, _ = proposed(bare, bare.panes[0], pictures)
    level = LevelRow()
    for pick in (picked(10, BLACK, "dark"), picked(10, WHITE, "light", LIGHT / 255)):
        level = levelled_by(level, bare.plate, pick, pictures)
    return sit.model_copy(update={"level": level})


def run() -> list[Row]:
    """All of them."""
    known = truth()
    pictures = Pictures(known)
    sit = sat_in(pictures)
    mean, p95, rim, _ = scored(sit, pictures, known)
    plain = scored(SitIn(), pictures, known)
    with_rim = scored(sit.model_copy(update={"edges": sit.edges.model_copy(update={"on": False})}), pictures, known)
    lit = sit.model_copy(
        update={
            "glow": GlowRow(on=True),
            "light": GlowRow(on=True, amount=0.3, width=30),
            "mix": MixRow(on=True, mode="screen", amount=0.2),
        }
    )
    rows = [
        Row("sit in: composite against rendered truth in the pane, DE2000 mean", mean, "", "sit.truth:mean", f"without it {plain[0]:.2f}"),
        Row("  95th percentile", p95, "", "sit.truth:p95", f"without it {plain[1]:.2f}"),
        Row("  at the hand's rim, mean", rim, "", None, f"without the row of edges {with_rim[2]:.2f}, without any {plain[2]:.2f}"),
        _rim(known),
        *_speed(lit, pictures, known),
        *_proportions(),
    ]  # fmt: skip
    return rows


def _rim(known: Truth) -> Row:
    """How far the hand's own share of its rim is off, beside what it is without being told apart: its matte times the plate.

    What is true comes from the plate with a black screen, less the little light that its glass mirrors close by.
    """
    told, without = [], []
    for frame in JUDGED:
        plate, black, hand = _linear(known.old[frame]), _linear(known.black[frame]), known.hand[frame]
        inside = np.zeros(hand.shape, np.uint8)
        cv2.fillConvexPoly(inside, np.round(scene.screen_corners(frame)).astype(np.int32), 1)
        inside = np.asarray(cv2.erode(inside, np.ones((25, 25), np.uint8)), np.uint8)
        clear = ((hand < 0.001) & (inside > 0)).astype(np.float32)
        light, share = cv2.boxFilter(black * clear[..., None], -1, (41, 41)), cv2.boxFilter(clear, -1, (41, 41))
        mirrored = light / np.maximum(share, 1e-4)[..., None]
        own = black - (1 - hand[..., None]) * mirrored
        rim = (inside > 0) & (hand > 0.02) & (hand < 0.98)
        told.append(np.abs(own_share(plate, np.asarray(hand, np.float32)) - own)[rim])
        without.append(np.abs(hand[..., None] * plate - own)[rim])
    off, bare = float(np.concatenate(told).mean()), float(np.concatenate(without).mean())
    peer = f"linear light {off:.4f}, {bare:.4f} without"
    return Row("  the hand's own colour at its rim, error beside that without", off / bare, "", "sit.rim", peer)


def _speed(sit: SitIn, pictures: Pictures, known: Truth) -> list[Row]:
    """All rows on, a 1080p plate: the viewer's picture, and the final frame."""
    shot, rows = shot_with(sit, 1.5), []
    for name, scale, samples, goal in (
        ("viewer", 0.5, pane.PREVIEW, "sit.preview"),
        ("final", 1.0, pane.FINAL, "sit.final"),
    ):
        spent = []
        for frame in (*JUDGED, *JUDGED):
            made = scene_at(shot, frame, pictures, known, scale, samples)
            _ = made.ground.plate
            start = time.perf_counter()
            made.look("composite", made.whole)
            spent.append(time.perf_counter() - start)
        plain = FrameScene(shot_with(SitIn(), 1.5), JUDGED[0], pictures, scale, samples)
        start = time.perf_counter()
        plain.look("composite", plain.whole)
        bare = (time.perf_counter() - start) * 1000
        rows.append(Row(f"sit in: all rows on, 1080p plate, {name}", float(np.median(spent[6:])) * 1000, "ms", goal, f"without any {bare:.0f} ms"))  # fmt: skip
    return rows


def _proportions() -> list[Row]:
    """The true width over height of panes by their motion alone."""
    rows = []
    for name in ("door", "tray", "textured", "sliding"):
        shot = getattr(panel_shots, name)()
        quads = np.stack([shot.corners(f) for f in range(shot.frames)])
        inside = np.isfinite(quads).all((1, 2))
        true = shot.screen[0] / shot.screen[1]
        try:
            found = proportions(quads[inside], scene.WIDTH, scene.HEIGHT)
        except UnknownProportionsError as error:
            rows.append(Row(f"proportions of the pane, {name}: refused", 0.0, "%", None, str(error)[:90]))
            continue
        peer = f"typed {true:.4f}, found {found.aspect:.4f}; focal length {found.focal:.0f} of {scene.FOCAL:.0f} px"
        rows.append(
            Row(f"proportions of the pane, {name}", 100 * abs(found.aspect / true - 1), "%", "sit.proportions", peer)
        )
    return rows


if __name__ == "__main__":
    from benchmarks.table import show

    show(run())
