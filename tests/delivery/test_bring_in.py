"""Things of others brought into a shot: what comes lies where it lay."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import orjson
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.builders import HEIGHT, WIDTH, PlainPictures, empty_shot, shot_with_hand_and_pane, small_plate
from tests.strategies import blob
from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.core.outline.from_mattes import traced
from wiseglove.delivery import outlines
from wiseglove.delivery.bring_in import bring_in, read_into
from wiseglove.delivery.shot_file import written
from wiseglove.interchange import coco, lottie, pane_motion, svg
from wiseglove.interchange.drawn import UnreadableError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.render import FrameScene

FRAMES = range(1001, 1021)


def raster(points: np.ndarray, size: tuple[int, int] = (WIDTH, HEIGHT)) -> np.ndarray:
    hard = np.concatenate([points[:, :6], np.zeros((len(points), 2))], axis=1)
    return coverage(hard, Box(0, 0, *size))


def matte_of(shot: EvaluatedShot, frame: int) -> np.ndarray:
    scene = FrameScene(shot, frame, PlainPictures())
    return scene.whole_matte(scene.whole)


def applied(shot: EvaluatedShot, name: str, data: bytes, frame: int = 1001) -> EvaluatedShot:
    edit, told = read_into(shot, name, data, frame)
    assert told
    return shot.advanced(shot.document.with_elements(edit.apply(shot).after, shot.revision + 1))


@pytest.mark.parametrize("how", ["svg", "lottie", "shot"])
def test_a_shots_own_covers_come_back_in_another_shot(how: str) -> None:
    shot = shot_with_hand_and_pane()
    sheet, layers = outlines.sheet_of(shot, FRAMES), outlines.layers(shot, FRAMES)
    name, data = {
        "svg": ("a.svg", svg.write(layers, sheet).encode()),
        "lottie": ("a.json", lottie.write(layers, sheet)),
        "shot": ("a.json", written(shot.document, {})),
    }[how]
    other = applied(empty_shot(), name, data)
    for frame in (1001, 1010, 1020):
        assert np.abs(matte_of(other, frame) - matte_of(shot, frame)).max() < 2e-3
    assert [c.name for c in other.covers] == ["Hand"]
    assert len(other.panes) == (1 if how == "shot" else 0)


def test_even_movement_needs_two_keys_only() -> None:
    shape = blob(2)[:, :6]
    frames = np.array(FRAMES)
    shapes = np.repeat(shape[None], len(frames), axis=0)
    shapes[:, :, 0] += np.arange(len(frames))[:, None] * 0.5
    sheet = outlines.sheet_of(empty_shot(), FRAMES)
    from wiseglove.interchange.drawn import Curve, Layer

    data = lottie.write([Layer("Card", [Curve("adds", frames, shapes, np.ones(len(frames)))])], sheet)
    (outline,) = [e for e in applied(empty_shot(), "a.json", data).elements.values() if e.kind == "outline"]
    assert [k.frame for k in outline.keys] == [1001, 1020]


def test_corners_with_holes_and_from_below_come_as_a_pane() -> None:
    shot = shot_with_hand_and_pane()
    rows = outlines.moments(shot, shot.panes[0], FRAMES)
    sheet = outlines.sheet_of(shot, FRAMES)
    holed = rows[:4] + rows[9:]
    for how in (pane_motion.Manner(), pane_motion.Manner("share", "bottom")):
        data = pane_motion.to_json(holed, sheet, how, 1.6, "Screen")
        pane = applied(empty_shot(), "s.json", data).panes[0]
        found = EvaluatedShot.of(applied(empty_shot(), "s.json", data).document)
        assert len(pane.keys) == len(FRAMES) - 5
        assert np.abs(found.corners_at(found.panes[0], 1007) - shot.corners_at(shot.panes[0], 1007)).max() < 1e-3
    table = pane_motion.to_csv(holed, sheet, pane_motion.Manner(), None).encode()
    _, (told,) = read_into(empty_shot(), "s.csv", table, 1001)
    assert "5 between them are missing" in told


@settings(max_examples=25, deadline=None)
@given(st.sampled_from(["pixels", "share"]), st.sampled_from(["top", "bottom"]), st.integers(0, 1000))
def test_the_homography_takes_the_inserts_corners_to_the_panes_as_opencv_says(
    units: str, origin: str, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    quad = np.array([[20.0, 15], [105, 18], [100, 80], [22, 76]]) + rng.uniform(-6, 6, (4, 2))
    how = pane_motion.Manner(units, origin, (640, 360))  # type: ignore[arg-type]
    sheet = outlines.sheet_of(empty_shot(), FRAMES)
    made = pane_motion.homography(quad, sheet, how)
    wide, high = (640, 360) if units == "pixels" else (1, 1)
    top, low = (high, 0) if origin == "bottom" else (0, high)
    own = np.array([[0, top], [wide, top], [wide, low], [0, low]], np.float32)
    wanted = cv2.getPerspectiveTransform(own, pane_motion.places(quad, sheet, how).astype(np.float32))
    assert made is not None
    seen = cv2.perspectiveTransform(own[None].astype(np.float64), made)
    assert np.abs(seen - cv2.perspectiveTransform(own[None].astype(np.float64), wanted)).max() < 1e-2


def test_mattes_become_outlines_with_the_same_points_that_follow_what_moves() -> None:
    """A blob that shifts, turns and grows, with a hole: within a third of a pixel, and points stay where they were put."""
    size = (320, 240)
    base = blob(5)[:, :6]
    base[:, :2] = (base[:, :2] - base[:, :2].mean(0)) * 2.2
    base[:, 2:] *= 2.2

    def shape(frame: int) -> np.ndarray:
        t = frame - 1001
        angle, grow = np.radians(1.5 * t), 1 + 0.01 * t
        turn = grow * np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        out = (base.reshape(-1, 3, 2) @ turn.T).reshape(-1, 6)
        out[:, :2] += (120 + 3 * t, 110 + t)
        return out

    def read(frame: int) -> np.ndarray:
        hole = ellipse(120 + 3 * (frame - 1001), 110 + (frame - 1001), 7, 7)
        return raster(shape(frame), size) * (1 - raster(hole, size))

    found = traced(FRAMES, read)
    assert [t.hole for t in found] == [False, True]
    assert all(set(t.shapes) == set(FRAMES) for t in found)
    off, moved = [], []
    first = found[0].shapes[1001][:, :2]
    for frame in FRAMES:
        again = raster(found[0].shapes[frame], size) * (1 - raster(found[1].shapes[frame], size))
        true = read(frame)
        edge = np.count_nonzero((true > 0.02) & (true < 0.98))
        off.append(np.abs(again - true).sum() / edge)
        t = frame - 1001
        angle, grow = np.radians(1.5 * t), 1 + 0.01 * t
        turn = grow * np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        wanted = (first - (120, 110)) @ turn.T + (120 + 3 * t, 110 + t)
        moved.append(np.linalg.norm(found[0].shapes[frame][:, :2] - wanted, axis=1).mean())
    assert max(off) < 0.34
    assert np.mean(moved) < 4.0


def test_mattes_of_files_and_of_annotations_come_as_covers(tmp_path: Path) -> None:
    shot = shot_with_hand_and_pane()
    for frame in FRAMES:
        cv2.imwrite(str(tmp_path / f"m.{frame}.png"), np.round(matte_of(shot, frame) * 255).astype(np.uint8))
    other, told = bring_in(empty_shot(), tmp_path, 1001, "Hand")
    assert told == ["Hand: 1 outlines from mattes, 1 keys"] or "outlines from mattes" in told[0]
    true = matte_of(shot, 1010)
    assert np.abs(matte_of(other, 1010) - true).sum() < 0.3 * np.count_nonzero((true > 0) & (true < 1)) + 20
    marked = list(outlines.marked(shot, FRAMES, (), PlainPictures(), polygons=False))
    data = coco.write(marked, outlines.sheet_of(shot, FRAMES), "Tap")
    third = applied(empty_shot(), "c.json", data)
    assert np.abs((matte_of(third, 1010) > 0.5) != (true > 0.5)).sum() < 30


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("a.csv", b"frame,x1\n1,2\n", "no column"),
        ("a.csv", b"frame,x1,y1,x2,y2,x3,y3,x4,y4\n1001,1,1,9,1,9,9,,\n", "some corners and not others"),
        ("a.csv", b"frame,x1,y1,x2,y2,x3,y3,x4,y4\n1001,1,1,9,9,9,1,1,9\n", "cross each other"),
        ("a.csv", b"frame,x1,y1,x2,y2,x3,y3,x4,y4\n7,1,1,9,1,9,9,1,9\n", "no corners on a frame"),
        ("a.csv", b"frame,x1,y1,x2,y2,x3,y3,x4,y4\n1001,nan,1,9,1,9,9,1,9\n", "not numbers"),
        ("a.csv", b"\xff\xfe", "UTF-8"),
        ("a.json", b"{", "not whole JSON"),
        ("a.json", b"[]", "no JSON that is known"),
        ("a.json", b'{"points": [[1, 2]]}', "at least three points"),
        ("a.json", b'{"kind": "wiseglove shot", "format": 99, "shot": {"format": 99, "elements": {}}}', "newer"),
        ("a.doc", b"x", "none of the kinds"),
        ("a.otio", b"{}", "No clip"),
    ],
)
def test_what_cannot_be_brought_in_is_said_and_changes_nothing(name: str, data: bytes, said: str) -> None:
    shot = shot_with_hand_and_pane()
    with pytest.raises(UnreadableError, match=said):
        read_into(shot, name, data, 1001)


def test_annotations_of_another_size_and_mattes_of_another_size_are_refused(tmp_path: Path) -> None:
    data = orjson.loads(coco.write([], outlines.sheet_of(empty_shot(), FRAMES), "Tap"))
    data["images"][0]["height"] = 7
    with pytest.raises(UnreadableError, match="128x7"):
        read_into(empty_shot(), "a.json", orjson.dumps(data), 1001)
    cv2.imwrite(str(tmp_path / "m.1001.png"), np.zeros((9, 9), np.uint8))
    with pytest.raises(UnreadableError, match="9x9"):
        bring_in(empty_shot(small_plate()), tmp_path, 1001)
