"""Grey pictures that are read ahead, in the order in which a source gives them quickest, while others compute."""

from __future__ import annotations

import shutil
import tempfile
import threading
from collections.abc import Callable, Iterable
from types import TracebackType

import numpy as np
from numpy.typing import NDArray

from wiseglove.media.errors import MediaError

Picture = NDArray[np.float32]
STEPS = 256
"""Steps of a grey level that are kept."""


class Spool:
    """Reads frames in an order on a thread of its own into a scratch file, and hands them out by number.

    read: frame number to (h, w) float32, 0..255. `get` waits for a frame that is still to come, and raises what reading
    raised. Safe to use from several threads.
    """

    def __init__(self, read: Callable[[int], Picture], order: Iterable[int], size: tuple[int, int]) -> None:
        self._read, self._order = read, list(order)
        self._place = {frame: i for i, frame in enumerate(self._order)}
        width, height = size
        _check_room(len(self._order) * width * height * 2)
        self._file = tempfile.TemporaryFile()  # noqa: SIM115 - lives as long as the spool, see close
        self._kept = np.memmap(self._file, np.uint16, "w+", shape=(len(self._order), height, width))
        self._there = np.zeros(len(self._order), bool)
        self._ready = threading.Condition()
        self._failed: BaseException | None = None
        self._closed = False
        self._thread = threading.Thread(target=self._fill, daemon=True)
        self._thread.start()

    def _fill(self) -> None:
        try:
            for i, frame in enumerate(self._order):
                if self._closed:
                    return
                picture = np.round(np.clip(self._read(frame), 0, 255) * STEPS).astype(np.uint16)
                with self._ready:
                    self._kept[i] = picture
                    self._there[i] = True
                    self._ready.notify_all()
        except BaseException as error:
            with self._ready:
                self._failed = error
                self._ready.notify_all()

    def get(self, frame: int) -> Picture:
        """The picture of a frame. Raises KeyError for one that is not in the order."""
        i = self._place[frame]
        with self._ready:
            while not self._there[i]:
                if self._failed is not None:
                    raise self._failed
                self._ready.wait()
            return np.asarray(self._kept[i], np.float32) / np.float32(STEPS)

    def close(self) -> None:
        """Stop reading and let the scratch file go."""
        self._closed = True
        self._thread.join()
        del self._kept
        self._file.close()

    def __enter__(self) -> Spool:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()


def _check_room(needed: int) -> None:
    free = shutil.disk_usage(tempfile.gettempdir()).free
    if needed > free:
        raise MediaError(
            f"Reading so many frames needs {needed / 1e9:.1f} GB for scratch files, but only {free / 1e9:.1f} GB are free. "
            "Nothing was changed. Make room, or choose fewer frames."
        )


def in_order(first: int, last: int, at: int, forwards_only: bool) -> list[int]:
    """Frames first..last in the order to read them: from `at` on and then those before it, or to both sides in turn."""
    after, before = list(range(max(at, first), last + 1)), list(range(min(at - 1, last), first - 1, -1))
    if forwards_only:
        return after + before[::-1]
    out = []
    for i in range(max(len(after), len(before))):
        out += after[i : i + 1] + before[i : i + 1]
    return out
