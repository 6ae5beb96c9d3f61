"""A plate straight from its files: a movie, a folder of pictures, or a pattern of their names."""

from __future__ import annotations

import re
import threading
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wiseglove.media import movie, stills
from wiseglove.media.errors import MediaError
from wiseglove.media.info import Limits
from wiseglove.media.light import USUAL, Reading
from wiseglove.media.probe import probe


class PlateFiles:
    """Random access to the pictures of a plate by its own frame numbers; safe to use from several threads."""

    def __init__(self, where: str, limits: Limits | None = None, reading: Reading = USUAL) -> None:
        """where: a movie, a folder, or a pattern such as tap.%04d.png, tap.####.png or tap.*.png. Raises MediaError."""
        self._reading = reading
        paths = found_files(where)
        self.about = probe(paths, limits)
        self._lock = threading.Lock()
        self._movie: movie.MovieReader | None = None
        if self.about.kind == "movie":
            index = [int(f.pts or 0) for f in movie.frames(paths[0])]
            self.about = self.about.model_copy(update={"count": len(index)})
            self._movie = movie.MovieReader(paths[0], index, reading.to_display)
        self._folder = paths[0].parent

    @property
    def first(self) -> int:
        """Number of the first frame: the one in the file's name, 1001 for a movie."""
        return self.about.first

    @property
    def last(self) -> int:
        """Number of the last frame."""
        return self.about.first + self.about.count - 1

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.about.width, self.about.height

    def missing(self, frame: int) -> bool:
        """Whether the sequence has no picture of its own for this frame."""
        return any(gap.first <= frame <= gap.last for gap in self.about.gaps)

    def read(self, frame: int) -> NDArray[Any]:
        """RGB or RGBA, uint8, uint16 or float32 (display-encoded). Raises MediaError."""
        number = frame - self.about.first
        if self._movie is not None:
            with self._lock:
                return self._movie.read(number)
        path = self._folder / self.about.files[self.about.numbers[number]]
        return stills.read_picture(path, reading=self._reading)


def found_files(where: str) -> list[Path]:
    """The files of a movie, a folder of pictures, or a pattern of their names. Raises MediaError."""
    path = Path(where)
    if path.is_file():
        return [path]
    if path.is_dir():
        found = sorted(p for p in path.iterdir() if p.suffix.lower() in stills.SUFFIXES and p.is_file())
        if not found:
            raise MediaError(f"The folder {where} holds no pictures. Name a movie, a folder of pictures, or a pattern.")
        return found
    pattern = re.sub(r"%0?\d*d|#+|\*", "\0", path.name)
    if "\0" not in pattern or not path.parent.is_dir():
        raise MediaError(f"There is no file or folder {where}. Name a movie, a folder of pictures, or a pattern.")
    wanted = re.compile(re.escape(pattern).replace("\0", r"\d+").replace("\\\0", r"\d+") + "$")
    found = sorted(p for p in path.parent.iterdir() if wanted.match(p.name))
    if not found:
        raise MediaError(f"No picture fits the pattern {where}. Check the folder and the name before the number.")
    return found


def to_float(pixels: NDArray[Any]) -> NDArray[np.float32]:
    """Channels of a picture as float32 on the scale 0..255, display-encoded."""
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    if pixels.dtype == np.uint8:
        return np.asarray(pixels, np.float32)
    if pixels.dtype == np.uint16:
        return np.asarray(pixels, np.float32) / np.float32(257)
    return np.asarray(np.clip(pixels, 0, 4), np.float32) * np.float32(255)
