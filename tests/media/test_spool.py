"""Reading ahead: every frame comes as it is, whoever asks first, and errors are not swallowed."""

from __future__ import annotations

import threading
import time

import numpy as np
import pytest

from wiseglove.media.errors import MediaError
from wiseglove.media.spool import Spool, in_order


def grey(frame: int) -> np.ndarray:
    return np.full((4, 6), frame + 0.25, np.float32)


def test_frames_come_as_they_are_in_any_order_and_from_several_threads() -> None:
    seen: dict[int, float] = {}

    def slow(frame: int) -> np.ndarray:
        time.sleep(0.005)
        return grey(frame)

    with Spool(slow, range(10, 30), (6, 4)) as spool:
        threads = [
            threading.Thread(target=lambda f=f: seen.update({f: float(spool.get(f)[0, 0])})) for f in range(29, 9, -1)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        with pytest.raises(KeyError):
            spool.get(99)
    assert seen == {f: f + 0.25 for f in range(10, 30)}


def test_what_reading_raises_is_raised_where_the_picture_is_asked_for() -> None:
    def broken(frame: int) -> np.ndarray:
        if frame == 3:
            raise MediaError("picture 3 is damaged")
        return grey(frame)

    with Spool(broken, [1, 2, 3, 4], (6, 4)) as spool:
        assert spool.get(2)[0, 0] == 2.25
        with pytest.raises(MediaError, match="damaged"):
            spool.get(4)


def test_a_spool_that_is_let_go_stops_reading() -> None:
    read: list[int] = []

    def slow(frame: int) -> np.ndarray:
        read.append(frame)
        time.sleep(0.01)
        return grey(frame)

    with Spool(slow, range(1000), (6, 4)) as spool:
        spool.get(0)
    assert len(read) < 50


@pytest.mark.parametrize("forwards", [True, False])
def test_every_frame_is_read_once_and_the_reference_first(forwards: bool) -> None:
    order = in_order(5, 12, 8, forwards)
    assert sorted(order) == list(range(5, 13))
    assert order[0] == 8
    assert order == [8, 9, 10, 11, 12, 5, 6, 7] if forwards else order[1] in (7, 9)
