"""Solving a plane: models against outside fits, alignment against exact truth, and honesty where nothing is seen."""

from __future__ import annotations

import time
from collections.abc import Callable

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from skimage.transform import AffineTransform, ProjectiveTransform, SimilarityTransform

from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.channels import best_channel, seen_in
from wiseglove.core.motion.models import FREEDOMS, MODELS, Model, changed, directions, fitted
from wiseglove.core.motion.plane import PlaneSolver
from wiseglove.core.motion.regions import filled
from wiseglove.core.motion.solve import explained, is_cut, segments, solve_range, stretches
from wiseglove.core.motion.verdict import Place

Array = NDArray[np.float64]
Picture = NDArray[np.float32]
SIZE = (240, 320)
QUAD = np.array([[90.0, 60.0], [230.0, 70.0], [220.0, 180.0], [85.0, 170.0]])


def texture(seed: int = 3, size: tuple[int, int] = (480, 640)) -> Picture:
    """Blotches of several sizes, 0..255."""
    rng = np.random.default_rng(seed)
    total = np.zeros(size, np.float32)
    for sigma, weight in ((1.5, 1.0), (4, 2.5), (12, 6.0)):
        total += weight * cv2.GaussianBlur(rng.standard_normal(size).astype(np.float32), (0, 0), sigma) * sigma
    return np.asarray(np.clip(128 + total * 14, 10, 245), np.float32)


