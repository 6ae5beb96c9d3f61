"""Curves and half floats that are computed quickly, against those that are computed plainly."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from wiseglove.core.compositing import colour
from wiseglove.delivery.files import _half

FLOATS = st.floats(-2, 4, width=32)


@given(arrays(np.float32, (3, 5, 3), elements=FLOATS))
def test_the_quick_curve_is_the_curve(linear: np.ndarray) -> None:
    quick = colour.encoded(linear)
    assert quick.dtype == np.float32
    assert np.abs(quick - colour.encode(linear)).max() < 2e-6


def test_no_number_gives_no_number_and_harms_nothing_beside_it() -> None:
    picture = np.full((2, 2, 3), 0.5, np.float32)
    picture[0, 0, 0], picture[1, 1, 2] = np.nan, np.inf
    seen = colour.encoded(picture)
    assert np.isnan(seen[0, 0, 0])
    assert np.isinf(seen[1, 1, 2])
    assert np.abs(np.delete(seen.ravel(), [0, 11]) - colour.encode(np.float32(0.5))).max() < 1e-6


@given(arrays(np.float32, (4, 6), elements=st.floats(-70000, 70000, width=32)))
def test_half_floats_are_rounded_as_numpy_does(values: np.ndarray) -> None:
    with np.errstate(over="ignore"):
        expected = values.astype(np.float16)
    assert np.array_equal(_half(values), expected)
