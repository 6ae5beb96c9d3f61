"""Outlines brought onto the edges of a matte of what covers the picture behind."""

from __future__ import annotations

from functools import cache, partial

import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from benchmarks.truth import edge_of, fitted, off
from wiseglove.core.behind.clean import Behind, clean_picture
from wiseglove.core.behind.difference import difference_within
from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.matte.combine import outline_matte
from wiseglove.core.matte.coverage import Box
from wiseglove.core.outline.carry import OutlineFollower
from wiseglove.core.outline.normals import normals_of
from wiseglove.core.outline.silhouette import FACING, WHOLE, Silhouette, SilhouetteFollower
from wiseglove.core.outline.towards import carry_range
from wiseglove.demo import walker

KINDS = ["smooth"] * 4
SIZE = (200, 240)


def disc(x: float, y: float, radius: float) -> NDArray[np.float32]:
    box = Box(0, 0, SIZE[1], SIZE[0])
    return np.asarray(
        cv2.GaussianBlur(outline_matte(ellipse(x, y, radius, radius)[None], box), (0, 0), 1.0), np.float32
    )


def distance(points: NDArray[np.float64], x: float, y: float, radius: float) -> float:
    places = normals_of(points, list(range(len(points))), 1.0).places
    return float(np.abs(np.hypot(*(places - (x, y)).T) - radius).mean())


@given(st.floats(90, 150), st.floats(80, 120), st.floats(25, 60))
def test_edges_are_told_to_a_tenth_of_a_pixel_and_face_out_of_the_matte(x: float, y: float, radius: float) -> None:
    found = Silhouette(disc(x, y, radius))
    away = found.places - (x, y)
    lengths = np.hypot(*away.T)
    # A soft edge of a small disc lies a little inside of it: blurring takes about sigma squared over two radii.
    assert abs(float(np.mean(lengths)) - radius) < 0.1
    assert float(np.std(lengths)) < 0.1
    assert ((found.outward * away).sum(axis=1) / lengths > 0.95).all()


@given(st.floats(-12, 12), st.floats(-12, 12), st.floats(0.85, 1.15))
def test_an_outline_is_brought_onto_the_edge_nearby(dx: float, dy: float, size: float) -> None:
    edges = Silhouette(disc(120, 100, 50))
    found = edges.onto(ellipse(120 + dx, 100 + dy, 50 * size, 50 * size), KINDS, WHOLE, FACING)
    # Four points, whose handles would rather stay, leave a little of the difference in size.
    assert distance(found, 120, 100, 50) < 0.8


def test_an_edge_that_faces_the_other_way_is_none_of_it() -> None:
    hole = Silhouette((1 - disc(120, 100, 50)).astype(np.float32))
    start = ellipse(122, 100, 50, 50)
    assert np.array_equal(hole.onto(start, KINDS, WHOLE, FACING), start)
    assert not hole.agrees(normals_of(start, list(range(4)), 2.0), 5).any()


def test_where_nothing_is_known_no_edge_is_told() -> None:
    known = np.ones(SIZE, bool)
    known[:, :120] = False
    assert (Silhouette(disc(120, 100, 50), known).places[:, 0] > 120).all()
    assert not len(Silhouette(disc(120, 100, 50), np.zeros(SIZE, bool)).places)
    assert not len(Silhouette(np.zeros(SIZE, np.float32)).places)


@cache
def walked(frame: int) -> walker.Walked:
    return walker.walk(frame, "leaves")


@cache
def behind() -> Behind:
    return clean_picture(np.stack([walked(f).plate for f in (0, 36, 44, 52, 60, 68)]))


@pytest.mark.parametrize(("step", "most"), [(1, 1.0), (-1, 4.0)], ids=["legs apart", "legs that cross"])
def test_a_walking_figure_is_carried_on_by_what_is_known_behind(step: int, most: float) -> None:
    frames = [20 + k * step for k in range(4)]
    points, kinds = fitted(walked(20).whole, 1.0)

    def error(found: dict[int, NDArray[np.float64]]) -> float:
        return float(np.mean([off(edge_of(walked(f).whole), flatten(found[f], 0.3)) for f in frames[1:]]))

    covered = partial(difference_within, behind())
    carried = carry_range(lambda f: walked(f).plate, {20: points}, kinds, min(frames), max(frames), covered=covered)
    found = {d.frame: d.points for d in carried if d.points is not None}
    assert sorted(found) == sorted(frames), "every frame is delivered"
    follower = OutlineFollower(walked(20).plate, points, kinds)
    alone = {f: told.points for f in frames[1:] if (told := follower.anyway(walked(f).plate)) is not None}
    assert error(found) < most
    assert error(found) < 0.6 * error(alone), "much better than by what is seen to move inside alone"


