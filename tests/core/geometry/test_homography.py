from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis.extra.numpy import arrays
from hypothesis.strategies import floats
from skimage.transform import ProjectiveTransform

from wiseglove.core.geometry.homography import DegenerateQuadError, apply, is_convex, unit_square_to_quad

UNIT = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float64)
quads = arrays(np.float64, (4, 2), elements=floats(-40, 40)).map(lambda d: UNIT * 200 + d)


@given(quads)
def test_agrees_with_opencv_and_scikit_image(quad: np.ndarray) -> None:
    assume(is_convex(quad, 400))
    ours = unit_square_to_quad(quad)
    assert apply(ours, UNIT) == pytest.approx(quad, abs=1e-8)
    theirs = cv2.getPerspectiveTransform(UNIT.astype(np.float32), quad.astype(np.float32))
    other = ProjectiveTransform.from_estimate(UNIT, quad)
    middle = np.array([[0.5, 0.5], [0.2, 0.9]])
    assert apply(ours, middle) == pytest.approx(apply(theirs, middle), abs=1e-2)
    assert apply(ours, middle) == pytest.approx(other(middle), abs=1e-6)


@pytest.mark.parametrize(
    "quad",
    [
        [[0, 0], [10, 0], [0, 10], [10, 10]],  # crossed
        [[0, 0], [10, 0], [20, 0], [0, 10]],  # three in a line
        [[0, 0], [10, 0], [3, 3], [0, 10]],  # folded in
        [[5, 5]] * 4,
        [[0, 0], [10, 0], [np.nan, 10], [0, 10]],
    ],
)
def test_what_bounds_no_area_is_refused(quad: list[list[float]]) -> None:
    with pytest.raises(DegenerateQuadError):
        unit_square_to_quad(np.array(quad, np.float64))


def test_either_way_round_is_convex() -> None:
    assert is_convex(UNIT)
    assert is_convex(UNIT[::-1])
