"""Points that are followed one by one, and the motion that they give together."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.core.motion.test_plane import clip, truth_at
from wiseglove.core.geometry.homography import apply
from wiseglove.core.motion.models import fitted
from wiseglove.core.motion.points import Feature, PointsSolver, WhenLost, model_of
from wiseglove.core.motion.solve import solve_range
from wiseglove.core.motion.verdict import Place, Point

Picture = NDArray[np.float32]
SPOTS = np.array([[100.0, 70.0], [215.0, 80.0], [210.0, 165.0], [95.0, 160.0], [150.0, 120.0]])
LAST = 12


def features(count: int, **how: object) -> list[Feature]:
    return [Feature(str(i), (x, y), 1, (x, y), **how) for i, (x, y) in enumerate(SPOTS[:count].tolist())]  # type: ignore[arg-type]


def followed(
    wanted: list[Feature], hide: tuple[float, float, int] | None = None, when_lost: WhenLost = "simpler"
) -> dict[int, Place]:
    """Solved over a clip; `hide` greys out a square about a place from a frame on."""

    def change(frame: int, picture: Picture) -> Picture:
        if hide is not None and frame >= hide[2]:
            x, y = apply(truth_at(frame), np.array([hide[:2]]))[0].astype(int)
            picture[max(y - 30, 0) : y + 30, max(x - 30, 0) : x + 30] = 128
        return picture

    solver = PointsSolver(clip(LAST, change), 1, wanted, when_lost)
    return solve_range(solver, 1, LAST, lambda place: None)


@pytest.mark.parametrize("count", [1, 2, 3, 4, 5])
def test_points_are_followed_to_a_fraction_of_a_pixel_and_give_the_model_of_their_number(count: int) -> None:
    places = followed(features(count))
    for frame, place in places.items():
        assert place.status == "solved", (frame, place.reason)
        truth = apply(truth_at(frame), SPOTS[:count])
        seen = (
            np.array([(place.points[str(i)].x, place.points[str(i)].y) for i in range(count)]) if frame > 1 else truth
        )
        assert np.linalg.norm(seen - truth, axis=1).max() < 0.35
        best = fitted(model_of(count), SPOTS[:count], truth)
        assert place.matrix is not None
        assert best is not None
        assert np.abs(apply(place.matrix, SPOTS[:count]) - apply(best, SPOTS[:count])).max() < 0.35


def test_where_a_point_is_lost_the_others_carry_on_without_a_jump_or_stop_as_chosen() -> None:
    gone = (float(SPOTS[0, 0]), float(SPOTS[0, 1]), 6)
    places = followed(features(4), gone)
    assert all(places[f].status == "solved" for f in range(1, 6))
    for frame in range(6, LAST + 1):
        place = places[frame]
        assert (place.status, place.reason) == ("unsure", "point")
        assert place.points["0"].status == "lost"
        assert [place.points[i].status for i in "123"] == ["solved"] * 3
        assert place.matrix is not None
        off = apply(place.matrix, SPOTS[1:4]) - apply(truth_at(frame), SPOTS[1:4])
        assert np.abs(off).max() < 0.5
    stopped = followed(features(4), gone, "stop")
    assert (stopped[6].status, stopped[6].matrix, stopped[6].reason) == ("lost", None, "points")


def test_a_held_point_is_taken_as_it_was_and_one_from_a_later_frame_is_followed_back() -> None:
    there = {f: Point(*apply(truth_at(f), SPOTS[:1])[0].tolist(), "solved", 1.0) for f in range(1, LAST + 1)}
    seen = apply(truth_at(8), SPOTS[2:3])[0]
    wanted = [
        Feature("held", tuple(SPOTS[0]), 1, tuple(SPOTS[0]), held=there),
        Feature("later", tuple(SPOTS[2]), 8, (float(seen[0]), float(seen[1]))),
    ]
    places = followed(wanted)
    for frame in range(2, LAST + 1):
        assert places[frame].status == "solved"
        assert places[frame].points["held"] == there[frame]
        late = places[frame].points["later"]
        assert np.hypot(*(np.array((late.x, late.y)) - apply(truth_at(frame), SPOTS[2:3])[0])) < 0.4


def test_points_on_one_line_give_no_affine_motion_and_that_is_said() -> None:
    line = [Feature(str(i), (100.0 + 40 * i, 100.0), 1, (100.0 + 40 * i, 100.0)) for i in range(3)]
    places = followed(line)
    assert {p.reason for f, p in places.items() if f > 1} == {"line"}


@pytest.mark.parametrize("wanted", [[], [Feature("x", (900, 900), 1, (900, 900))]])
def test_nothing_to_follow_is_refused(wanted: list[Feature]) -> None:
    with pytest.raises(ValueError, match=r"no point|nothing"):
        PointsSolver(clip(2), 1, wanted)
