"""A subject cut out of its clip on one frame: its matte, and its own colours without the backing's."""

from __future__ import annotations

import time
import zlib
from collections.abc import Callable, Hashable
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import partial
from threading import Lock
from typing import Protocol, TypeVar

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import Picture as Encoded
from wiseglove.core.compositing.colour import decode, of_hex, to_working
from wiseglove.core.compositing.cover_edges import own_share
from wiseglove.core.keying.band import solved_in_band
from wiseglove.core.keying.clean import clean
from wiseglove.core.keying.enlarge import enlarged
from wiseglove.core.keying.key import LUMA, Keyer, Prepared, Spill, finished, matte, prepare, subject
from wiseglove.core.matte.coverage import Box, Matte
from wiseglove.shot.basics import Plate
from wiseglove.shot.subject import KeySettings, SpillSettings, Subject

Picture = NDArray[np.float32]
T = TypeVar("T")
FAINT = 0.02
"""Matte below which a pixel's own colour is not told any more."""
HELD = 500_000_000
"""Bytes of prepared pictures that are kept for the next change of a setting."""


class Clips(Protocol):
    """Where pictures of clips come from. exact: whether they are the sources' own pixels."""

    @property
    def exact(self) -> bool: ...

    def clip(self, media: str, number: int, width: int | None) -> Encoded:
        """A clip's picture (0-based, the ends held), RGB or RGBA, encoded, `width` pixels wide (None: as it is)."""
        ...

    def wide(self, media: str) -> int:
        """How wide a clip's pictures are by themselves."""
        ...


@dataclass(frozen=True)
class Cut:
    """A subject in its clip's own pixels: what it looks like (h, w, 3; linear), its matte (h, w), and where that lies."""

    picture: Picture
    alpha: Matte
    backing: Picture | None
    keyer: Keyer | None
    box: Box
    scale: float
    """Its pixels for each pixel of the clip."""
    seconds_in_band: float = 0.0
    """How long its soft edge took, where that was solved from the picture's colours."""
    carries: bool = False
    """Whether its soft edge carries along what lies behind it in the plate: a matte from elsewhere, of the plate itself."""

    def colours(self, alpha: Matte, how: SpillSettings, behind: Picture | None = None) -> Picture:
        """Its colours (h, w, 3; linear, unpremultiplied) where its matte is as given."""
        if self.carries and how.on:
            own = own_share(self.picture, alpha)
            return np.asarray(own / np.maximum(alpha, FAINT)[..., None], np.float32)
        if self.backing is None or self.keyer is None or not how.on:
            return self.picture
        colour = None
        if how.replace == "colour":
            r, g, b = (float(v) for v in decode(of_hex(how.colour)))
            colour = (r, g, b)
        spill = Spill(how.amount, how.light, how.reach * self.scale, colour)
        return subject(self.picture, alpha, self.backing, self.keyer, spill, behind)


@dataclass(frozen=True)
class _Band:
    """A matte whose soft edge was solved from the picture's colours, and how long that took."""

    matte: Matte
    seconds: float


def _size(prepared: Prepared) -> int:
    return prepared.calm.nbytes + prepared.backing.nbytes + prepared.own.nbytes + prepared.clear.nbytes


