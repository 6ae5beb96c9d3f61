"""Shapes of keys lie in the database as numbers, and come back as they were."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import blob, seeds
from wiseglove.shot.basics import Ease
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Key, Outline
from wiseglove.shot.rider import Rider
from wiseglove.store.shapes import joined, split

EASES: list[Ease] = ["smooth", "linear", "hold"]
stretches = st.lists(st.tuples(st.sampled_from(EASES), st.integers(-2, 2)), min_size=1, max_size=5)


@given(seeds, st.integers(3, 12), stretches)
def test_what_is_split_is_the_same_when_it_is_joined(seed: int, count: int, ways: list[tuple[Ease, int]]) -> None:
    keys = [
        Key(frame=1001 + 3 * k, points=as_points(blob(seed + k, count)), ease=ease, turns=turns)
        for k, (ease, turns) in enumerate(ways)
    ]
    outline = Outline(id="o", cover="c", kinds=["smooth"] * count, keys=keys, pivot=(10.0, 20.0))
    body, shapes = split(outline.model_dump(mode="json"))
    assert shapes is not None
    assert len(shapes) == len(keys) * count * 8 * 8
    assert not any(key["points"] for key in body["keys"])
    again, numbers = joined(body, shapes)
    assert again == outline
    assert isinstance(again, Outline)
    frames = np.arange(1000, 1020, 0.5)
    assert np.array_equal(Rider(again, None, numbers).points_at(frames), Rider(outline).points_at(frames))
