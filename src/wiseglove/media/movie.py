"""Movies: exact frames in presentation order, whatever the coding order, and random access to them."""

from __future__ import annotations

from bisect import bisect_left
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import closing
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from threading import Lock
from typing import Any

import av
import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace
from av.video.stream import VideoStream
from numpy.typing import NDArray

from wiseglove.media.errors import MediaError
from wiseglove.media.info import Understood
from wiseglove.media.rates import nearest_standard

NEAR = 24
"""Pictures up to which reading on is quicker than looking for a key picture."""
PASSED = 4
"""Pictures that are kept as they were decoded, for threads that are a little behind."""
NOT_MOVIES = {"tty", "image2", "image2pipe", "subtitles", "lrc", "gif"}
"""Formats that PyAV opens without their being movies: text drawn as pictures, single pictures."""
UNSPECIFIED = 2
"""Colour space and primaries code "unspecified" (ITU-T H.273)."""


def _unreadable(name: str, why: str) -> MediaError:
    return MediaError(
        f"“{name}” cannot be read as a movie: {why}. Nothing was taken in and all shots are as they were. "
        "Copy or export the file again, or choose a movie or numbered pictures."
    )


def open_movie(path: Path, name: str | None = None) -> tuple[Any, VideoStream]:
    """The container and its first picture stream; name: what the file is called by whoever sent it. Raises MediaError."""
    called = name or path.name
    if path.stat().st_size == 0:
        raise MediaError(f"“{called}” is empty. Nothing was taken in. Copy or export it again.")
    try:
        container = av.open(str(path))
    except (av.FFmpegError, ValueError) as error:
        raise _unreadable(called, "it is damaged, cut short, or not a movie at all") from error
    kinds = set(container.format.name.split(","))
    if not container.streams.video or kinds & NOT_MOVIES or any(kind.endswith("_pipe") for kind in kinds):
        container.close()
        raise _unreadable(called, "it holds no moving pictures")
    stream = container.streams.video[0]
    stream.thread_type = "AUTO"
    return container, stream


def probe_movie(path: Path, name: str | None = None) -> Understood:
    """What a movie says of itself. Counts its pictures from the packets, without decoding all of them."""
    called = name or path.name
    container, stream = open_movie(path, called)
    with closing(container):
        try:
            packets = [p for p in container.demux(stream) if p.size and not p.is_discard]
            times = sorted(time for p in packets if (time := p.dts if p.pts is None else p.pts) is not None)
            container.close()
            container, stream = open_movie(path, called)  # not every container can be rewound
            head = next(container.decode(stream))
        except (av.FFmpegError, StopIteration, ValueError) as error:
            raise _unreadable(called, "not one picture in it can be decoded") from error
        rate = stream.average_rate or stream.guessed_rate or Fraction(25)
        steps = np.diff(np.array(times, np.float64)) * float(stream.time_base or 1)
        varies = _varies(steps, float(rate), float(stream.time_base or 0))
        notes = []
        if varies:
            slow, fast = 1 / steps.max(), 1 / max(steps.min(), 1e-6)
            notes.append(
                f"The rate varies from {slow:.2f} to {fast:.2f} frames a second. Frame n is the n-th picture of the "
                f"file, and playback uses the mean rate, {float(rate):.3f}."
            )
        if head.interlaced_frame:
            notes.append("The pictures are interlaced; both fields stay in one frame.")
        turned = _quarter_turns(head)
        if turned:
            notes.append("The file asks to be turned, and is.")
        width, height = (head.height, head.width) if turned % 2 else (head.width, head.height)
        aspect = stream.sample_aspect_ratio or Fraction(1)
        component = head.format.components
        return Understood(
            kind="movie",
            name=Path(called).stem,
            files=[path.name],
            names=[called],
            upright=True,
            width=width,
            height=height,
            count=len(packets),
            rate_num=rate.numerator,
            rate_den=rate.denominator,
            rate_varies=varies,
            nearest_rate=nearest_standard(rate, len(packets)),
            pixel_aspect=float(aspect) if aspect else 1.0,
            bit_depth=max(c.bits for c in component),
            alpha=any(c.is_alpha for c in component),
            codec=stream.codec_context.name,
            notes=notes,
        )


def _varies(steps: NDArray[np.float64], rate: float, tick: float) -> bool:
    """Whether picture times differ by more than the container's rounding and 2 % of a frame."""
    if len(steps) < 2:
        return False
    return bool(np.ptp(steps) > 2 * tick + 0.02 / rate)


def frames(path: Path, name: str | None = None) -> Iterator[VideoFrame]:
    """Every picture of a movie in presentation order. Raises MediaError at the first damaged one."""
    container, stream = open_movie(path, name)
    number = 0
    with container:
        try:
            for frame in container.decode(stream):
                if frame.is_corrupt:
                    raise _unreadable(name or path.name, f"picture {number + 1} is damaged")
                yield frame
                number += 1
        except av.FFmpegError as error:
            raise _unreadable(name or path.name, f"picture {number + 1} is damaged") from error
    if number == 0:
        raise _unreadable(name or path.name, "not one picture in it can be decoded")


