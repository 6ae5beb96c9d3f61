"""Tracing, snapping, carrying on and thinning out, on pictures whose edges are known exactly."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, distance
from shapely import points as shapely_points

from tests.strategies import blob, seeds
from wiseglove.core.geometry.bezier import ellipse, flatten
from wiseglove.core.matte.coverage import Box, coverage
from wiseglove.core.outline.carry import OutlineFollower
from wiseglove.core.outline.edges import gradients, linear_light, seen_at
from wiseglove.core.outline.inbetween import Animation, in_between
from wiseglove.core.outline.points import mirror, remove_points, round_points
from wiseglove.core.outline.snap import snap, stretch_between
from wiseglove.core.outline.thin import thin_out
from wiseglove.core.outline.trace import Room, Tree, edge_costs, settled

WIDTH, HEIGHT = 320, 240


def textured(seed: int, low: int, high: int) -> np.ndarray:
    """A picture with soft patches."""
    rng = np.random.default_rng(seed)
    patches = cv2.resize(rng.uniform(low, high, (30, 40, 3)).astype(np.float32), (WIDTH, HEIGHT))
    return cv2.GaussianBlur(patches, (0, 0), 2)


def picture_of(
    points: np.ndarray,
    seed: int = 1,
    blur: float = 0.8,
    shift: tuple[float, float] = (0, 0),
    travel: tuple[float, float] = (0, 0),
) -> np.ndarray:
    """A bright textured thing before a dark textured ground, its coverage mixed in linear light, with grain.

    `blur` is the lens's; over the exposure the thing travels so far, half of it before and half after.
    """
    steps = np.linspace(-0.5, 0.5, 17) if any(travel) else np.zeros(1)
    light = np.zeros((HEIGHT, WIDTH, 3))
    ground = (textured(seed + 50, 15, 60) / 255) ** 2.2
    for step in steps:
        here = (step * travel[0], step * travel[1])
        moved = points + np.array([*here, 0, 0, 0, 0, 0, 0])
        share = cv2.GaussianBlur(coverage(moved, Box(0, 0, WIDTH, HEIGHT)), (0, 0), blur)[..., None]
        place = np.float32([[1, 0, shift[0] + here[0]], [0, 1, shift[1] + here[1]]])
        inside = (cv2.warpAffine(textured(seed, 90, 220), place, (WIDTH, HEIGHT)) / 255) ** 2.2
        light += (inside * share + ground * (1 - share)) / len(steps)
    grain = np.random.default_rng(seed + 9).normal(0, 2.5, light.shape)
    return np.clip(255 * light ** (1 / 2.2) + grain, 0, 255).astype(np.uint8)


def off(points: np.ndarray, truth: np.ndarray) -> float:
    """Mean distance of a curve from the true one, in pixels."""
    return float(distance(LineString(flatten(truth, 0.01)), shapely_points(flatten(points, 0.05))).mean())


HAND = blob(4, 10, (160.0, 120.0), 70.0)
KINDS = ["smooth"] * 10


def test_linear_light_and_bilinear_values_are_where_they_should_be() -> None:
    picture = np.zeros((8, 8, 3), np.uint8)
    picture[:, 4:] = 255
    layer = linear_light(picture, 0.01)
    assert seen_at(layer, np.array([[2.5, 3.5], [6.5, 3.5], [4.0, 4.0]]))[:, 0] == pytest.approx([0, 255, 127.5], abs=1)
    assert gradients(layer)[4].argmax() in (3, 4)


@pytest.mark.parametrize("start", [0.0, 0.8, 2.1, 4.0])
def test_a_trace_follows_the_edge_between_two_clicks(start: float) -> None:
    radius, centre = 80.0, (160.0, 120.0)
    picture = picture_of(ellipse(*centre, radius, radius))
    angles = start + np.array([0.0, 100.0 / radius])
    first, last = np.stack([centre[0] + radius * np.cos(angles), centre[1] + radius * np.sin(angles)], axis=1)
    line = Tree(edge_costs(picture), tuple(first)).path(tuple(last))
    fine = settled(line, gradients(linear_light(picture, 1.6)))
    assert np.abs(np.hypot(*(fine - centre).T) - radius).mean() < 1.0
    assert np.linalg.norm(fine[0] - first) < 1
    assert np.linalg.norm(fine[-1] - last) < 1


def test_the_path_is_the_cheapest_one() -> None:
    # Against SciPy's Dijkstra on the same graph.
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import dijkstra

    rng = np.random.default_rng(5)
    costs = rng.integers(20, 61, (18, 23)).astype(np.uint8)
    rows, columns = costs.shape
    start, end, weight = [], [], []
    for r in range(rows):
        for c in range(columns):
            for dr in (-1, 0, 1):
                for dc in (-1, 0, 1):
                    if (dr or dc) and 0 <= r + dr < rows and 0 <= c + dc < columns:
                        start.append(r * columns + c)
                        end.append((r + dr) * columns + c + dc)
                        weight.append(int(costs[r + dr, c + dc]) * (7 if dr and dc else 5))
    graph = csr_array((weight, (start, end)), shape=(costs.size, costs.size))
    expected = dijkstra(graph, indices=4 * columns + 3)
    tree = Tree(costs, (3.5, 4.5), Room())
    for r, c in ((0, 0), (17, 22), (9, 11), (4, 3)):
        path = (tree.path((c + 0.5, r + 0.5)) - 0.5).astype(int)
        steps = np.abs(np.diff(path, axis=0)).sum(axis=1)
        total = sum(int(costs[y, x]) * (7 if s == 2 else 5) for (x, y), s in zip(path[1:], steps, strict=True))
        assert total == expected[r * columns + c]


@pytest.mark.parametrize("blur", [0.8, 2.0])
@pytest.mark.parametrize("angle", [0.3, 2.0, 3.9, 5.4])
def test_a_curve_five_pixels_off_snaps_back_onto_the_edge(angle: float, blur: float) -> None:
    wrong = HAND.copy()
    wrong[:, :2] += 5 * np.array([np.cos(angle), np.sin(angle)])
    found = snap(picture_of(HAND, blur=blur), wrong, [], KINDS, 12.0)
    assert found.reason == ""
    assert off(wrong, HAND) > 2.5
    assert off(found.points, HAND) < 0.5


@pytest.mark.parametrize("angle", [0.3, 2.0, 3.9])
def test_it_snaps_to_the_middle_of_what_motion_has_blurred(angle: float) -> None:
    wrong = HAND.copy()
    wrong[:, :2] += 5 * np.array([np.cos(angle), np.sin(angle)])
    found = snap(picture_of(HAND, travel=(6.0, 3.0)), wrong, [], KINDS, 12.0)
    assert off(found.points, HAND) < 0.5


def test_only_the_chosen_stretch_snaps() -> None:
    wrong = HAND.copy()
    wrong[:, 0] += 4
    found = snap(picture_of(HAND), wrong, [2, 3, 4], KINDS, 12.0)
    still = [0, 1, 5, 6, 7, 8, 9]
    assert np.array_equal(found.points[still], wrong[still])
    assert np.abs(found.points[[2, 3, 4], :2] - wrong[[2, 3, 4], :2]).max() > 1
    assert stretch_between(10, [9, 0, 4]) == [9]


def test_without_an_edge_nothing_moves_and_the_reason_is_told() -> None:
    flat = np.full((HEIGHT, WIDTH, 3), 90, np.uint8)
    found = snap(flat, HAND, [], KINDS, 12.0)
    assert "no clear edge" in found.reason
    assert np.array_equal(found.points, HAND)
    beside = HAND + (5000, 0, 0, 0, 0, 0, 0, 0)
    assert "outside" in snap(flat, beside, [], KINDS, 12.0).reason


def test_an_outline_is_carried_on_with_what_moves() -> None:
    # A thing that slides and turns a little on each frame, with its texture.
    def pose(k: int) -> np.ndarray:
        points = HAND.copy()
        points[:, :2] += (1.8 * k, -0.9 * k)
        return points

    follower = OutlineFollower(picture_of(pose(0)), pose(0), KINDS)
    errors = []
    for k in range(1, 21):
        carried = follower.on(picture_of(pose(k), shift=(1.8 * k, -0.9 * k)))
        assert carried.reason == "", k
        errors.append(off(carried.points, pose(k)))
    assert np.mean(errors) < 0.5


def test_a_shadow_inside_is_not_taken_for_the_edge_while_it_is_carried_on() -> None:
    # Its lower side lies in shadow: the border of light and dark, 7 px inside, is far clearer than the edge itself.
    inner = HAND - (0, 7, 0, 0, 0, 0, 0, 0)

    def seen(k: int) -> np.ndarray:
        way = np.array([1.5 * k, 0.5 * k])
        pose, lit = HAND.copy(), inner.copy()
        pose[:, :2] += way
        lit[:, :2] += way
        light = coverage(lit, Box(0, 0, WIDTH, HEIGHT))[..., None]
        bright, shade = picture_of(pose, shift=(way[0], way[1])), coverage(pose, Box(0, 0, WIDTH, HEIGHT))[..., None]
        return np.asarray(bright * (1 - shade * (1 - light) * 0.6), np.uint8)

    follower, errors = OutlineFollower(seen(0), HAND, KINDS), []
    for k in range(1, 16):
        carried = follower.on(seen(k))
        assert carried.reason == "", k
        errors.append(off(carried.points, HAND + k * np.array([1.5, 0.5, 0, 0, 0, 0, 0, 0])))
    assert np.mean(errors) < 0.5


def test_it_stops_where_something_covers_what_is_followed() -> None:
    follower = OutlineFollower(picture_of(HAND), HAND, KINDS)
    assert follower.on(picture_of(HAND)).reason == ""
    covered = textured(77, 40, 200).astype(np.uint8)
    stopped = follower.on(covered)
    assert stopped.reason
    assert stopped.sure < 0.5
    gone = OutlineFollower(picture_of(HAND), HAND - (900, 0, 0, 0, 0, 0, 0, 0), KINDS).on(picture_of(HAND))
    assert "left the picture" in gone.reason


@pytest.mark.parametrize("speed", [1.5, 2.5])
@pytest.mark.parametrize("index", [2, 5, 8])
def test_it_stops_where_a_part_moves_unlike_the_rest(index: int, speed: float) -> None:
    # One point and the curve about it go off by themselves, as a finger that uncurls; the rest stays.
    out = HAND[index, :2] - (160, 120)

    def pose(k: int) -> np.ndarray:
        points = HAND.copy()
        points[index, :2] += k * speed * out / np.linalg.norm(out)
        return points

    follower = OutlineFollower(picture_of(HAND), HAND, KINDS)
    for k in range(1, 20):
        carried = follower.on(picture_of(pose(k)))
        if carried.reason:
            break
        away = distance(LineString(flatten(pose(k), 0.01)), shapely_points(flatten(carried.points, 0.2)))
        assert np.percentile(away, 97) < 1.5, k
    assert "part of it" in carried.reason
    assert k > 1
    assert carried.where is not None
    assert np.hypot(*(HAND[index, :2] - carried.where)) < 40  # and says which part


@settings(max_examples=15, deadline=None)
@given(seeds, st.floats(0.2, 4.0))
def test_thinning_out_keeps_every_frame_within_the_tolerance(seed: int, tolerance: float) -> None:
    keys = np.stack([blob(seed + k) for k in range(6)])
    frames = np.array([1.0, 9, 14, 22, 31, 40])
    dense = list(range(1, 41))
    shapes = in_between(Animation(frames, keys, ("smooth",) * 6), np.array(dense, np.float64))
    thinned = thin_out(dense, shapes, tolerance, None)
    kept = Animation(
        np.array(thinned.frames, np.float64), shapes[[f - 1 for f in thinned.frames]], ("smooth",) * len(thinned.frames)
    )
    again = in_between(kept, np.array(dense, np.float64))
    worst = max(off_frame(a, b) for a, b in zip(again, shapes, strict=True))
    assert worst <= tolerance + 1e-6
    assert thinned.error <= tolerance


def off_frame(a: np.ndarray, b: np.ndarray) -> float:
    """Largest distance of one curve's places from the other curve."""
    return float(distance(LineString(flatten(b, 0.002)), shapely_points(a[:, :2])).max())