_prepared: LRUCache[Hashable, Prepared] = LRUCache(HELD, _size)
_bands: LRUCache[Hashable, _Band] = LRUCache(HELD // 2, lambda band: band.matte.nbytes)
_lock = Lock()


def _kept(kept: LRUCache[Hashable, T], name: Hashable, make: Callable[[], T]) -> T:
    """What took long to make; made without the lock, so two threads may make the same."""
    with _lock:
        found = kept.get(name)
    if found is None:
        found = make()
        with _lock, suppress(ValueError):  # larger than all that may be kept
            kept[name] = found
    return found


def _solved(picture: Picture, alpha: Matte) -> _Band:
    start = time.perf_counter()
    out = solved_in_band(picture, alpha)
    return _Band(out, time.perf_counter() - start)


def cut(
    which: Subject,
    plate: Plate,
    frame: int,
    clips: Clips,
    width: int | None,
    box: Box | None = None,
    core: Matte | None = None,
) -> Cut:
    """A subject on a plate frame, before core and garbage are put to its matte.

    width: to which its clip's pictures are brought (None: as they are). box: the part of the picture that counts. core:
    (h, w) of that part, what is surely inside.
    """
    media, number = which.clip or plate.media, frame - (plate.first if which.start is None else which.start)
    whole = clips.clip(media, number, width)
    part = Box(0, 0, whole.shape[1], whole.shape[0]) if box is None else box
    seen = whole[part.slices]
    picture = np.asarray(to_working(seen[..., :3], True), np.float32)
    settings = which.key
    scale = whole.shape[1] / clips.wide(media)
    backing, keyer = None, settings.keyer
    if settings.matte is None and settings.source == "colour":
        alpha = np.ones(picture.shape[:2], np.float32)
        if keyer is not None:
            first = _bare(clips, settings.clean, whole)[part.slices] if settings.clean else None
            name = (clips.exact, media, number, whole.shape, part, settings.clean, _front(keyer), _mark(core))
            bare = None if first is None else _linear(first)
            ground = _kept(_prepared, name, partial(prepare, picture, keyer, bare, core))
            alpha, backing = matte(ground, keyer), ground.backing
    elif settings.matte is None:
        alpha, keyer = _channel(seen, settings), None
    else:
        alpha, keyer = _from_elsewhere(settings, plate, frame, clips, whole)[part.slices], None
    if settings.inverted:
        alpha = 1 - alpha
    alpha = np.ascontiguousarray(alpha, np.float32)
    seconds = 0.0
    if settings.solved:
        of = (clips.exact, media, number, whole.shape, part, zlib.crc32(alpha.tobytes()))
        band = _kept(_bands, of, partial(_solved, picture, alpha))
        alpha, seconds = band.matte, band.seconds
    carries = which.clip is None and settings.matte is not None
    return Cut(picture, clean(alpha, which.clean_up.steps.at(scale)), backing, keyer, part, scale, seconds, carries)


def _bare(clips: Clips, media: str, like: Encoded) -> Encoded:
    """The first picture of a clean plate at the size of another picture."""
    size = (like.shape[1], like.shape[0])
    found = clips.clip(media, 0, size[0])[..., :3]
    return found if found.shape[1::-1] == size else np.asarray(cv2.resize(found, size, interpolation=cv2.INTER_AREA))


def _front(keyer: Keyer) -> Keyer:
    """What the preparation depends on."""
    return replace(keyer, low=0.0, high=1.0, gamma=1.0)


def _mark(core: Matte | None) -> int:
    return 0 if core is None else zlib.crc32((core * 255).astype(np.uint8).tobytes())


def _linear(picture: Encoded) -> Picture:
    return np.asarray(to_working(picture[..., :3], True), np.float32)


def channel_of(picture: Encoded, source: str) -> Matte:
    """A picture's alpha (1 where it has none), luma, or red, green or blue, (h, w), as it is encoded."""
    values = np.asarray(to_working(picture, False), np.float32)
    if source == "alpha":
        found = values[..., 3] if values.shape[2] == 4 else np.ones(values.shape[:2], np.float32)
    elif source == "luma":
        found = values[..., :3] @ LUMA
    else:
        found = values[..., ("red", "green", "blue").index(source)]
    return np.ascontiguousarray(found)


def _channel(picture: Encoded, settings: KeySettings) -> Matte:
    """What a picture says by itself, (h, w); both ends of all but an alpha as they are set."""
    found = channel_of(picture, settings.source)
    if settings.source == "alpha":
        return found
    span = np.float32(max(settings.high - settings.low, 1e-3))
    return np.asarray(np.clip((found - np.float32(settings.low)) / span, 0, 1), np.float32)


def _from_elsewhere(settings: KeySettings, plate: Plate, frame: int, clips: Clips, whole: Encoded) -> Matte:
    """A matte that another clip holds, at the size of the subject's picture."""
    assert settings.matte is not None
    number = frame - (plate.first if settings.start is None else settings.start)
    there = clips.clip(settings.matte, number, None)
    if settings.source != "colour":
        found = _channel(there, settings)
    elif settings.keyer is None:
        found = np.ones(there.shape[:2], np.float32)
    else:
        found = matte(prepare(_linear(there), settings.keyer), settings.keyer)
    if found.shape[1] >= whole.shape[1]:
        size = (whole.shape[1], whole.shape[0])
        return np.asarray(cv2.resize(found, size, interpolation=cv2.INTER_AREA), np.float32)
    return enlarged(found, np.asarray(to_working(whole[..., :3], False), np.float32))


def whole_matte(alpha: Matte, core: Matte | None, garbage: Matte | None, limit: Matte | None) -> Matte:
    """(key united with core) without garbage, and only where it is limited to."""
    out = finished(alpha, core, garbage)
    return out if limit is None else out * limit
