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
from PIL import Image

from wiseglove.core.compositing.colour import encode
from wiseglove.media.errors import MediaError

Image.MAX_IMAGE_PIXELS = None  # only headers are read with it, and how large a picture may be is decided on these
SUFFIXES = {".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr"}


@dataclass(frozen=True)
class Header:
    """Size (as it stands when it is upright) and depth of a picture file."""

    width: int
    height: int
    bit_depth: int
    floating: bool
    alpha: bool
    pixel_aspect: float = 1.0
    orientation: int = 1
    """How the file asks to be turned (Exif 2.32, tag 0x0112); 1 is upright already."""


def _damaged(name: str) -> MediaError:
    return MediaError(
        f"“{name}” is damaged or is not the kind of picture that its name says. Nothing was taken in and "
        "all shots are as they were. Export the file again, or leave it out."
    )


ORIENTATION = 0x0112
TAKEN = {np.dtype(kind) for kind in ("u1", "u2", "f4")}
"""Kinds of numbers in a TIFF that are taken."""


def read_header(path: Path, name: str | None = None) -> Header:
    """Size and depth without decoding the pixels. Raises MediaError for what is not such a picture.

    name: what the file is called by whoever sent it; its suffix says what it is to be.
    """
    called = name or path.name
    if path.stat().st_size == 0:
        raise MediaError(f"“{called}” is empty. Nothing was taken in. Copy or export it again.")
    suffix = Path(called).suffix.lower()
    try:
        if suffix == ".exr":
            return _exr_header(path)
        if suffix in (".tif", ".tiff"):
            return _tiff_header(path, called)
        return _other_header(path)
    except (MediaError, MemoryError):
        raise
    except Exception as error:  # whatever a library has to say about a stranger's file
        raise _damaged(called) from error


def _tiff_header(path: Path, called: str) -> Header:
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        assert isinstance(page, tifffile.TiffPage)
        kind = np.dtype(page.dtype or "u1").newbyteorder("=")
        if kind not in TAKEN:
            raise MediaError(
                f"“{called}” holds numbers of the kind {kind.name}; TIFF is taken with 8 or 16 bit, or 32-bit floats. "
                "Nothing was taken in. Export it again in one of these."
            )
        tag = page.tags.get(ORIENTATION)
        turned = int(tag.value) if tag is not None and tag.value in range(1, 9) else 1
        width, height = _upright(page.imagewidth, page.imagelength, turned)
        return Header(
            width, height, kind.itemsize * 8, kind.kind == "f", page.samplesperpixel in (2, 4), orientation=turned
        )


def _other_header(path: Path) -> Header:
    with Image.open(path) as image:
        deep = image.mode.startswith("I") or _png_depth(path) == 16
        turned = _asked(image.info.get("exif"))
        width, height = _upright(image.width, image.height, turned)
        alpha = "A" in image.mode or "transparency" in image.info
        return Header(width, height, 16 if deep else 8, False, alpha, orientation=turned)


def _asked(exif: bytes | None) -> int:
    """The orientation that a block of Exif asks for."""
    if not exif:
        return 1
    tags = Image.Exif()
    tags.load(exif)
    found = tags.get(ORIENTATION, 1)
    return int(found) if found in range(1, 9) else 1


def _upright(width: int, height: int, orientation: int) -> tuple[int, int]:
    return (height, width) if orientation in (5, 6, 7, 8) else (width, height)


def _turned(pixels: NDArray[Any], orientation: int) -> NDArray[Any]:
    """Pixels (H, W, ...) as the file asks them to be turned (Exif 2.32, 4.6.4, tag Orientation)."""
    if orientation in (5, 6, 7, 8):
        pixels = pixels.swapaxes(0, 1)
    if orientation in (2, 3, 6, 7):
        pixels = pixels[:, ::-1]
    if orientation in (3, 4, 7, 8):
        pixels = pixels[::-1]
    return np.ascontiguousarray(pixels)


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


def read_picture(path: Path, name: str | None = None, upright: bool = True) -> NDArray[Any]:
    """Pixels as RGB (H, W, 3) or RGBA (H, W, 4): uint8, uint16, or float32 display-encoded for EXR and float TIFF.

    EXR holds linear light with premultiplied alpha; it is brought to straight alpha and the sRGB curve, values
    above 1 kept. upright: turned as the file asks. name: see `read_header`. Raises MediaError for a damaged file.
    """
    called = name or path.name
    if Path(called).suffix.lower() == ".exr":
        return _read_exr(path, called)
    tiff = Path(called).suffix.lower() in (".tif", ".tiff")  # which OpenCV turns by itself, whatever the flags say
    orientation = read_header(path, called).orientation if upright and not tiff else 1
    data = np.fromfile(path, np.uint8)
    flags = cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION
    try:
        pixels = cv2.imdecode(data, flags) if data.size else None
    except cv2.error as error:
        if error.code == cv2.Error.StsNoMem:
            raise MemoryError from error
        raise _damaged(called) from error
    if pixels is None:
        raise _damaged(called)
    if orientation != 1:
        pixels = _turned(pixels, orientation)
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    elif pixels.shape[2] == 4:
        pixels = cv2.cvtColor(pixels, cv2.COLOR_BGRA2RGBA)
    else:
        pixels = cv2.cvtColor(pixels, cv2.COLOR_BGR2RGB)
    if pixels.dtype not in (np.uint8, np.uint16):
        return np.asarray(encode(np.asarray(pixels, np.float32)), np.float32)
    return np.asarray(pixels)


def _read_exr(path: Path, called: str) -> NDArray[Any]:
    try:
        with OpenEXR.File(str(path), separate_channels=True) as file:
            channels = {name: np.asarray(c.pixels, np.float32) for name, c in file.channels().items()}
    except MemoryError:
        raise
    except Exception as error:  # whatever the library has to say about a stranger's file
        raise _damaged(called) from error
    if {"R", "G", "B"} <= channels.keys():
        planes = [channels[name] for name in "RGB"]
    elif "Y" in channels:
        planes = [channels["Y"]] * 3
    else:
        held = ", ".join(sorted(channels)) or "none"
        raise MediaError(
            f"“{called}” holds no R, G, B or Y channels at its top level (it has: {held}). "
            "Nothing was taken in. Export it with plain RGB channels."
        )
    rgb = np.stack(planes, axis=-1)
    alpha = channels.get("A")
    if alpha is None:
        return np.asarray(encode(rgb), np.float32)
    straight = rgb / np.where(alpha > 0, alpha, 1)[..., None]
    return np.asarray(np.concatenate([encode(straight), alpha[..., None]], axis=2), np.float32)
