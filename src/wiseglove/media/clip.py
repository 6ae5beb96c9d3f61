"""A clip on disk: its source files, display copies of every picture, and exact access to the source.

    media/<id>/source/   the files as they came
    media/<id>/full/     000000.jpg ...: every picture at its own size, for the viewer when it stands still
    media/<id>/proxy/    the same at most 960 pixels wide, for playing and scrubbing
    media/<id>/clip.json what is known about it (MediaInfo)

Display copies are for looking; whatever is measured or delivered comes from the source.
"""

from __future__ import annotations

import errno
import re
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import to_eight_bits
from wiseglove.media import movie, stills
from wiseglove.media.errors import MediaError, MissingClipError
from wiseglove.media.info import MediaInfo, Understood

PROXY_WIDTH = 960
Progress = Callable[[int, int], None]
"""Called with pictures done and expected; raises to stop."""


CLIP = re.compile(r"[0-9a-f]{24}")
"""What a clip is called; nothing else is ever looked for on disk."""


def folder_of(media: Path, clip_id: str) -> Path:
    """Where a clip is, right below the folder of all clips whatever links there are. Raises MissingClipError."""
    folder = (media / clip_id) if CLIP.fullmatch(clip_id) else None
    if folder is None or folder.resolve().parent != media.resolve():
        raise MissingClipError(MISSING)
    bring = _BRINGING.get(media)
    if bring is not None:
        bring(clip_id)
    return folder


_BRINGING: dict[Path, Callable[[str], None]] = {}


def bring_missing(media: Path, bring: Callable[[str], None] | None) -> None:
    """Have `bring` called for each clip of a folder that is looked for, so that it can bring what is not there; None to end that."""
    if bring is None:
        _BRINGING.pop(media, None)
    else:
        _BRINGING[media] = bring


MISSING = (
    "A clip of this shot is not on the server's disk. What is drawn is safe. Take the clip in again, or choose another."
)


def kept_as(number: int, name: str) -> str:
    """The name under which a file is kept: its number, and its suffix where that is a plain one."""
    suffix = Path(name).suffix.lower()
    return f"{number:06d}{suffix if re.fullmatch(r'[.][a-z0-9]{1,8}', suffix) else ''}"


def full_path(folder: Path, number: int) -> Path:
    """The display copy of a picture (0-based) at its own size."""
    return folder / "full" / f"{number:06d}.jpg"


def proxy_path(folder: Path, number: int) -> Path:
    """The small display copy of a picture (0-based)."""
    return folder / "proxy" / f"{number:06d}.jpg"


def read_info(folder: Path) -> MediaInfo:
    """What is known about a clip. Raises MediaError for one that is not there."""
    try:
        return MediaInfo.model_validate_json((folder / "clip.json").read_bytes())
    except FileNotFoundError as error:
        raise MissingClipError(MISSING) from error


def decode(source: Path, target: Path, understood: Understood, progress: Progress) -> MediaInfo:
    """Make the display copies of the clip whose files are in `source` below `target`, clip.json last.

    Raises MediaError; then, as when `progress` raises, `target` is removed.
    """
    try:
        for name in ("full", "proxy"):
            (target / name).mkdir(parents=True, exist_ok=True)
        _check_room(target, understood)
        decode_kind = _decode_movie if understood.kind == "movie" else _decode_files
        info = decode_kind(source, target, understood, progress)
        write_file(target / "clip.json", info.model_dump_json().encode())
        return info
    except BaseException as error:
        shutil.rmtree(target, ignore_errors=True)
        if isinstance(error, OSError) and (full := disk_full(error)) is not None:
            raise full from error
        raise


def disk_full(error: OSError) -> MediaError | None:
    """What to say where an error means that the disk has no room; None where it means something else."""
    if error.errno not in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
        return None
    return MediaError(
        "The disk is full. What was decoded so far has been removed again; your files and all shots are as "
        "they were. Make room on the server's disk, then try again."
    )


def _check_room(folder: Path, understood: Understood) -> None:
    needed = int(understood.width * understood.height * understood.count * 0.35)
    free = shutil.disk_usage(folder).free
    if needed > free:
        raise MediaError(
            f"Decoding this plate needs about {needed / 1e9:.1f} GB, but only {free / 1e9:.1f} GB are free on the server's "
            "disk. Nothing was taken in and all shots are as they were. Make room, then try again."
        )


