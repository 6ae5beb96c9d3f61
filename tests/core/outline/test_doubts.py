"""Doubt of the stretches of whole figures and of parts, by how their edge looks and by the edges of a matte beside it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wiseglove.core.outline.doubts import doubt_by, doubt_of_part, signs_of, signs_of_part
from wiseglove.core.outline.looks import Signs
from wiseglove.core.outline.normals import normals_of

MIDDLE, RADIUS, STRETCHES = (200.0, 300.0), 90.0, 16
SHARP = 0.4
"""Slope of a sharp edge, of a matte that is 0..1, at a pixel."""
SAME, OTHER = (-2.6, -2.6, -0.6, 0.05, -1.3, 0.97), (-1.2, -1.2, -0.9, 0.4, -2.2, 0.5)
"""Signs of an edge that looks as it did where it was right, and of one that does not, has little left and a stronger one beside it."""
WRONG = np.arange(STRETCHES) % STRETCHES < 4


def outline() -> np.ndarray:
    """A circle of as many stretches, all as long as each other."""
    angle = 2 * np.pi * np.arange(STRETCHES) / STRETCHES
    way, along = np.stack([np.cos(angle), np.sin(angle)], 1), np.stack([-np.sin(angle), np.cos(angle)], 1)
    handle = 4 / 3 * np.tan(np.pi / 2 / STRETCHES) * RADIUS * along
    return np.hstack([MIDDLE + RADIUS * way, -handle, handle, np.zeros((STRETCHES, 2))])


class Edges(NamedTuple):
    """As a silhouette has them."""

    places: np.ndarray
    outward: np.ndarray
    slope: np.ndarray


def edges(radius: np.ndarray, outward: float = 1.0, slope: float = SHARP) -> Edges:
    """Places a pixel apart on a curve round the middle, by its radius in each direction (A,), facing out or in."""
    angle = np.linspace(0, 2 * np.pi, len(radius), endpoint=False)
    way = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    return Edges(MIDDLE + way * radius[:, None], way * outward, np.full(len(radius), slope))


def of(values: tuple[float, ...]) -> Signs:
    return Signs(*(np.full(STRETCHES, value) for value in values))


def doubts(points: np.ndarray, there: Edges, looks: Signs | None = None, known: bool = True) -> np.ndarray:
    return doubt_by(signs_of(points, normals_of(points, list(range(len(points)))), looks or of(SAME), there, known))


ROUND = np.full(560, RADIUS)


@pytest.mark.parametrize("known", [True, False])
def test_what_lies_on_an_edge_and_looks_as_it_did_is_not_doubted(known: bool) -> None:
    assert doubts(outline(), edges(ROUND), known=known).max() < 0.25


@pytest.mark.parametrize("known", [True, False])
def test_what_lies_on_no_edge_and_looks_like_something_else_is(known: bool) -> None:
    points = outline()
    along = normals_of(points, list(range(STRETCHES)))
    angle = np.arctan2(*(along.places - MIDDLE).T[::-1]) % (2 * np.pi)
    of_wrong = angle[np.isin(along.segment, np.flatnonzero(WRONG))]
    here = np.linspace(0, 2 * np.pi, len(ROUND), endpoint=False)
    near = np.abs((here[:, None] - of_wrong + np.pi) % (2 * np.pi) - np.pi).min(axis=1) < 0.02
    looks = Signs(*(np.where(WRONG, bad, good) for bad, good in zip(OTHER, SAME, strict=True)))
    found = doubts(points, edges(np.where(near, RADIUS - 9, RADIUS)), looks, known)
    assert found[WRONG].min() > 0.6
    assert found[~WRONG].max() < 0.4


ANY = st.tuples(*(st.floats(-5, 3) for _ in range(6)))


@given(ANY, st.floats(0, 40), st.integers(1, STRETCHES - 1), st.booleans())
def test_it_is_a_share_whatever_is_seen_from_wherever_the_outline_begins(
    values: tuple[float, ...], off: float, turned: int, known: bool
) -> None:
    points, there = outline(), edges(ROUND + off * np.sin(np.arange(len(ROUND)) / 40))
    found = doubts(points, there, of(values), known)
    assert ((found >= 0) & (found <= 1)).all()
    assert np.allclose(np.roll(found, turned), doubts(np.roll(points, turned, axis=0), there, of(values), known))


def test_without_any_edge_all_of_it_is_doubted() -> None:
    none = Edges(np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0))
    assert doubts(outline(), none).min() > 0.5


def part_doubts(looks: Signs, inside: float | np.ndarray) -> np.ndarray:
    points = outline()
    return doubt_of_part(signs_of_part(points, np.broadcast_to(inside, STRETCHES), looks))


def test_of_a_part_what_looks_as_it_did_is_not_doubted_and_what_does_not_is() -> None:
    looks = Signs(*(np.where(WRONG, bad, good) for bad, good in zip(OTHER, SAME, strict=True)))
    found = part_doubts(looks, np.where(WRONG, 0.9, 0.01))
    assert found[WRONG].min() > 0.6
    assert found[~WRONG].max() < 0.3


@given(ANY, st.floats(0, 1), st.floats(0.2, 4))
def test_the_doubt_of_a_part_is_one_for_each_stretch(values: tuple[float, ...], inside: float, size: float) -> None:
    points = outline()
    points[:, :6] *= size
    found = doubt_of_part(signs_of_part(points, np.full(STRETCHES, inside), of(values)))
    assert found.shape == (STRETCHES,)
    assert ((found >= 0) & (found <= 1)).all()


@given(st.floats(0.005, 0.02), st.floats(0.93, 0.995))
def test_a_part_is_doubted_more_where_shape_and_inside_say_so(little: float, much: float) -> None:
    assert (part_doubts(of(OTHER), much) > part_doubts(of(OTHER), little)).all()
