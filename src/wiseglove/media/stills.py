"""Single picture files: PNG, JPEG, TIFF of 8 and 16 bit, EXR of half and float."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from wiseglove.core.compositing.colour import encode
from wiseglove.media.errors import MediaError

SUFFIXES = {".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr"}


@dataclass(frozen=True)
class Header:
    """Size and depth of a picture file."""

    width: int
    height: int
    bit_depth: int
    floating: bool
    alpha: bool
    pixel_aspect: float = 1.0


def _damaged(path: Path) -> MediaError:
    return MediaError(
        f"“{path.name}” is damaged or is not the kind of picture that its name says. Nothing was taken in and "
        "all shots are as they were. Export the file again, or leave it out."
    )


def read_header(path: Path) -> Header:
    """Size and depth without decoding the pixels. Raises MediaError for what is not such a picture."""
    if path.stat().st_size == 0:
        raise MediaError(f"“{path.name}” is empty. Nothing was taken in. Copy or export it again.")
    try:
        if path.suffix.lower() == ".exr":
            return _exr_header(path)
        if path.suffix.lower() in (".tif", ".tiff"):
            with tifffile.TiffFile(path) as file:
                page = file.pages[0]
                assert isinstance(page, tifffile.TiffPage)
                samples = page.samplesperpixel
                floating = np.dtype(page.dtype or "u1").kind == "f"
                bits = np.dtype(page.dtype or "u1").itemsize * 8
                return Header(page.imagewidth, page.imagelength, bits, floating, samples in (2, 4))
        with Image.open(path) as image:
            deep = image.mode.startswith("I") or _png_depth(path) == 16
            return Header(image.width, image.height, 16 if deep else 8, False, "A" in image.mode)
    except (UnidentifiedImageError, tifffile.TiffFileError, OSError, RuntimeError, ValueError, IndexError) as error:
        raise _damaged(path) from error


def _png_depth(path: Path) -> int:
    """Bits per sample from a PNG's header chunk (W3C PNG, IHDR), 8 for other files."""
    with path.open("rb") as file:
        head = file.read(25)
    return head[24] if head[:8] == b"\x89PNG\r\n\x1a\n" else 8


def _exr_header(path: Path) -> Header:
    with OpenEXR.File(str(path), header_only=True) as file:
        header = file.header()
        (left, top), (right, bottom) = (np.asarray(corner).tolist() for corner in header["dataWindow"])
        names = [channel.name for channel in header["channels"]]
        half = _exr_types(path) == {HALF}
        aspect = float(header.get("pixelAspectRatio", 1.0))
        return Header(right - left + 1, bottom - top + 1, 16 if half else 32, True, "A" in names, aspect)


HALF = 1
"""Pixel type code of 16-bit floats in an EXR channel list."""


def _exr_types(path: Path) -> set[int]:
    """Pixel type codes of all channels, from the header's channel list.

    The list is name, zero byte, int32 type, four bytes of flags, two int32 of sampling for each channel, and a
    zero byte at its end (OpenEXR file layout; the library tells types only together with all pixels).
    """
    with path.open("rb") as file:
        head = file.read(1 << 16)
    mark = b"channels\0chlist\0"
    place = head.index(mark) + len(mark) + 4
    types = set()
    while head[place]:
        place = head.index(b"\0", place) + 1
        types.add(int.from_bytes(head[place : place + 4], "little"))
        place += 16
    return types


def read_picture(path: Path) -> NDArray[Any]:
    """Pixels as RGB (H, W, 3) or RGBA (H, W, 4): uint8, uint16, or float32 display-encoded for EXR and float TIFF.

    EXR holds linear light with premultiplied alpha; it is brought to straight alpha and the sRGB curve, values
    above 1 kept. Raises MediaError for a damaged file.
    """
    if path.suffix.lower() == ".exr":
        return _read_exr(path)
    data = np.fromfile(path, np.uint8)
    flags = cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION
    try:
        pixels = cv2.imdecode(data, flags) if data.size else None
    except cv2.error as error:
        raise _damaged(path) from error
    if pixels is None:
        raise _damaged(path)
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    elif pixels.shape[2] == 4:
        pixels = cv2.cvtColor(pixels, cv2.COLOR_BGRA2RGBA)
    else:
        pixels = cv2.cvtColor(pixels, cv2.COLOR_BGR2RGB)
    if pixels.dtype not in (np.uint8, np.uint16):
        return np.asarray(encode(np.asarray(pixels, np.float32)), np.float32)
    return np.asarray(pixels)


def _read_exr(path: Path) -> NDArray[Any]:
    try:
        with OpenEXR.File(str(path), separate_channels=True) as file:
            channels = {name: np.asarray(c.pixels, np.float32) for name, c in file.channels().items()}
    except (RuntimeError, OSError, ValueError) as error:
        raise _damaged(path) from error
    if {"R", "G", "B"} <= channels.keys():
        planes = [channels[name] for name in "RGB"]
    elif "Y" in channels:
        planes = [channels["Y"]] * 3
    else:
        held = ", ".join(sorted(channels)) or "none"
        raise MediaError(
            f"“{path.name}” holds no R, G, B or Y channels at its top level (it has: {held}). "
            "Nothing was taken in. Export it with plain RGB channels."
        )
    rgb = np.stack(planes, axis=-1)
    alpha = channels.get("A")
    if alpha is None:
        return np.asarray(encode(rgb), np.float32)
    straight = rgb / np.where(alpha > 0, alpha, 1)[..., None]
    return np.asarray(np.concatenate([encode(straight), alpha[..., None]], axis=2), np.float32)
