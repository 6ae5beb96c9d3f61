"""Slip and jitter: what is measured is what was put there."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.motion.test_plane import QUAD, SIZE, clip, truth_at
from wiseglove.core.motion.regions import filled
from wiseglove.core.motion.slip import Slip, jitter


@pytest.mark.parametrize(("dx", "dy"), [(0.0, 0.0), (0.5, 0.0), (0.0, -1.2), (2.0, 1.0)])
@pytest.mark.parametrize("frame", [3, 8])
def test_slip_is_how_far_the_picture_is_off_the_motion(frame: int, dx: float, dy: float) -> None:
    picture_at = clip(8)
    slip = Slip(picture_at(1), filled(QUAD, SIZE))
    wrong = np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]]) @ truth_at(frame)
    assert slip.of(picture_at(frame), wrong) == pytest.approx(np.hypot(dx, dy), abs=0.15)


def test_what_is_in_front_does_not_count_and_where_nothing_is_seen_there_is_no_number() -> None:
    picture_at = clip(4)
    slip = Slip(picture_at(1), filled(QUAD, SIZE))
    picture = picture_at(4).copy()
    hidden = np.zeros(SIZE, np.float32)
    hidden[:, 160:] = 1
    picture[:, 160:] = np.roll(picture[:, 160:], 5, axis=0)
    assert slip.of(picture, truth_at(4), hidden) == pytest.approx(0, abs=0.15)
    assert slip.of(picture, truth_at(4), np.ones(SIZE, np.float32)) is None
    assert Slip(picture_at(1), np.zeros(SIZE, np.float32)).of(picture, truth_at(4)) is None


def test_jitter_is_none_on_a_steady_way_and_shows_a_frame_that_jumps() -> None:
    times = np.arange(20.0)
    quads = QUAD + np.stack([2 * times, -times], 1)[:, None]
    assert jitter(quads) == pytest.approx(np.zeros(20), abs=1e-9)
    quads[10, 2] += (0.6, 0.8)
    shaky = jitter(quads)
    assert shaky[10] == pytest.approx(2.0)
    assert shaky[9] == shaky[11] == pytest.approx(1.0)
    assert shaky[[5, 15]] == pytest.approx([0, 0], abs=1e-9)
    assert jitter(quads[:2]).tolist() == [0, 0]
