"""Where a scene gets its pictures from: the clips in the media folder."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from threading import Lock
from typing import Any

import cv2
import numpy as np
from cachetools import LRUCache, cachedmethod
from numpy.typing import NDArray

from wiseglove.core.compositing.alpha import kind_of
from wiseglove.core.compositing.chart import build_chart
from wiseglove.core.compositing.colour import Linear, Picture, decode, of_hex, to_working
from wiseglove.media import clip
from wiseglove.media.errors import MediaError
from wiseglove.media.info import MediaInfo
from wiseglove.shot.basics import Plate
from wiseglove.shot.model import Insert

PLATES = 4
"""Display pictures of plates that are kept decoded."""
STILLS = 3
"""Inserts of a single picture that are kept while a delivery is made."""
GRADIENT = 512
"""Side of the picture in which a gradient is made."""


@lru_cache(maxsize=2)
def _chart(linear: bool) -> Linear:
    return to_working(build_chart(), linear)


@lru_cache(maxsize=16)
def _painted(source: str, colours: tuple[str, str], angle: float, linear: bool) -> Linear:
    """The chart, a solid or a gradient. A gradient goes evenly in the values in which light is mixed."""
    if source == "chart":
        return _chart(linear)
    ends = [np.asarray(decode(of_hex(c)) if linear else of_hex(c), np.float32) for c in colours]
    if source == "solid":
        return np.broadcast_to(ends[0], (8, 8, 3)).copy()
    along = np.array([np.cos(np.radians(angle)), np.sin(np.radians(angle))])
    at = (np.arange(GRADIENT, dtype=np.float32) + 0.5) / GRADIENT - 0.5
    reach = float(np.abs(along).sum())
    share = ((at[None] * along[0] + at[:, None] * along[1]) / reach + 0.5)[..., None].astype(np.float32)
    return np.asarray(ends[0] * (1 - share) + ends[1] * share, np.float32)


def _premultiplied(picture: Picture, linear: bool, kind: str) -> Linear:
    """An encoded RGB or RGBA picture as working values, alpha premultiplied; kind: how its alpha is meant.

    Colours that are multiplied by their alpha already are so as they are encoded (common practice, no source), and are
    divided by it first. What is not a number counts as nothing.
    """
    if picture.dtype.kind == "f":
        picture = np.nan_to_num(picture, nan=0.0, posinf=64.0, neginf=0.0)
    if picture.shape[2] == 3 or kind == "ignored":
        return to_working(picture[..., :3], linear)
    alpha = to_working(picture[..., 3], False)[..., None]
    if kind != "premultiplied":
        return np.concatenate([to_working(picture[..., :3], linear) * alpha, alpha], axis=2)
    own = np.clip(to_working(picture[..., :3], False) / np.maximum(alpha, 1e-4), 0, 1)
    own = np.asarray(decode(own) if linear else own, np.float32)
    return np.concatenate([own * alpha, alpha], axis=2)


class DisplayPictures:
    """Display copies, for the viewer: quick, not exact. Safe for use by several threads."""

    exact = False

    def __init__(self, media: Path, at_hand: int = 12) -> None:
        """at_hand: how many pictures of inserts are kept."""
        self._media = media
        self._inserts: LRUCache[Any, Linear] = LRUCache(at_hand)
        self._plates: LRUCache[Any, Picture] = LRUCache(PLATES)
        self._lock, self._plate_lock = Lock(), Lock()

    def plate(self, plate: Plate, frame: int, width: int, height: int) -> Picture:
        """The smallest display copy that is large enough, brought to width x height."""
        folder, number = clip.folder_of(self._media, plate.media), frame - plate.first
        path = clip.proxy_path if width <= clip.PROXY_WIDTH else clip.full_path
        return self._plate(path(folder, number), width, height)

    @cachedmethod(lambda self: self._plates, lock=lambda self: self._plate_lock)
    def _plate(self, path: Path, width: int, height: int) -> Picture:
        """A clip's pictures never change; the last few are kept, since a slider asks for the same one again and again."""
        return _resized(_read(path), width, height)

    def insert(self, insert: Insert, frame: int, linear: bool) -> Linear | None:
        """The chart, what is painted, or the clip's picture on that frame; None where it has none."""
        if insert.source != "media" or insert.media is None:
            return _painted(insert.source, insert.colours, insert.angle, linear)
        folder = clip.folder_of(self._media, insert.media)
        info = clip.read_info(folder)
        number = insert.number(frame, info.count)
        if number is None:
            return None
        return self._working(folder, number, linear, insert.alpha if info.alpha else "none")

    @cachedmethod(lambda self: self._inserts, lock=lambda self: self._lock)
    def _working(self, folder: Path, number: int, linear: bool, alpha: str) -> Linear:
        return (
            self._exact_insert(folder, number, linear, alpha)
            if alpha != "none"
            else _display_insert(folder, number, linear)
        )

    def clip(self, media: str, number: int, width: int | None) -> Picture:
        """A clip's picture from its large display copy, whose colours are whole; one with alpha from its source."""
        folder = clip.folder_of(self._media, media)
        info = clip.read_info(folder)
        at = min(max(number, 0), info.count - 1)
        wide = info.width if width is None else min(width, info.width)
        height = max(round(info.height * wide / info.width), 1)
        if info.alpha:
            reader = clip.ClipReader(folder)
            try:
                return _resized(reader.read(at), wide, height)
            finally:
                reader.close()
        return _resized(_read(clip.full_path(folder, at)), wide, height)

    def wide(self, media: str) -> int:
        """How wide a clip's pictures are."""
        return clip.read_info(clip.folder_of(self._media, media)).width

    def pixel_aspect(self, media: str) -> float:
        """How many times as wide as high a clip's pixels are."""
        return clip.read_info(clip.folder_of(self._media, media)).pixel_aspect

    @staticmethod
    def _exact_insert(folder: Path, number: int, linear: bool, alpha: str) -> Linear:
        """Display copies hold no alpha, so a picture with one is read from its source."""
        reader = clip.ClipReader(folder)
        try:
            return _premultiplied(reader.read(number), linear, alpha_kind(folder) if alpha == "auto" else alpha)
        finally:
            reader.close()