def _decode_movie(source: Path, target: Path, understood: Understood, progress: Progress) -> MediaInfo:
    index: list[int] = []
    reading = understood.reading(source)
    for frame in movie.frames(source / understood.files[0], understood.called(0)):
        pixels = reading.to_display(movie.to_rgb(frame))
        _check_size(pixels, understood, f"Picture {len(index) + 1}")
        write_display(target, len(index), pixels)
        index.append(movie.time_of(frame))
        progress(len(index), max(understood.count, len(index)))
    notes = list(understood.notes)
    if len(index) != understood.count:
        notes.append(f"The file's own list speaks of {understood.count} pictures; {len(index)} can be seen.")
    return MediaInfo(**understood.model_dump(exclude={"count", "notes"}), count=len(index), notes=notes, index=index)


def _decode_files(source: Path, target: Path, understood: Understood, progress: Progress) -> MediaInfo:
    last = -1
    reading = understood.reading(source)
    for picture, number in enumerate(understood.numbers):
        if number != last:
            called = understood.called(number)
            pixels = stills.read_picture(source / understood.files[number], called, understood.upright, reading)
            _check_size(pixels, understood, f"“{called}”")
        write_display(target, picture, pixels)
        last = number
        progress(picture + 1, understood.count)
    return MediaInfo(**understood.model_dump())


def _check_size(pixels: NDArray[Any], understood: Understood, what: str) -> None:
    if pixels.shape[:2] != (understood.height, understood.width):
        raise MediaError(
            f"{what} is {pixels.shape[1]}x{pixels.shape[0]}, the others are {understood.width}x{understood.height}. "
            "Nothing was taken in. All frames of a plate need one size."
        )


def write_display(folder: Path, number: int, pixels: NDArray[Any]) -> None:
    """Write both display copies of a picture (RGB or RGBA of any depth)."""
    shown = cv2.cvtColor(to_eight_bits(pixels[..., :3]), cv2.COLOR_RGB2BGR)
    sampling = [cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
    write_file(full_path(folder, number), _jpeg(shown, [cv2.IMWRITE_JPEG_QUALITY, 93, *sampling]))
    height, width = shown.shape[:2]
    if width > PROXY_WIDTH:
        size = (PROXY_WIDTH, max(round(height * PROXY_WIDTH / width), 1))
        shown = cv2.resize(shown, size, interpolation=cv2.INTER_AREA)
    write_file(proxy_path(folder, number), _jpeg(shown, [cv2.IMWRITE_JPEG_QUALITY, 85]))


def first_picture(source: Path, understood: Understood, width: int = 680) -> NDArray[np.uint8]:
    """The first picture of files that have not been decoded yet, RGB 8 bit, at most `width` wide."""
    path = source / understood.files[0]
    called, reading = understood.called(0), understood.reading(source)
    if understood.kind == "movie":
        pixels = reading.to_display(movie.to_rgb(next(movie.frames(path, called))))
    else:
        pixels = stills.read_picture(path, called, understood.upright, reading)
    shown = to_eight_bits(pixels[..., :3])
    wide = round(understood.width * understood.pixel_aspect)
    scale = min(1.0, width / wide)
    size = (max(round(wide * scale), 1), max(round(understood.height * scale), 1))
    return np.asarray(cv2.resize(shown, size, interpolation=cv2.INTER_AREA), np.uint8)


def _jpeg(pixels: NDArray[Any], flags: list[int]) -> bytes:
    return cv2.imencode(".jpg", pixels, flags)[1].tobytes()


def write_file(path: Path, data: bytes) -> None:
    """Write a file of a clip's folder. Raises OSError where the disk has no room for it."""
    with path.open("wb") as file:
        file.write(data)


class ClipReader:
    """Exact pictures of a decoded clip, by 0-based number; several threads may read."""

    def __init__(self, folder: Path, info: MediaInfo | None = None) -> None:
        """folder: of a decoded clip; or with `info`, where the source files themselves lie."""
        self.info = info or read_info(folder)
        self._source = folder if info else folder / "source"
        self._reading = self.info.reading(self._source)
        self._movie: movie.MovieReader | None = None
        if self.info.kind == "movie":
            self._movie = movie.MovieReader(
                self._source / self.info.files[0], self.info.index, self._reading.to_display
            )

    def read(self, number: int) -> NDArray[Any]:
        """RGB or RGBA, uint8, uint16 or float32 (display-encoded). Numbers beyond the ends hold the end pictures."""
        number = min(max(number, 0), self.info.count - 1)
        if self._movie is not None:
            return self._movie.read(number)
        file = self.info.numbers[number]
        return stills.read_picture(
            self._source / self.info.files[file], self.info.called(file), self.info.upright, self._reading
        )

    def close(self) -> None:
        """Let go of the files."""
        if self._movie is not None:
            self._movie.close()
