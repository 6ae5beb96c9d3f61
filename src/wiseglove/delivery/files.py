"""One picture as a file: PNG, TIFF and EXR as deliveries write them.

Mattes are linear coverage in every format. Colours are display-encoded, but for EXR, where they are linear light of BT.709's
primaries and premultiplied, as is usual there (OpenEXR, "Technical Introduction"); the header says so.
"""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import cv2
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import decode
from wiseglove.delivery.preset import Form
from wiseglove.media.encode import png

Picture = NDArray[np.float32]
NOTHING = np.zeros(1)
LINEAR_COMMENT = "Colours are linear light, Rec. ITU-R BT.709 primaries, white point D65; mattes are linear coverage."


@dataclass(frozen=True)
class Facts:
    """What a picture's header says of the shot."""

    frame: int
    rate: Fraction
    pixel_aspect: float
    compression: str = "zip"


def picture_file(form: Form, picture: Picture, facts: Facts, premultiplied: bool = False) -> bytes:
    """A matte (H, W), colours (H, W, 3), or colours with alpha (H, W, 4), 0..1, encoded and unpremultiplied.

    premultiplied: whether colours of PNG and TIFF are to be multiplied by their alpha, as they are encoded.
    """
    if form in ("exr-half", "exr-float"):
        return exr_file([("", _channels(picture))], facts, form == "exr-half")
    if premultiplied and picture.ndim == 3 and picture.shape[2] == 4:
        picture = np.concatenate([picture[..., :3] * picture[..., 3:], picture[..., 3:]], axis=2)
    if form == "png8":
        return png(levels(picture, 8))
    if form == "png16":
        return png(levels(picture, 16))
    return _tiff(levels(picture, 16), premultiplied)


def levels(picture: Picture, bits: int) -> NDArray[Any]:
    """0..1 as whole numbers of so many bits, rounded."""
    most = 2**bits - 1
    made = np.clip(picture, 0, 1) * np.float32(most) + np.float32(0.5)
    return made.astype(np.uint8 if bits == 8 else np.uint16)


def _tiff(pixels: NDArray[np.uint16], premultiplied: bool) -> bytes:
    out = io.BytesIO()
    grey = pixels.ndim == 2
    extra = None if grey or pixels.shape[2] == 3 else ["assocalpha" if premultiplied else "unassalpha"]
    tifffile.imwrite(
        out, pixels, photometric="minisblack" if grey else "rgb", compression="zlib", predictor=True, extrasamples=extra,
        rowsperstrip=128, metadata=None, software=False, datetime=False,
    )  # fmt: skip
    return out.getvalue()


def _channels(picture: Picture) -> dict[str, Picture]:
    """Named channels of a picture: Y for a matte; linear light for colours, premultiplied."""
    if picture.ndim == 2:
        return {"Y": picture}
    light = np.asarray(decode(picture[..., :3]), np.float32)
    if picture.shape[2] == 3:
        return {"R": light[..., 0], "G": light[..., 1], "B": light[..., 2]}
    alpha = picture[..., 3]
    return {"R": light[..., 0] * alpha, "G": light[..., 1] * alpha, "B": light[..., 2] * alpha, "A": alpha}


def exr_file(parts: Sequence[tuple[str, Mapping[str, Picture]]], facts: Facts, half: bool) -> bytes:
    """An EXR of one or (with names) several parts. Its data window is what is not nothing; its display window the picture."""
    made = [_exr_part(name, channels, facts, half) for name, channels in parts]
    out = io.BytesIO()
    if len(made) == 1:
        OpenEXR.File(*made[0]).write(out)
    else:
        OpenEXR.File(
            [OpenEXR.Part(header, channels, name) for (name, _), (header, channels) in zip(parts, made, strict=True)]
        ).write(out)
    return out.getvalue()


def _exr_part(
    name: str, channels: Mapping[str, Picture], facts: Facts, half: bool
) -> tuple[dict[str, Any], dict[str, Any]]:
    height, width = next(iter(channels.values())).shape
    left, top, right, bottom = _window(list(channels.values()))
    header: dict[str, Any] = {
        "compression": OpenEXR.DWAA_COMPRESSION if facts.compression == "dwaa" else OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "displayWindow": (np.array([0, 0], np.int32), np.array([width - 1, height - 1], np.int32)),
        "dataWindow": (np.array([left, top], np.int32), np.array([right - 1, bottom - 1], np.int32)),
        "pixelAspectRatio": float(facts.pixel_aspect),
        "framesPerSecond": facts.rate,
        "imageCounter": int(facts.frame),
        "comments": LINEAR_COMMENT,
    }
    if name:
        header["name"] = name
    cut = {n: c[top:bottom, left:right] for n, c in channels.items()}
    return header, {n: _half(c) if half else np.ascontiguousarray(c, np.float32) for n, c in cut.items()}


def _half(channel: Picture) -> NDArray[np.float16]:
    """Rounded to half floats, to the nearest even, by the processor's own instruction, which takes a seventh of NumPy's time."""
    return np.asarray(cv2.add(channel, NOTHING, dtype=cv2.CV_16F), np.float16)


def _window(channels: list[Picture]) -> tuple[int, int, int, int]:
    """Left, top, right and bottom of what is not nothing in any channel; one pixel where there is nothing."""
    rows, columns = np.zeros(channels[0].shape[0], bool), np.zeros(channels[0].shape[1], bool)
    for channel in channels:
        there = channel != 0
        rows |= there.any(1)
        columns |= there.any(0)
    y, x = np.flatnonzero(rows), np.flatnonzero(columns)
    if not len(y):
        return 0, 0, 1, 1
    return int(x[0]), int(y[0]), int(x[-1]) + 1, int(y[-1]) + 1
