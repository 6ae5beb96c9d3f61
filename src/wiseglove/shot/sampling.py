"""The backing's colour, taken from where it was dragged over in a clip's picture."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from wiseglove.core.compositing.colour import to_working
from wiseglove.core.keying.doubts import doubt
from wiseglove.core.keying.key import GreyError, Picture, sampled
from wiseglove.shot.basics import Plate
from wiseglove.shot.cutting import Clips
from wiseglove.shot.errors import EditError
from wiseglove.shot.subject import KeySettings, Sample, SampleBox

SMALL = 480
"""Width of the pictures in which the rest of the backing is looked for."""


def take_sample(clips: Clips, media: str, number: int, frame: int, box: SampleBox) -> Sample:
    """A sample of a clip's picture (0-based number), for a plate frame. Raises EditError for one that is no colour."""
    picture = _linear(clips, media, number, None)
    x, y, w, h = box
    left, top = max(round(x), 0), max(round(y), 0)
    part = picture[top : max(round(y + h), top + 1), left : max(round(x + w), left + 1)]
    if part.size == 0:
        raise EditError("The sample lies outside the picture. Drag over a part of the backing; nothing was changed.")
    try:
        return Sample(frame=frame, box=box, colour=sampled([part]))
    except GreyError as error:
        raise EditError(f"{error} Nothing was changed.") from error


def doubt_of(clips: Clips, media: str, plate: Plate, start: int | None, key: KeySettings, limited: bool) -> str | None:
    """What is doubtful about a key's samples, for the page to tell."""
    if key.keyer is None:
        return None
    first = plate.first if start is None else start
    keyer = replace(key.keyer, denoise=0.0)
    there = {
        f: _linear(clips, media, f - first, SMALL) for f in sorted({key.samples[0].frame, plate.first, plate.last})
    }
    at = key.samples[0].frame
    return doubt(there.pop(at), keyer, there, limited)


def _linear(clips: Clips, media: str, number: int, width: int | None) -> Picture:
    picture = clips.clip(media, number, width)
    if width is not None and picture.shape[1] > width:
        picture = cv2.resize(picture, (width, round(picture.shape[0] * width / picture.shape[1])))
    return np.asarray(to_working(picture[..., :3], True), np.float32)