def test_a_part_keeps_to_itself_where_it_has_no_edge_of_the_figure() -> None:
    part, hidden = walked(20).parts["near arm"], walked(22).parts["near arm"]
    points, kinds = fitted(part, 1.0)
    covered = partial(difference_within, behind())
    carried = {d.frame: d for d in carry_range(lambda f: walked(f).plate, {20: points}, kinds, 20, 22, covered=covered)}
    truth = shapely.MultiLineString(edge_of(hidden))
    last = carried[22]
    assert last.points is not None
    assert off(truth, flatten(last.points, 0.3)) < 1.5
    assert last.doubt is not None
    assert last.doubt.shape == (len(points),)


def test_someone_else_who_touches_a_figure_is_not_taken_into_its_outline() -> None:
    rng = np.random.default_rng(5)
    size = (220, 360)

    def cloth(colour: tuple[int, int, int], coarse: float) -> NDArray[np.float32]:
        grain = cv2.GaussianBlur(rng.standard_normal(size).astype(np.float32), (0, 0), coarse)
        return np.asarray(np.array(colour) + 26 * grain[..., None] / grain.std(), np.float32)

    wall, own, other = cloth((92, 96, 88), 4), cloth((60, 92, 170), 2), cloth((186, 96, 60), 2)

    def frame(k: int) -> NDArray[np.uint8]:
        picture = wall
        for matte, coat, way in ((_oval(size, 290 - 12 * k), other, -12), (_oval(size, 110 + 3 * k), own, 3)):
            picture = picture * (1 - matte[..., None]) + np.roll(coat, way * k, axis=1) * matte[..., None]
        return np.asarray(np.clip(np.round(picture + rng.normal(0, 1, wall.shape)), 0, 255), np.uint8)

    frames = [frame(k) for k in range(12)]
    behind = Behind(wall, np.ones(size, bool), 1.2)
    covered = partial(difference_within, behind)
    points, kinds = fitted(np.round(255 * _oval(size, 110)).astype(np.uint8), 1.0)
    touching = [(_oval(size, 110 + 3 * k) * _oval(size, 290 - 12 * k)).max() > 0.1 for k in range(12)]
    assert any(touching)
    for told in carry_range(frames.__getitem__, {0: points}, kinds, 0, 11, covered=covered):
        assert told.points is not None
        mine = outline_matte(told.points[None], Box(0, 0, size[1], size[0])) > 0.5
        true = _oval(size, 110 + 3 * told.frame) > 0.5
        assert (mine & true).sum() > 0.9 * (mine | true).sum(), (told.frame, touching[told.frame])


def _oval(size: tuple[int, int], x: float) -> NDArray[np.float32]:
    matte = outline_matte(ellipse(x, 110, 34, 74)[None], Box(0, 0, size[1], size[0]))
    return np.asarray(cv2.GaussianBlur(matte, (0, 0), 0.7), np.float32)


@pytest.mark.parametrize(("step", "asked"), [(6, 1), (34, 2)], ids=["goes on", "leaps"])
def test_what_is_covered_is_told_around_where_a_thing_is_however_far_it_goes(step: int, asked: int) -> None:
    rng = np.random.default_rng(3)
    wall = cv2.GaussianBlur(rng.uniform(60, 120, (300, 420, 3)).astype(np.float32), (0, 0), 2)
    cloth = cv2.GaussianBlur(rng.uniform(150, 255, (80, 80, 3)).astype(np.float32), (0, 0), 2)

    def plate(left: int) -> NDArray[np.uint8]:
        shown = wall.copy()
        shown[110:190, left : left + 80] = cloth
        return np.asarray(np.clip(shown, 0, 255), np.uint8)

    boxes: list[tuple[int, int, int, int]] = []

    def covered(
        picture: NDArray[np.uint8], box: tuple[int, int, int, int]
    ) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
        boxes.append(box)
        return difference_within(Behind(wall, np.ones(wall.shape[:2], bool), 1.0), picture, box)

    square = np.zeros((4, 8))
    square[:, :2] = [(120, 110), (200, 110), (200, 190), (120, 190)]
    follower = SilhouetteFollower(plate(120), square, ["corner"] * 4, covered)
    boxes.clear()
    found = follower.anyway(plate(120 + step))
    assert found is not None
    assert np.abs(found.points[:, :2] - (square[:, :2] + (step, 0))).max() < 1.0
    # Told beforehand around where it was; anew around where it is, where that is too far off.
    assert len(boxes) == asked
    assert max(b[2] for b in boxes) >= 200 + step + 40
