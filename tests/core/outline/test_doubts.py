"""Doubt of a whole figure's stretches by signs that weigh together."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from wiseglove.core.outline.doubts import MEANS, SPREADS, doubt_of_whole

ANY = arrays(np.float64, st.tuples(st.integers(1, 5), st.just(len(MEANS))), elements=st.floats(-4, 4))


@given(ANY)
def test_doubt_is_a_share_whatever_the_signs_and_each_stretch_is_told_for_itself(told: np.ndarray) -> None:
    signs = MEANS + told * SPREADS
    known, unknown = doubt_of_whole(signs, True), doubt_of_whole(signs, False)
    assert known.shape == (len(signs),)
    assert ((known >= 0) & (known <= 1)).all()
    assert (known >= unknown).all()
    assert np.allclose(doubt_of_whole(signs[::-1], True), known[::-1])


def test_what_looks_as_it_did_is_not_doubted_and_what_does_not_is() -> None:
    usual = np.array(MEANS)
    other = usual.copy()
    other[:2] += 2 * np.array(SPREADS[:2])  # colours inside, and beside the edge
    other[5] -= 2 * SPREADS[5]  # a stronger edge is near
    doubts = doubt_of_whole(np.stack([usual, other]), True)
    assert doubts[0] < 0.2
    assert doubts[1] > 0.8