def test_thinning_out_finds_the_keys_that_made_an_even_move() -> None:
    start = blob(1)
    end = start + (30, 10, 0, 0, 0, 0, 0, 0)
    dense = list(range(1, 31))
    shapes = in_between(
        Animation(np.array([1.0, 30.0]), np.stack([start, end]), ("linear",) * 2), np.array(dense, np.float64)
    )
    assert thin_out(dense, shapes, 0.05, None).frames == (1, 30)
    assert thin_out(dense, np.repeat(start[None], 30, axis=0), 0.05, None).frames == (1,)


@given(seeds, st.integers(0, 9))
def test_removing_a_point_that_was_put_on_the_curve_changes_no_key(seed: int, segment: int) -> None:
    from wiseglove.core.geometry.bezier import insert_point

    keys = np.stack([blob(seed, 10), blob(seed + 1, 10)])
    back = remove_points(insert_point(keys, segment, 0.4), [segment + 1])
    assert max(off(a, b) for a, b in zip(back, keys, strict=True)) < 0.05


@given(seeds, st.integers(0, 9))
def test_removing_a_point_keeps_the_curve_as_well_as_one_cubic_can(seed: int, index: int) -> None:
    keys = blob(seed, 10, size=60.0)[None]
    less = remove_points(keys, [index])
    assert less.shape == (1, 9, 8)
    assert off(less[0], keys[0]) < 2.5