def _quarter_turns(frame: VideoFrame) -> int:
    return round(frame.rotation / 90) % 4


def to_rgb(frame: VideoFrame) -> NDArray[Any]:
    """A decoded frame as RGB or RGBA, uint8 or (deeper than 8 bit) uint16, turned upright.

    The matrix is the one that the file names; unnamed it is BT.709 from 720 lines up and BT.601 below
    (common practice, no source).
    """
    deep = max(c.bits for c in frame.format.components) > 8
    alpha = any(c.is_alpha for c in frame.format.components)
    target = ("rgba64le" if alpha else "rgb48le") if deep else ("rgba" if alpha else "rgb24")
    space = frame.colorspace
    if frame.format.is_rgb or frame.format.name == target:
        converted = frame.reformat(format=target)
    else:
        if space in (Colorspace.DEFAULT, UNSPECIFIED):
            space = Colorspace.ITU709 if frame.height >= 720 else Colorspace.ITU601
        full = frame.color_range == ColorRange.JPEG or frame.format.name.startswith("yuvj")
        converted = frame.reformat(
            format=target,
            src_colorspace=space,
            dst_colorspace=space,
            src_color_range=ColorRange.JPEG if full else ColorRange.MPEG,
            dst_color_range=ColorRange.JPEG,
        )
    pixels = converted.to_ndarray()
    turns = _quarter_turns(frame)
    return np.ascontiguousarray(np.rot90(pixels, turns)) if turns else np.asarray(pixels)


def time_of(frame: VideoFrame) -> int:
    """When a picture is shown, in stream units; where the file does not say, when it was decoded."""
    time = frame.pts if frame.pts is not None else frame.dts
    return 0 if time is None else int(time)


class MovieReader:
    """Random access to a movie's pictures by number, through its index of timestamps.

    Reading on from the last picture decodes only the next one, and those just passed are still there; anything else seeks to
    the key picture before. Several threads may read: those that go on together through a movie decode it only once.
    """

    def __init__(
        self, path: Path, index: list[int], shown: Callable[[NDArray[Any]], NDArray[Any]] = lambda pixels: pixels
    ) -> None:
        """shown: what is done with each picture that is read, as bringing it to the display."""
        self._path, self._index, self._shown = path, index, shown
        self._unordered = any(b <= a for a, b in pairwise(index))
        """Whether the times do not rise from picture to picture, so that none is found by its time."""
        self._container, self._stream = open_movie(path)
        self._decoded: Iterator[VideoFrame] = iter(self._container.decode(self._stream))
        self._next = 0
        self._last: tuple[int, NDArray[Any]] | None = None
        """The picture that was read last: a plate that is shown in its own pane is asked for the same one twice."""
        self._passed: deque[tuple[int, VideoFrame]] = deque(maxlen=PASSED)
        self._lock = Lock()

    def read(self, number: int) -> NDArray[Any]:
        """Picture `number` (0-based) as by `to_rgb`, not to be written on. Raises MediaError."""
        with self._lock:
            last = self._last
            if last is None or last[0] != number:
                passed = next((frame for n, frame in self._passed if n == number), None)
                self._last = last = number, self._shown(self._read(number) if passed is None else to_rgb(passed))
            return last[1]

    def _read(self, number: int) -> NDArray[Any]:
        if not 0 <= number < len(self._index):
            raise MediaError(f"“{self._path.name}” has no picture {number + 1}.")
        try:
            if self._next <= number < self._next + NEAR and (frame := self._ahead(number)) is not None:
                return to_rgb(frame)
            # A seek may lead behind the picture where a container has no list of its key pictures: then from farther back.
            for back in (0, 2 * NEAR, 20 * NEAR):
                if number - back > 0:
                    self._container.seek(self._index[number - back], stream=self._stream)
                    self._decoded, self._next = iter(self._container.decode(self._stream)), -1
                    if (frame := self._ahead(number)) is not None:
                        return to_rgb(frame)
            self._begin()
            if (frame := self._ahead(number)) is not None:
                return to_rgb(frame)
        except av.FFmpegError as error:
            raise _unreadable(self._path.name, f"picture {number + 1} is damaged") from error
        raise _unreadable(self._path.name, f"picture {number + 1} is missing")

    def _begin(self) -> None:
        """From the first picture on, counting: in whatever order the times are."""
        self._container.close()
        self._passed.clear()
        self._container, self._stream = open_movie(self._path)
        self._decoded, self._next = iter(self._container.decode(self._stream)), 0

    def _ahead(self, number: int) -> VideoFrame | None:
        """The picture among those that come next; None where they are past it already.

        `_next` is the number of the one that comes next, or -1 after a seek, when only its time tells.
        """
        for frame in self._decoded:
            if self._next < 0:
                at = bisect_left(self._index, time_of(frame))
                if at == len(self._index) or self._index[at] != time_of(frame) or self._unordered:
                    return None
                self._next = at
            self._next += 1
            self._passed.append((self._next - 1, frame))
            if self._next == number + 1:
                return frame
            if self._next > number:
                return None
        return None

    def close(self) -> None:
        """Let go of the file."""
        self._container.close()
