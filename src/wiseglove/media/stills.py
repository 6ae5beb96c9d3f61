"""Single picture files: PNG, JPEG, TIFF of 8 and 16 bit, EXR of half and float."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from wiseglove.media import exr
from wiseglove.media.errors import MediaError
from wiseglove.media.light import USUAL, Reading

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
    layers: tuple[str, ...] = ()
    """Layers of an EXR that can be chosen, the one that is usual first."""


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
    found = exr.contents(path)
    first = exr.usual(found)
    layers = (first, *(name for name in found.layers if name != first))
    alpha = first in found.layers and found.layers[first].alpha is not None
    return Header(
        found.width,
        found.height,
        16 if found.half else 32,
        True,
        alpha,
        found.pixel_aspect,
        layers=layers if found.layers else (),
    )


def read_picture(path: Path, name: str | None = None, upright: bool = True, reading: Reading = USUAL) -> NDArray[Any]:
    """Pixels as RGB (H, W, 3) or RGBA (H, W, 4): uint8, uint16, or float32 for EXR and float TIFF; display-encoded.

    EXR holds premultiplied alpha, which is brought to straight alpha; values above 1 are kept. upright: turned as the file
    asks. reading: which layer, and how its numbers are understood. name: see `read_header`. Raises MediaError for a damaged file.
    """
    called = name or path.name
    if Path(called).suffix.lower() == ".exr":
        return reading.to_display(_read_exr(path, called, reading.layer))
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
        pixels = np.asarray(pixels, np.float32)
    return reading.to_display(np.asarray(pixels))


def _read_exr(path: Path, called: str, wanted: str) -> NDArray[np.float32]:
    try:
        found = exr.contents(path)
        layer = found.layers.get(wanted or exr.usual(found))
        if layer is None:
            held = ", ".join(f"“{name}”" for name in found.layers) or "none"
            raise MediaError(
                f"“{called}” holds no pictures{f' of a layer “{wanted}”' if wanted else ''} (layers: {held}). Nothing was taken "
                "in. Choose another layer, or export it with plain RGB channels."
            )
        rgb, alpha = exr.read_layer(path, layer)
    except (MediaError, MemoryError):
        raise
    except Exception as error:  # whatever the library has to say about a stranger's file
        raise _damaged(called) from error
    if alpha is None:
        return rgb
    return np.concatenate([rgb / np.where(alpha > 0, alpha, 1)[..., None], alpha[..., None]], axis=2)
