"""Pictures out: PNG and JPEG bytes, H.264 movies."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any

import av
import cv2
import numpy as np
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray


def png(pixels: NDArray[np.uint8] | NDArray[np.uint16], level: int = 1) -> bytes:
    """Lossless PNG of grey (H, W), RGB or RGBA pixels, 8 or 16 bit."""
    return cv2.imencode(".png", _opencv_order(pixels), [cv2.IMWRITE_PNG_COMPRESSION, level])[1].tobytes()


def jpeg(pixels: NDArray[np.uint8], quality: int = 90, halved: bool = False) -> bytes:
    """JPEG of RGB (H, W, 3) pixels; halved: colour in half of their width and height, which is quicker to write and to read."""
    factor = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420 if halved else cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444
    sampling = [cv2.IMWRITE_JPEG_SAMPLING_FACTOR, factor]
    flags = [cv2.IMWRITE_JPEG_QUALITY, quality, *sampling]
    return cv2.imencode(".jpg", _opencv_order(pixels), flags)[1].tobytes()


def _opencv_order(pixels: NDArray[Any]) -> NDArray[Any]:
    if pixels.ndim == 3 and pixels.shape[2] == 3:
        return np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR))
    if pixels.ndim == 3 and pixels.shape[2] == 4:
        return np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGBA2BGRA))
    return pixels


@dataclass(frozen=True)
class Codec:
    """How a movie is kept. `takes` is the layout of the pixels that are given, `keeps` of those that are encoded."""

    name: str
    container: str
    takes: str
    keeps: str
    options: dict[str, str] = field(default_factory=dict)

    @property
    def is_yuv(self) -> bool:
        """Whether colours are kept as luma and chroma, by BT.709."""
        return self.keeps.startswith("yuv")

    @property
    def even(self) -> bool:
        """Whether chroma is kept for two pixels by two, so that sizes have to be even."""
        return "420" in self.keeps


H264 = Codec(
    "libx264", "mp4", "rgb24", "yuv420p",
    {"crf": "12", "preset": "ultrafast", "x264-params": "deblock=1,0,0:8x8dct=1"},
)  # fmt: skip
"""Without arithmetic coding, which takes half as long again at 1080p for the same picture (42.2 dB) in a seventh fewer bytes."""
FINE = Codec("libx264", "mp4", "rgb24", "yuv420p", {"crf": "12", "preset": "medium"})
VP9 = Codec(
    "libvpx-vp9", "webm", "rgba", "yuva420p",
    {"crf": "18", "b": "0", "deadline": "good", "cpu-used": "4", "auto-alt-ref": "0"},
)  # fmt: skip
FFV1_GREY = Codec("ffv1", "matroska", "gray16le", "gray16le", {"level": "3", "slices": "4", "slicecrc": "1"})
FFV1_COLOUR = Codec("ffv1", "matroska", "rgb24", "bgr0", {"level": "3", "slices": "4", "slicecrc": "1"})
FFV1_ALPHA = Codec("ffv1", "matroska", "rgba", "bgra", {"level": "3", "slices": "4", "slicecrc": "1"})
PRORES = Codec(
    "prores_ks", "mov", "rgba64le", "yuva444p10le", {"profile": "4444", "alpha_bits": "16", "vendor": "apl0"}
)
CODECS = (H264, VP9, FFV1_GREY, PRORES)
"""One of each that deliveries are written with."""
BT709 = 1
"""Primaries, transfer and matrix of ITU-R BT.709 by ITU-T H.273."""
THREADS = 2
"""Of an encoder: a fixed number, as what comes out may depend on it."""


class MovieWriter:
    """A movie written frame by frame; colours that are kept as luma are BT.709, limited range, and say so.

    Odd widths and heights, which 4:2:0 cannot hold, are padded by repeating the last column or row.
    """

    def __init__(
        self, path: Path, width: int, height: int, rate: Fraction, codec: Codec = H264, pixel_aspect: float = 1.0
    ) -> None:
        options = {"movflags": "+faststart"} if codec.container in ("mp4", "mov") else {}
        self._container: Any = av.open(
            str(path), "w", format=codec.container, options={**options, "fflags": "+bitexact"}
        )
        stream: Any = self._container.add_stream(codec.name, rate=rate)
        odd = 2 if codec.even else 1
        stream.width, stream.height = width + width % odd, height + height % odd
        stream.pix_fmt = codec.keeps
        stream.options = codec.options
        if pixel_aspect != 1.0:
            stream.sample_aspect_ratio = Fraction(pixel_aspect).limit_denominator(1000)
        context = stream.codec_context
        context.thread_count = THREADS
        if codec.is_yuv:
            context.color_range = ColorRange.MPEG
            context.color_primaries = context.color_trc = context.colorspace = BT709
        context.time_base = 1 / rate
        self._stream, self._count, self._codec = stream, 0, codec

    def write(self, pixels: NDArray[Any]) -> None:
        """Append a frame in the layout that the codec takes: (H, W), (H, W, 3) or (H, W, 4)."""
        high, wide = self._stream.height - pixels.shape[0], self._stream.width - pixels.shape[1]
        if high or wide:
            pixels = np.pad(pixels, ((0, high), (0, wide), *[(0, 0)] * (pixels.ndim - 2)), mode="edge")
        codec = self._codec
        frame = _as_frame(np.ascontiguousarray(pixels), codec.takes)
        if codec.is_yuv:
            frame = frame.reformat(
                format=codec.keeps,
                src_colorspace=Colorspace.ITU709,
                dst_colorspace=Colorspace.ITU709,
                src_color_range=ColorRange.JPEG,
                dst_color_range=ColorRange.MPEG,
                threads=THREADS,
            )
            frame.color_primaries = frame.color_trc = BT709  # some encoders take them from the picture
        elif codec.keeps != codec.takes:
            frame = frame.reformat(format=codec.keeps)
        frame.pts = self._count
        self._count += 1
        self._container.mux(self._stream.encode(frame))

    def close(self) -> None:
        """Finish the file."""
        self._container.mux(self._stream.encode())
        self._container.close()

    def abandon(self) -> None:
        """Let go of a file that is not to be finished."""
        self._container.close()

    def __enter__(self) -> MovieWriter:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        if kind is None:
            self.close()
        else:
            self.abandon()


def _as_frame(pixels: NDArray[Any], layout: str) -> av.VideoFrame:
    """Pixels as a frame, without copying them where they are colours of 8 bits."""
    if layout == "rgb24" and pixels.flags.writeable:
        return av.VideoFrame.from_numpy_buffer(pixels, layout)
    return av.VideoFrame.from_ndarray(pixels, format=layout)


def joined(parts: Sequence[Path], out: Path, codec: Codec, rate: Fraction) -> None:
    """Movies of the same kind one after the other, without encoding them again; each begins with a whole picture."""
    options = {"movflags": "+faststart"} if codec.container in ("mp4", "mov") else {}
    # A short part may need fewer pictures decoded ahead than a long one; the delay of the longest holds for all.
    ahead = max(_ahead(part, rate) for part in parts)
    with av.open(str(out), "w", format=codec.container, options={**options, "fflags": "+bitexact"}) as target:
        stream: Any = None
        done = decoded = 0
        for part in parts:
            with av.open(str(part)) as source:
                own = source.streams.video[0]
                if stream is None:
                    stream = target.add_stream_from_template(own)
                first = decoded
                for packet in source.demux(own):
                    if packet.size == 0:
                        continue
                    # Times are whole frames, whatever unit this part's container counts in.
                    shown = _in_frames(packet.pts, own, rate)
                    packet.time_base = 1 / rate
                    packet.pts, packet.dts, packet.duration = shown + done, decoded - ahead, 1
                    packet.stream = stream
                    target.mux(packet)
                    decoded += 1
                done += decoded - first


def _ahead(part: Path, rate: Fraction) -> int:
    """How many frames before it is shown the first picture of a movie is decoded."""
    with av.open(str(part)) as source:
        own = source.streams.video[0]
        packet = next(p for p in source.demux(own) if p.size)
        return max(_in_frames(packet.pts, own, rate) - _in_frames(packet.dts, own, rate), 0)


def _in_frames(value: int | None, stream: Any, rate: Fraction) -> int:
    return int(round((value or 0) * stream.time_base * rate))
