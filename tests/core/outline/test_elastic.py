"""An outline bends with what was found, and keeps its shape where nothing was."""

from __future__ import annotations

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.strategies import blob, seeds
from wiseglove.core.geometry.bezier import Points, ellipse, flatten
from wiseglove.core.outline.elastic import Elastic, Found
from wiseglove.core.outline.normals import normals_at, normals_of

NOTHING = Found(np.zeros((0, 2)), np.zeros((0, 2)), 0.0)


def elastic_of(points: Points) -> Elastic:
    along = normals_of(points, list(range(len(points))))
    return Elastic(points, along.segment, along.t)


def turned(points: Points, angle: float, scale: float, shift: tuple[float, float]) -> Points:
    """Points (N, 8) after a similarity about the origin."""
    out = points.copy()
    matrix = scale * np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    for k in (0, 2, 4):
        out[:, k : k + 2] = points[:, k : k + 2] @ matrix.T
    out[:, :2] += shift
    return out


def off(true: Points, found: Points) -> np.ndarray:
    """How far places all along an outline are from the true one."""
    places = normals_of(found, list(range(len(found)))).places
    return np.asarray(shapely.distance(shapely.LineString(flatten(true, 0.01)), shapely.points(places)))


@settings(max_examples=25)
@given(seeds, st.floats(-0.3, 0.3), st.floats(0.9, 1.1), st.tuples(st.floats(-20, 20), st.floats(-20, 20)))
def test_a_similarity_is_followed_exactly(seed: int, angle: float, scale: float, shift: tuple[float, float]) -> None:
    first = blob(seed, 9, (300.0, 200.0), 70.0)
    there = turned(first, angle, scale, shift)
    elastic = elastic_of(first)
    along = normals_at(there, elastic.segment, elastic.t)
    elastic.bend(along.places, along.outward, np.ones(len(along.t)), NOTHING)
    assert np.abs(elastic.outline(there, 0.0) - there).max() < 0.02


def test_a_stretch_that_was_not_found_goes_along_with_the_rest() -> None:
    first = ellipse(300, 200, 80, 40)
    there = turned(first, 0.0, 1.0, (6.0, 0.0))
    elastic = elastic_of(first)
    seen = normals_at(there, elastic.segment, elastic.t)
    # Nothing is to be seen on the right, where the outline was left behind.
    unseen = seen.places[:, 0] > 350
    places = np.where(unseen[:, None], seen.places - (6.0, 0.0), seen.places)
    elastic.bend(places, seen.outward, np.where(unseen, 0.0, 1.0), NOTHING)
    away = off(there, elastic.outline(there, 0.0))
    assert away.max() < 2.5  # by itself it would have stayed 6 px behind
    assert np.median(away) < 0.1


def test_a_short_wrong_stretch_of_edge_hardly_bends_it() -> None:
    first = ellipse(300, 200, 80, 40)
    elastic = elastic_of(first)
    along = normals_at(first, elastic.segment, elastic.t)
    wrong = np.arange(len(along.t)) < 8
    places = along.places + along.outward * np.where(wrong, 6.0, 0.0)[:, None]
    elastic.bend(places, along.outward, np.ones(len(along.t)), NOTHING)
    away = off(first, elastic.outline(first, 0.0))
    assert away.max() < 3.0
    assert np.median(away) < 0.1


def test_features_carry_it_where_no_edge_is_seen() -> None:
    first = ellipse(300, 200, 80, 40)
    elastic = elastic_of(first)
    along = normals_at(first, elastic.segment, elastic.t)
    inside = along.places - 6 * along.outward
    elastic.bend(along.places, along.outward, np.zeros(len(along.t)), Found(inside, inside + (4, -3), 0.3))
    moved = elastic.outline(first, 0.0)
    assert np.abs(moved[:, :2] - first[:, :2] - (4, -3)).max() < 0.3