def seen(base: Picture, matrix: Array, grain: float = 1.0, seed: int = 0) -> Picture:
    """A picture of the texture (drawn at twice the size, so that nothing is made up) after a motion, with grain."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    shrink = np.diag([0.5, 0.5, 1.0])
    full = np.linalg.inv(half) @ np.diag([2.0, 2.0, 1.0]) @ matrix @ shrink @ half
    large = cv2.warpPerspective(
        base, full, (SIZE[1] * 2, SIZE[0] * 2), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT
    )
    small = cv2.resize(large, (SIZE[1], SIZE[0]), interpolation=cv2.INTER_AREA)
    noise = np.random.default_rng(seed).standard_normal(SIZE).astype(np.float32) * grain
    return np.asarray(np.round(np.clip(small + noise, 0, 255)), np.float32)


def truth_at(frame: int) -> Array:
    """A gentle motion in perspective, the identity on frame 1."""
    t = frame - 1
    turn, grow = np.radians(0.5 * t), 1 + 0.006 * t
    c, s = np.cos(turn) * grow, np.sin(turn) * grow
    move = np.array([[c, -s, 2.2 * t], [s, c, -1.1 * t], [4e-6 * t, -6e-6 * t, 1]])
    about = np.array([[1, 0, 160.0], [0, 1, 120.0], [0, 0, 1]])
    return np.asarray(about @ move @ np.linalg.inv(about))


def clip(
    count: int, change: Callable[[int, Picture], Picture] = lambda frame, picture: picture
) -> Callable[[int], Picture]:
    base = texture()
    frames = {f: change(f, seen(base, truth_at(f), seed=f)) for f in range(1, count + 1)}
    return frames.__getitem__


def errors(places: dict[int, Place]) -> dict[int, float]:
    """Mean corner error in px of each frame that has a motion."""
    return {
        f: float(np.linalg.norm(apply(p.matrix, QUAD) - apply(truth_at(f), QUAD), axis=1).mean())
        for f, p in places.items()
        if p.matrix is not None
    }


def solved(picture_at: Callable[[int], Picture], last: int, at: int = 1, **how: object) -> dict[int, Place]:
    solver = PlaneSolver(picture_at, at, filled(QUAD, SIZE), **how)  # type: ignore[arg-type]
    return solve_range(solver, 1, last, lambda place: None)


# -- models ----------------------------------------------------------------------------------------------


@given(st.sampled_from(MODELS), st.integers(0, 2**32 - 1))
def test_a_models_own_motion_is_found_again(model: Model, seed: int) -> None:
    rng = np.random.default_rng(seed)
    change = rng.uniform(-0.15, 0.15, FREEDOMS[model])
    matrix = changed(change, np.array([100.0, 80.0]), 60.0)
    points = rng.uniform(40, 160, (12, 2))
    found = fitted(model, points, apply(matrix, points))
    assert found is not None
    assert apply(found, points) == pytest.approx(apply(matrix, points), abs=1e-6)


@pytest.mark.parametrize(
    ("model", "other"),
    [("similarity", SimilarityTransform), ("affine", AffineTransform), ("perspective", ProjectiveTransform)],
)
def test_fits_agree_with_scikit_image(model: Model, other: type) -> None:
    rng = np.random.default_rng(8)
    source = rng.uniform(0, 400, (40, 2))
    target = apply(truth_at(12), source) + rng.normal(0, 0.4, source.shape)
    found = fitted(model, source, target)
    theirs = other.from_estimate(source, target)
    assert found is not None
    assert apply(found, source) == pytest.approx(theirs(source), abs=0.02)


@given(st.integers(0, 7), st.floats(-80, 80), st.floats(-80, 80))
def test_directions_are_the_derivative_of_changes(which: int, x: float, y: float) -> None:
    centre, size, small = np.array([10.0, -5.0]), 50.0, 1e-5
    change = np.zeros(8)
    change[which] = small
    point = np.array([[x, y]])
    moved = (apply(changed(change, centre, size), point) - point)[0] / small / size
    assert moved == pytest.approx(directions(point, centre, size)[0, :, which], abs=1e-3)


@pytest.mark.parametrize("model", ["similarity", "affine", "perspective"])
def test_points_that_fix_no_motion_give_none(model: Model) -> None:
    same = np.full((6, 2), 20.0)
    assert fitted(model, same, same) is None
    assert fitted(model, same[:1], same[:1]) is None


# -- solving ---------------------------------------------------------------------------------------------


def test_a_moving_plane_is_solved_to_a_twentieth_of_a_pixel() -> None:
    places = solved(clip(12), 12)
    assert all(p.status == "solved" for p in places.values())
    assert max(errors(places).values()) < 0.05


@pytest.mark.parametrize("model", ["shift", "similarity", "affine"])
def test_simpler_models_keep_to_their_freedoms(model: Model) -> None:
    places = solved(clip(4), 4, model=model)
    matrix = places[3].matrix
    assert matrix is not None
    assert matrix[2] == pytest.approx([0, 0, 1], abs=1e-9)
    if model == "shift":
        assert matrix[:2, :2] == pytest.approx(np.eye(2), abs=1e-9)
    if model == "similarity":
        assert (matrix[0, 0], matrix[0, 1]) == pytest.approx((matrix[1, 1], -matrix[1, 0]), abs=1e-9)


def test_the_frames_before_the_reference_are_solved_too_and_both_ways_agree() -> None:
    picture_at = clip(9)
    there = solved(picture_at, 9, at=1)
    middle = solved(picture_at, 9, at=5)
    for frame in range(1, 10):
        a, b, start = there[frame].matrix, middle[frame].matrix, there[5].matrix
        assert a is not None
        assert b is not None
        assert start is not None
        assert apply(b @ start, QUAD) == pytest.approx(apply(a, QUAD), abs=0.12)


def test_light_that_jumps_and_slopes_changes_nothing() -> None:
    slope = np.linspace(0.75, 1.2, SIZE[1], dtype=np.float32)[None]

    def lit(frame: int, picture: Picture) -> Picture:
        return np.asarray(np.clip(picture * (slope if frame % 2 else 1.25) + 6 * (frame % 3), 0, 255), np.float32)

    places = solved(clip(8, lit), 8)
    assert all(p.status == "solved" for p in places.values())
    assert max(errors(places).values()) < 0.12


def test_what_passes_in_front_without_a_cover_does_not_take_the_motion_along() -> None:
    sprite = texture(77, (130, 44)) * 0.6

    def passed(frame: int, picture: Picture) -> Picture:
        out = picture.copy()
        x = 30 + 12 * frame
        out[50:180, x : x + 44] = sprite
        return out

    places = solved(clip(12, passed), 12)
    wrong = {f: e for f, e in errors(places).items() if places[f].status == "solved" and e > 0.3}
    assert not wrong
    assert sum(p.status == "solved" for p in places.values()) >= 9


def test_a_plane_that_is_hidden_is_lost_for_a_reason_and_found_again() -> None:
    curtain = texture(5, SIZE) * 0.5

    def hidden(frame: int, picture: Picture) -> Picture:
        out = picture.copy()
        if 5 <= frame <= 8:
            out[30:215, 40:290] = curtain[30:215, 40:290]
        return out

    places = solved(clip(12, hidden), 12)
    assert all(places[f].status == "lost" and places[f].matrix is None for f in range(5, 9))
    assert all(places[f].status == "solved" for f in (1, 2, 3, 4, 9, 10, 11, 12))
    assert max(errors(places).values()) < 0.1
    (run,) = stretches(places)
    assert run[:3] == (5, 8, "lost")
    assert explained(run[3]).count(";") == 1


def test_what_is_ignored_is_not_looked_at() -> None:
    """Half of the patch moves by itself; with that half ignored, it is as if it were not there."""
    other = texture(9, SIZE)

    def half(frame: int, picture: Picture) -> Picture:
        out = picture.copy()
        out[:, 160:] = np.roll(other, 5 * frame, axis=0)[:, 160:]
        return out

    mask = np.zeros(SIZE, np.float32)
    mask[:, 155:] = 1
    places = solved(clip(8, half), 8, ignore_at=lambda frame: mask)
    assert max(e for f, e in errors(places).items() if places[f].status == "solved") < 0.6
    assert sum(p.status == "solved" for p in places.values()) >= 6


def test_what_is_known_of_the_way_finds_a_patch_that_jumps_out_of_reach() -> None:
    base = texture()

    def jumped(frame: int) -> Array:
        return np.array([[1, 0, 14.0 * (frame - 1)], [0, 1, 0], [0, 0, 1]])

    frames = {f: seen(base, jumped(f), seed=f) for f in (1, 2, 3)}
    small = filled(np.array([[60.0, 100], [90, 100], [90, 130], [60, 130]]), SIZE)

    def worst(**how: object) -> float:
        solver = PlaneSolver(frames.__getitem__, 1, small, "shift", reach=6, **how)  # type: ignore[arg-type]
        found = solve_range(solver, 1, 3, lambda place: None)
        return max(
            99.0 if p.matrix is None or p.status != "solved" else float(np.abs(p.matrix - jumped(f))[:2, 2].max())
            for f, p in found.items()
        )

    assert worst() == 99.0
    assert worst(going=lambda one, two: jumped(two) @ np.linalg.inv(jumped(one))) < 0.2


def test_nothing_to_see_is_never_called_solved() -> None:
    flat = np.full(SIZE, 90, np.float32)
    rng = np.random.default_rng(4)
    frames = {f: flat + rng.normal(0, 1.0, SIZE).astype(np.float32) for f in range(1, 7)}
    places = solved(frames.__getitem__, 6)
    assert all(p.status != "solved" for f, p in places.items() if f != 1)


def test_a_cut_is_called_a_cut_and_nothing_is_solved_beyond_it() -> None:
    after = texture(123, SIZE)

    def cut(frame: int, picture: Picture) -> Picture:
        return picture if frame < 5 else after

    places = solved(clip(8, cut), 8)
    assert [places[f].status for f in range(5, 9)] == ["lost"] * 4
    assert stretches(places) == [(5, 8, "lost", "cut")]
    assert is_cut(clip(1)(1), after)
    assert not is_cut(clip(2)(1), clip(2)(2))


def fast_clip(count: int, at: int) -> dict[int, Picture]:
    """A patch that goes 11 px a frame, with blur of its own, so that its exposure can be learnt; at rest on none."""
    base = texture()

    def blurred(frame: int) -> Picture:
        moments = [
            np.array([[1, 0, 11 * (frame - at + t)], [0, 1, 2 * (frame - at + t)], [0, 0, 1.0]])
            for t in (-0.25, 0, 0.25)
        ]
        return np.asarray(np.mean([seen(base, m, 1.0, frame) for m in moments], axis=0), np.float32)

    return {frame: blurred(frame) for frame in range(1, count + 1)}


def test_both_ways_give_the_same_bits_however_fast_either_of_them_is() -> None:
    frames = fast_clip(15, 8)

    def run(slow: range) -> list[bytes]:
        def picture_at(frame: int) -> Picture:
            if frame in slow:
                time.sleep(0.03)
            return frames[frame]

        solver = PlaneSolver(picture_at, 8, filled(QUAD, SIZE))
        places = solve_range(solver, 1, 15, lambda place: None)
        return [b"" if places[f].matrix is None else places[f].matrix.tobytes() for f in sorted(places)]

    assert run(range(1, 8)) == run(range(9, 16)) == run(range(0))


def test_solving_can_be_stopped_and_goes_on_from_what_is_known() -> None:
    picture_at = clip(10)
    told_of: list[int] = []
    solver = PlaneSolver(picture_at, 1, filled(QUAD, SIZE))
    places = solve_range(solver, 1, 10, lambda p: told_of.append(p.frame), lambda: len(told_of) > 5)
    assert max(places) < 9
    again = PlaneSolver(picture_at, 1, filled(QUAD, SIZE))
    again.known.update(places)
    rest = solve_range(again, max(places) + 1, 10, lambda p: None)
    assert min(rest) == max(places) + 1
    assert max(errors(rest).values()) < 0.05


@settings(max_examples=10, deadline=None)
@given(st.floats(-9, 9), st.floats(-9, 9))
def test_any_shift_between_frames_is_found(dx: float, dy: float) -> None:
    base = texture()
    move = np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]])
    frames = {1: seen(base, np.eye(3)), 2: seen(base, move, seed=1)}
    place = solved(frames.__getitem__, 2)[2]
    assert place.matrix is not None
    assert apply(place.matrix, QUAD) - QUAD == pytest.approx(np.broadcast_to([dx, dy], (4, 2)), abs=0.1)


def test_the_channel_that_shows_the_patch_is_chosen() -> None:
    rng = np.random.default_rng(2)
    pixels = rng.normal(90, 2, (*SIZE, 3)).astype(np.float32)
    pixels[..., 2] = texture(1, SIZE)
    pixels[..., 0] -= (pixels[..., 2] - 128) * 0.3  # what blue gains, red gives, so that luma shows little
    mask = filled(QUAD, SIZE)
    assert best_channel(pixels, mask) == "blue"
    assert seen_in(pixels, "blue") == pytest.approx(pixels[..., 2])
    grey = np.repeat(texture(1, SIZE)[..., None], 3, axis=2)
    assert best_channel(grey, mask) == "luma"


def test_a_reference_without_anything_to_look_at_is_refused() -> None:
    with pytest.raises(ValueError, match="nothing of the reference"):
        PlaneSolver(clip(1), 1, np.zeros(SIZE, np.float32))


@given(
    st.integers(-20, 20), st.lists(st.integers(-30, 30), max_size=5), st.integers(-30, 30), st.integers(-30, 30)
)  # fmt: skip
def test_each_frame_of_a_range_has_one_reference_the_nearest_towards_the_start(
    at: int, references: list[int], one: int, other: int
) -> None:
    first, last = min(one, other), max(one, other)
    parts = segments(at, references, first, last)
    frames = [f for _, low, high in parts for f in range(low, high + 1)]
    assert sorted(frames) == list(range(first, last + 1))
    for reference, low, high in parts:
        for frame in range(low, high + 1):
            between = [r for r in references if min(at, frame) <= r <= max(at, frame) and r not in (at, frame)]
            wanted = max(between, key=lambda r: abs(r - at), default=at)
            assert reference == wanted


def test_where_a_patch_leaves_the_frame_its_motion_runs_out_with_shift_only_if_wanted() -> None:
    base = texture()
    frames = {f: seen(base, np.array([[1, 0, 14.0 * (f - 1)], [0, 1, 0], [0, 0, 1.0]]), seed=f) for f in range(1, 19)}
    for runs_out in (False, True):
        solver = PlaneSolver(frames.__getitem__, 1, filled(QUAD, SIZE), runs_out=runs_out)
        places = solve_range(solver, 1, 18, lambda place: None)
        gone = [f for f, p in places.items() if p.matrix is None]
        ran = [f for f, p in places.items() if p.reason == "runs-out"]
        if not runs_out:
            assert gone
            assert not ran
            first = min(gone)
            continue
        assert min(ran) == first
        assert not gone or min(gone) > first
        for frame in ran:
            assert places[frame].status == "unsure"
            off = apply(np.asarray(places[frame].matrix), QUAD) - QUAD - (14.0 * (frame - 1), 0)
            assert np.abs(off).max() < 3
    assert explained("runs-out").startswith("the motion runs out")


def test_a_blind_spot_that_moves_over_the_patch_is_left_out_where_it_is_on_each_frame() -> None:
    """A bright bar slides over half the patch; where it is, is known."""

    def at(frame: int) -> Picture:
        mask = filled(QUAD, SIZE)
        left = 90 + 6 * (frame - 1)
        mask[:, left : left + 30] = 0
        mask[:, 90:120] = 0  # where it is on the reference
        return mask

    def change(frame: int, picture: Picture) -> Picture:
        left = 90 + 6 * (frame - 1)
        there = np.zeros(SIZE, np.float32)
        there[:, left : left + 30] = 1
        bar = cv2.warpPerspective(there, truth_at(frame), SIZE[::-1])
        inside = cv2.warpPerspective(filled(QUAD, SIZE), truth_at(frame), SIZE[::-1])
        stripes = np.tile(np.where(np.arange(SIZE[1]) % 8 < 4, 40, 230).astype(np.float32), (SIZE[0], 1))
        return np.where((bar * inside) > 0.5, stripes, picture)

    picture_at = clip(7, change)
    solver = PlaneSolver(picture_at, 1, filled(QUAD, SIZE), counted_at=at)
    places = solve_range(solver, 1, 7, lambda place: None)
    assert {p.status for p in places.values()} == {"solved"}
    assert max(errors(places).values()) < 0.35
