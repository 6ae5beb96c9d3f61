"""How far places seem to be off, by how their edge looks."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from wiseglove.core.review.told import Looks, fault_by

PLACES = 60
RIGHT = Looks(
    off=0.2, away=0.2, shift=0.0, unlike=0.04, unlike_there=0.04, between=0.01, lacks=0.05, edge=0.5, edge_there=0.5,
    clear=0.5, apart=0.03, travel=1.0,
)  # fmt: skip
"""An outline of a clear thing that lies on its edge: one number for each sign, the same at all places."""
WRONG = RIGHT._replace(
    off=9.0, away=9.0, shift=8.0, unlike=0.4, unlike_there=0.1, between=0.4, lacks=0.9, edge_there=0.4
)
"""One that is nine pixels off."""


def looks(*at_places: Looks) -> Looks:
    """Some places after each other."""
    return Looks(*(np.array(sign, float) for sign in zip(*at_places, strict=True)))


def test_what_looks_right_fits_and_what_looks_wrong_is_off() -> None:
    assert fault_by(looks(*[RIGHT] * PLACES)).max() < 0.7
    assert 6 < np.median(fault_by(looks(*[WRONG] * PLACES))) < 14


def test_a_stretch_that_looks_wrong_is_told_from_the_rest() -> None:
    off = np.zeros(PLACES, bool)
    off[20:32] = True
    found = fault_by(looks(*(WRONG if o else RIGHT for o in off)))
    assert found[22:30].min() > 3
    assert np.delete(found, range(12, 40)).max() < 1.5


def test_what_keys_do_not_agree_on_counts_less() -> None:
    """Unlike the keys, and an edge three pixels off: less so where the keys differ among themselves."""
    odd = RIGHT._replace(off=3.0, away=3.0, lacks=0.4, between=0.1, unlike=0.25, unlike_there=0.25)
    sure, unsure = (float(np.median(fault_by(looks(*[odd._replace(apart=a)] * PLACES)))) for a in (0.02, 0.3))
    assert unsure < sure


anything = arrays(np.float64, (len(Looks._fields), PLACES), elements=st.floats(0, 1e4))


@given(anything, st.integers(1, PLACES - 1))
def test_it_is_told_alike_from_wherever_the_closed_curve_begins_and_by_whatever_is_seen(
    values: np.ndarray, turned: int
) -> None:
    seen = Looks(*values)
    found = fault_by(seen)
    assert np.isfinite(found).all()
    assert (found >= 0).all()
    again = fault_by(Looks(*(np.roll(v, turned) for v in seen)))
    np.testing.assert_allclose(np.roll(found, turned), again, rtol=1e-6, atol=1e-9)
