"""Pictures out: PNG and JPEG bytes, H.264 movies."""

from __future__ import annotations

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


def jpeg(pixels: NDArray[np.uint8], quality: int = 90) -> bytes:
    """JPEG of RGB (H, W, 3) pixels, colour not subsampled."""
    sampling = [cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
    flags = [cv2.IMWRITE_JPEG_QUALITY, quality, *sampling]
    return cv2.imencode(".jpg", _opencv_order(pixels), flags)[1].tobytes()


def _opencv_order(pixels: NDArray[Any]) -> NDArray[Any]:
    if pixels.ndim == 3 and pixels.shape[2] == 3:
        return np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR))
    if pixels.ndim == 3 and pixels.shape[2] == 4:
        return np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGBA2BGRA))
    return pixels


class MovieWriter:
    """An H.264 movie (yuv420p, BT.709 tagged, limited range) written frame by frame.

    Odd widths and heights, which 4:2:0 cannot hold, are padded by repeating the last column or row.
    """

    def __init__(
        self, path: Path, width: int, height: int, rate: Fraction, quality: int = 14, pixel_aspect: float = 1.0
    ) -> None:
        self._container: Any = av.open(str(path), "w", format="mp4", options={"movflags": "+faststart"})
        stream: Any = self._container.add_stream("libx264", rate=rate)
        stream.width, stream.height = width + width % 2, height + height % 2
        stream.pix_fmt = "yuv420p"
        stream.options = {"crf": str(quality), "preset": "medium"}
        if pixel_aspect != 1.0:
            stream.sample_aspect_ratio = Fraction(pixel_aspect).limit_denominator(1000)
        context = stream.codec_context
        context.color_range = ColorRange.MPEG
        context.color_primaries = context.color_trc = context.colorspace = 1  # BT.709 (ITU-T H.273)
        context.time_base = 1 / rate
        self._stream, self._count = stream, 0

    def write(self, pixels: NDArray[np.uint8]) -> None:
        """Append a frame, RGB (H, W, 3)."""
        height, width = pixels.shape[:2]
        if width % 2 or height % 2:
            pixels = np.pad(pixels, ((0, height % 2), (0, width % 2), (0, 0)), mode="edge")
        frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="rgb24")
        frame = frame.reformat(
            format="yuv420p",
            src_colorspace=Colorspace.ITU709,
            dst_colorspace=Colorspace.ITU709,
            src_color_range=ColorRange.JPEG,
            dst_color_range=ColorRange.MPEG,
        )
        frame.pts = self._count
        self._count += 1
        self._container.mux(self._stream.encode(frame))

    def close(self) -> None:
        """Finish the file."""
        self._container.mux(self._stream.encode())
        self._container.close()

    def __enter__(self) -> MovieWriter:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        if kind is None:
            self.close()
        else:
            self._container.close()
