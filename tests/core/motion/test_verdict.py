"""What a frame's confidence makes of its evidence."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from wiseglove.core.motion.align import Fit
from wiseglove.core.motion.verdict import confidence_of, judged

GOOD = {
    "agreement": 0.9,
    "spread": 1.0,
    "correlation": 0.98,
    "deviation": 0.1,
    "reduction": 1.0,
    "inside": 1.0,
    "seen": 1.0,
}
"""Evidence of a frame that is plainly right, but for how many blocks there are."""


def test_a_face_full_of_print_may_scatter_more_than_a_bare_one() -> None:
    """On compressed footage each of many blocks is a little off; with few blocks the same scatter is doubtful."""
    scattered = {**GOOD, "deviation": 0.5, "agreement": 0.6}
    assert judged(1, Fit(np.eye(3), {**scattered, "blocks": 110.0})).status == "solved"
    assert judged(1, Fit(np.eye(3), {**scattered, "blocks": 12.0})).status == "unsure"
    assert judged(1, Fit(np.eye(3), {**scattered, "blocks": 110.0, "correlation": 0.93})).status == "unsure"
    assert judged(1, Fit(np.eye(3), {**scattered, "blocks": 110.0, "spread": 0.6})).status == "unsure"


def test_what_is_seen_all_over_is_followed_even_where_it_is_a_pixel_off() -> None:
    followed = judged(1, Fit(np.eye(3), {**GOOD, "deviation": 1.2, "blocks": 110.0}))
    assert followed.status == "unsure"
    assert followed.matrix is not None
    assert followed.reason
    assert judged(1, Fit(np.eye(3), {**GOOD, "deviation": 4.0, "blocks": 110.0})).status == "lost"


@given(
    st.floats(0, 5), st.floats(0, 5), st.floats(0.3, 1), st.floats(0.8, 1), st.floats(0, 1), st.floats(0, 200)
)  # fmt: skip
def test_more_deviation_is_never_more_sure(
    one: float, other: float, agreement: float, correlation: float, spread: float, blocks: float
) -> None:
    parts = {"agreement": agreement, "correlation": correlation, "spread": spread, "blocks": blocks}
    low, high = sorted((one, other))
    less, more = (confidence_of({**parts, "deviation": d})[0] for d in (low, high))
    assert 0 <= more <= less <= 1