def test_three_points_must_stay() -> None:
    with pytest.raises(ValueError, match="three"):
        remove_points(blob(3, 4)[None], [0, 1])


def test_roundness_makes_corners_tangents_and_full_curves() -> None:
    square = np.zeros((1, 4, 8))
    square[0, :, :2] = [[0, 0], [30, 0], [30, 30], [0, 30]]
    assert round_points(square, [1], 0.0)[0, 1, 2:6] == pytest.approx([0, 0, 0, 0])
    # Catmull-Rom: along the chord of the neighbours, a third of the way to each.
    handle = round_points(square, [1], 1.0)[0, 1, 4:6]
    assert handle == pytest.approx(np.array([1, 1]) / np.sqrt(2) * 10)


@given(seeds)
def test_mirroring_twice_changes_nothing_and_once_keeps_the_area(seed: int) -> None:
    keys = blob(seed)[None]
    centres = np.array([[60.0, 50.0]])
    assert mirror(mirror(keys, centres, False), centres, False) == pytest.approx(keys)
    area = [coverage(k, Box(0, 0, 120, 110)).sum() for k in (keys[0], mirror(keys, centres, True)[0])]
    assert area[0] == pytest.approx(area[1], rel=1e-4)


def test_what_lies_beyond_the_picture_is_no_lost_edge() -> None:
    # Most of it lies beyond the left border, where nothing can be seen.
    points = HAND - (180, 0, 0, 0, 0, 0, 0, 0)
    wrong = points + (3, 0, 0, 0, 0, 0, 0, 0)
    snapped = snap(picture_of(points), wrong, [], KINDS, 8.0)
    assert snapped.reason == ""
    assert snapped.found > 0.9
    places = flatten(snapped.points, 0.05)
    seen = places[places[:, 0] > 6]
    assert distance(LineString(flatten(points, 0.01)), shapely_points(seen)).mean() < 0.5
