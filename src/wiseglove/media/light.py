"""How the numbers of a file are to be understood, and how they are brought to the display.

Everything in the application is display-encoded by the sRGB curve (IEC 61966-2-1), so footage of another kind is converted
when it is read: linear light, pictures encoded by ITU-R BT.709's camera curve, or whatever a look-up table (.cube) was made for,
as log footage. Tables are read and applied by OpenColorIO.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

import numpy as np
import PyOpenColorIO
from numpy.typing import NDArray

from wiseglove.core.compositing.colour import encode
from wiseglove.media.errors import MediaError

Light = Literal["usual", "display", "linear", "bt709", "lut"]
"""usual: linear for EXR and for floats in TIFF, for the display in all else."""
LUT_SUFFIX = ".cube"
LARGEST_LUT = 100_000_000


@dataclass(frozen=True)
class Reading:
    """Which layer of a picture is wanted, and how its numbers are understood."""

    layer: str = ""
    light: Light = "usual"
    lut: Path | None = None

    def to_display(self, pixels: NDArray[Any]) -> NDArray[Any]:
        """Pixels (H, W, 3) or (H, W, 4) as they are in the file (uint8, uint16 or float32), display-encoded.

        Whole numbers that are changed become uint16; an alpha channel stays. Raises MediaError for a table that is none.
        """
        floats = pixels.dtype == np.float32
        light = ("linear" if floats else "display") if self.light == "usual" else self.light
        if light == "display":
            return pixels
        if light == "lut":
            if self.lut is None:
                raise MediaError(
                    "The look-up table of this clip is missing. What is drawn is safe. Take the clip in again."
                )
            made = _by_table(pixels, self.lut)
        elif floats:
            made = np.asarray(_curve(pixels[..., :3], light), np.float32)
        else:
            made = np.take(_sixteen(pixels.dtype.itemsize, light), pixels[..., :3])
        if pixels.shape[2] == 3:
            return made
        alpha = pixels[..., 3:]
        if pixels.dtype == np.uint8:
            alpha = alpha.astype(np.uint16) * np.uint16(257)
        return np.concatenate([made, alpha.astype(made.dtype)], axis=2)


USUAL = Reading()


def _curve(values: NDArray[Any], light: str) -> NDArray[np.float64]:
    """Linear light, or BT.709's camera encoding (ITU-R BT.709-6, item 1.2, turned round), by the sRGB curve."""
    if light == "linear":
        return encode(values)
    v = np.abs(np.asarray(values, np.float64))
    linear = np.where(v < 0.081, v / 4.5, ((v + 0.099) / 1.099) ** (1 / 0.45))
    return encode(np.copysign(linear, values))


@lru_cache(maxsize=4)
def _sixteen(bytes_each: int, light: str) -> NDArray[np.uint16]:
    levels = 256**bytes_each
    made = _curve(np.arange(levels) / (levels - 1), light)
    return np.round(np.clip(made, 0, 1) * 65535).astype(np.uint16)


def check_lut(path: Path, called: str) -> None:
    """Raise MediaError for what is not a look-up table."""
    if path.stat().st_size > LARGEST_LUT:
        raise MediaError(f"“{called}” is larger than any look-up table. Nothing was taken in. Choose another file.")
    try:
        _processor(str(path), path.stat().st_mtime_ns)
    except PyOpenColorIO.Exception as error:
        why = str(error).strip().splitlines()[-1].replace(str(path), called)
        raise MediaError(
            f"“{called}” cannot be read as a look-up table: {why} Nothing was taken in. Export it again as .cube, or go on "
            "without it."
        ) from error


@lru_cache(maxsize=8)
def _processor(path: str, _changed: int) -> Any:
    table = PyOpenColorIO.FileTransform(src=path, interpolation=PyOpenColorIO.INTERP_TETRAHEDRAL)
    PyOpenColorIO.ClearAllCaches()  # which go by the path alone
    return PyOpenColorIO.Config.CreateRaw().getProcessor(table).getDefaultCPUProcessor()


def _by_table(pixels: NDArray[Any], path: Path) -> NDArray[Any]:
    floats = pixels.dtype == np.float32
    most = 1.0 if floats else float(np.iinfo(pixels.dtype).max)
    values = np.ascontiguousarray(pixels[..., :3], np.float32) / np.float32(most)
    try:
        _processor(str(path), path.stat().st_mtime_ns).applyRGB(values)
    except (OSError, PyOpenColorIO.Exception) as error:
        raise MediaError(
            "The look-up table of this clip cannot be read any more. What is drawn is safe. Take the clip in again."
        ) from error
    return values if floats else np.round(np.clip(values, 0, 1) * 65535).astype(np.uint16)
