"""Where a matte is half covered, as it is measured against, on a disc whose place is known."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from benchmarks.truth import half_covered, off
from wiseglove.core.geometry.bezier import ellipse, flatten


def disc(radius: float, travel: tuple[float, float], moments: int) -> np.ndarray:
    """A matte of a moving disc as the mean of moments, each sampled at one place within each pixel."""
    rng, (y, x) = np.random.default_rng(3), np.mgrid[:160, :160] + 0.5
    covered = np.zeros((160, 160))
    for moment in range(moments):
        time, jitter = (moment + 0.5) / moments - 0.5, rng.random(2) - 0.5
        covered += np.hypot(x + jitter[0] - 80 - travel[0] * time, y + jitter[1] - 80 - travel[1] * time) < radius
    return np.round(covered * (255 / moments)).astype(np.uint8)


@pytest.mark.parametrize("travel", [(0.0, 0.0), (8.0, 0.0), (14.0, 6.0)])
def test_it_lies_where_a_hundred_times_as_many_moments_put_it(travel: tuple[float, float]) -> None:
    few, many = (half_covered(disc(20.0, travel, moments))[0] for moments in (10, 1000))
    assert off(shapely.LineString(many), few) < 0.2


def test_of_a_resting_disc_it_is_the_circle() -> None:
    (line,) = half_covered(disc(40.0, (0.0, 0.0), 400))
    assert off(shapely.LineString(flatten(ellipse(80, 80, 40, 40), 0.01)), line) < 0.1
