"""Covers to begin with: hands found by the small networks on the rendered glove, and what differs from a clean picture."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from wiseglove.core.geometry.bezier import flatten
from wiseglove.core.starters.differing import things_in
from wiseglove.core.starters.hand import Hand, HandFinder, NoModelError
from wiseglove.core.starters.outlines import FINGERS, around_joints, starters_of
from wiseglove.demo import install, scene

ROOT = Path(__file__).resolve().parents[3]
FRAMES = (12, 33, 58, 90)
PARTS = ("palm", "thumb", "index", "middle", "ring", "little")


@pytest.fixture(scope="module")
def finder() -> HandFinder:
    return HandFinder(ROOT / "web" / "dist" / "models")


@pytest.fixture(scope="module")
def plates(footage: Path) -> dict[int, Any]:
    with av.open(str(footage / install.MOVIE)) as movie:
        return {i: f.to_ndarray(format="rgb24") for i, f in enumerate(movie.decode(video=0)) if i in FRAMES}


def palm(hand: Hand) -> float:
    return float(np.linalg.norm(hand.joints[9] - hand.joints[0]))


@pytest.mark.parametrize("index", FRAMES)
def test_the_glove_is_found_and_its_index_finger_lies_on_the_rendered_joints(
    finder: HandFinder, plates: dict[int, Any], index: int
) -> None:
    (hand,) = finder.find(plates[index])
    true = scene.camera_at(index).project(scene.hand_at(index).joints["index"][0])
    off = np.linalg.norm(hand.joints[list(FINGERS["Index finger"])] - true, axis=1)
    assert off.mean() < 0.25 * palm(hand)


@pytest.mark.parametrize("turn", [cv2.ROTATE_90_CLOCKWISE, cv2.ROTATE_180, cv2.ROTATE_90_COUNTERCLOCKWISE])
def test_a_turned_hand_has_turned_joints(finder: HandFinder, plates: dict[int, Any], turn: int) -> None:
    plate = plates[FRAMES[2]]
    (upright,), (turned,) = finder.find(plate), finder.find(cv2.rotate(plate, turn))
    height, width = plate.shape[:2]
    x, y = upright.joints.T
    wanted = {
        cv2.ROTATE_90_CLOCKWISE: np.stack([height - y, x], axis=1),
        cv2.ROTATE_180: np.stack([width - x, height - y], axis=1),
        cv2.ROTATE_90_COUNTERCLOCKWISE: np.stack([y, width - x], axis=1),
    }[turn]
    assert np.linalg.norm(turned.joints - wanted, axis=1).mean() < 0.2 * palm(upright)


def test_a_hand_that_is_small_in_the_picture_is_found(finder: HandFinder, plates: dict[int, Any]) -> None:
    far = np.full((1080, 1920, 3), 40, np.uint8)
    small = cv2.resize(plates[FRAMES[1]], None, fx=0.4, fy=0.4, interpolation=cv2.INTER_AREA)
    far[600 : 600 + small.shape[0], 1300 : 1300 + small.shape[1]] = small
    (hand,) = finder.find(far)
    (near,) = finder.find(plates[FRAMES[1]])
    assert np.linalg.norm(hand.joints - (near.joints * 0.4 + (1300, 600)), axis=1).mean() < 0.3 * palm(hand)


def test_nothing_is_seen_where_there_is_no_hand(finder: HandFinder, plates: dict[int, Any]) -> None:
    leaves = plates[FRAMES[1]][400:, :420]
    noise = np.random.default_rng(3).integers(0, 255, (480, 640, 3)).astype(np.uint8)
    for picture in (leaves, noise, np.zeros((300, 400, 3), np.uint8), np.full((9, 7, 3), 90, np.uint8)):
        assert finder.find(picture) == []


def test_networks_that_are_not_there_are_said_to_be_missing(tmp_path: Path) -> None:
    with pytest.raises(NoModelError):
        HandFinder(tmp_path)


@pytest.mark.parametrize("index", FRAMES)
def test_the_whole_hand_s_outline_lies_on_the_hand(
    finder: HandFinder, plates: dict[int, Any], footage: Path, index: int
) -> None:
    (hand,) = finder.find(plates[index])
    whole, *fingers = starters_of(plates[index], hand)
    parts = [cv2.imread(str(footage / "truth" / f"{p}.{1001 + index}.png"), cv2.IMREAD_GRAYSCALE) for p in PARTS]
    true = np.maximum.reduce(parts) > 127
    drawn = np.zeros(true.shape, np.uint8)
    cv2.fillPoly(drawn, [np.round(flatten(whole.points, 0.5) * 16).astype(np.int32)], 1, shift=4)
    inside = drawn > 0
    assert (inside & true).sum() > 0.88 * inside.sum()
    assert inside.sum() > 2.0 * palm(hand) ** 2 / 2  # and it is the hand, not a scrap of it
    assert [f.name for f in fingers] == list(FINGERS)
    likely = {f.name for f in fingers if f.likely}
    assert "Index finger" in likely or index == FRAMES[0]
    assert not likely & {"Middle finger", "Ring finger", "Little finger"}  # these are curled


@given(
    arrays(np.float64, (4, 2), elements=st.floats(-300, 300)),
    arrays(np.float64, 4, elements=st.floats(2, 20)),
)
def test_a_finger_s_outline_goes_round_its_joints(joints: Any, sizes: Any) -> None:
    steps = np.linalg.norm(np.diff(joints, axis=0), axis=1)
    ways = np.diff(joints, axis=0) / np.maximum(steps, 1e-9)[:, None]
    if steps.min() < 3 * sizes.max() or (ways[:-1] * ways[1:]).sum(axis=1).min() < 0.5:
        return  # no finger: joints on top of each other, or bent back
    line = shapely.make_valid(shapely.Polygon(flatten(around_joints(joints, sizes), 0.2)))
    inner = shapely.LineString(joints)
    assert line.buffer(0.35 * sizes.max()).covers(inner)


def test_what_differs_gets_an_outline_and_dirt_gets_none() -> None:
    rows, columns = np.mgrid[0:360, 0:640]
    figure = ((columns - 200) / 60.0) ** 2 + ((rows - 180) / 140.0) ** 2 < 1
    box = (abs(columns - 480) < 40) & (abs(rows - 100) < 30)
    dirt = (abs(columns - 600) < 4) & (abs(rows - 300) < 4)
    found = things_in((figure | box | dirt).astype(np.float32))
    areas = [shapely.Polygon(flatten(f.points, 0.1)).area for f in found]
    assert areas == pytest.approx([np.pi * 60 * 140, 80 * 60], rel=0.03)
    assert [f.likely for f in found] == [True, False]
    assert things_in(np.zeros((90, 160), np.float32)) == []
