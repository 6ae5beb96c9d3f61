"""Clips through a coder, as cameras and editors hand them over."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tests.builders import ffmpeg


def through_h264(plates: NDArray[np.uint8], rate: str) -> NDArray[np.uint8]:
    """Plates (T, h, w, 3) RGB through H.264 at a rate ("8M": bits a second), 25 frames a second, colours in half the size."""
    height, width = plates.shape[1:3]
    plain = ("-f", "rawvideo", "-pix_fmt", "rgb24")
    with tempfile.TemporaryDirectory() as folder:
        movie = Path(folder) / "clip.mp4"
        pictures = Path(folder) / "clip.raw"
        pictures.write_bytes(plates.tobytes())
        coder = ("-c:v", "libx264", "-pix_fmt", "yuv420p", "-b:v", rate)
        ffmpeg(*plain, "-s", f"{width}x{height}", "-r", "25", "-i", pictures, *coder, movie)
        return np.frombuffer(ffmpeg("-i", movie, *plain, "-"), np.uint8).reshape(-1, height, width, 3)