@lru_cache(maxsize=256)
def alpha_kind(folder: Path) -> str:
    """How the alpha of a clip is meant, by its middle picture; a clip's content never changes."""
    reader = clip.ClipReader(folder)
    try:
        return kind_of(reader.read(reader.info.count // 2)) if reader.info.alpha else "straight"
    finally:
        reader.close()


def _display_insert(folder: Path, number: int, linear: bool) -> Linear:
    return to_working(_read(clip.full_path(folder, number)), linear)


def _read(path: Path) -> NDArray[np.uint8]:
    pixels = cv2.imdecode(np.fromfile(path, np.uint8), cv2.IMREAD_COLOR_RGB) if path.exists() else None
    if pixels is None:
        raise MediaError(
            "A picture of this clip is missing on the server's disk. The shot's covers and panes are safe. "
            "Take the clip in again."
        )
    return np.asarray(pixels, np.uint8)


def _resized(pixels: NDArray[Any], width: int, height: int) -> NDArray[Any]:
    if pixels.shape[:2] == (height, width):
        return pixels
    return np.asarray(cv2.resize(pixels, (width, height), interpolation=cv2.INTER_AREA))


class ExactPictures:
    """The sources themselves, for deliveries. Several threads may read; `close` it when all of them are done."""

    exact = True

    def __init__(self, media: Path) -> None:
        self._media = media
        self._readers: dict[str, clip.ClipReader] = {}
        self._kinds: dict[str, str] = {}
        self._stills: LRUCache[Any, Linear] = LRUCache(STILLS)
        self._lock = Lock()

    def _reader(self, clip_id: str, role: str = "") -> clip.ClipReader:
        """A reader of a clip; one that is plate and insert at once has two, so that neither has to go back for the other."""
        key = clip_id + role
        with self._lock:
            if key not in self._readers:
                self._readers[key] = self.opened(clip_id)
            return self._readers[key]

    def opened(self, clip_id: str) -> clip.ClipReader:
        """A clip to be read from. Raises MediaError."""
        return clip.ClipReader(clip.folder_of(self._media, clip_id))

    def plate(self, plate: Plate, frame: int, width: int, height: int) -> Picture:
        """The plate's own pixels, RGB."""
        return _resized(self._reader(plate.media).read(frame - plate.first)[..., :3], width, height)

    def insert(self, insert: Insert, frame: int, linear: bool) -> Linear | None:
        """The chart, what is painted, or the clip's own pixels on that frame; None where it has none."""
        if insert.source != "media" or insert.media is None:
            return _painted(insert.source, insert.colours, insert.angle, linear)
        reader = self._reader(insert.media, " insert")
        number = insert.number(frame, reader.info.count)
        if number is None:
            return None
        if reader.info.count == 1:
            return self._still(insert.media, insert.alpha, linear)
        return self._working(insert.media, number, insert.alpha, linear)

    def _working(self, media: str, number: int, kind: str, linear: bool) -> Linear:
        reader = self._reader(media, " insert")
        if kind == "auto" and reader.info.alpha:
            if media not in self._kinds:
                self._kinds[media] = kind_of(reader.read(reader.info.count // 2))
            kind = self._kinds[media]
        return _premultiplied(reader.read(number), linear, kind)

    @cachedmethod(lambda self: self._stills, lock=lambda self: self._lock)
    def _still(self, media: str, kind: str, linear: bool) -> Linear:
        """The same picture on every frame, so that it is read once, and what is made of it, too."""
        return self._working(media, 0, kind, linear)

    def clip(self, media: str, number: int, width: int | None) -> Picture:
        """The clip's own pixels."""
        pixels = self._reader(media).read(number)
        if width is None or width >= pixels.shape[1]:
            return pixels
        return _resized(pixels, width, max(round(pixels.shape[0] * width / pixels.shape[1]), 1))

    def info(self, media: str) -> MediaInfo:
        """What is known about a clip."""
        return self._reader(media).info

    def wide(self, media: str) -> int:
        """How wide a clip's pictures are."""
        return self._reader(media).info.width

    def pixel_aspect(self, media: str) -> float:
        """How many times as wide as high a clip's pixels are."""
        return self._reader(media).info.pixel_aspect

    def close(self) -> None:
        """Let go of all files."""
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()
