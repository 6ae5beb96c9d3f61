"""Pictures and layers of OpenEXR files, read by OpenImageIO.

A layer is what stands before the last point of its channels' names ("beauty.R"), or, where a file has several parts with
names of their own and plain channels, the part. A channel that belongs to no colours is a layer by itself, shown as grey.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO
from numpy.typing import NDArray

COLOURS = ("R", "G", "B")
MOST_LAYERS = 500


@dataclass(frozen=True)
class Layer:
    """Where a layer's channels are: the part, and three for colours or one for grey; alpha where there is one."""

    part: int
    channels: tuple[str, ...]
    alpha: str | None


@dataclass(frozen=True)
class Contents:
    """What an EXR holds."""

    width: int
    height: int
    half: bool
    pixel_aspect: float
    layers: dict[str, Layer]
    """By name; "" are the plain R, G and B, or Y, at the top of the first part."""


class ExrError(ValueError):
    """What the library says of a file that it cannot read."""


def _open(path: Path) -> Any:
    found = OpenImageIO.ImageInput.open(str(path))
    if found is None:
        raise ExrError(OpenImageIO.geterror() or "it cannot be opened")
    return found


def contents(path: Path) -> Contents:
    """Size of the display window, and layers, from the headers alone. Raises ExrError."""
    file = _open(path)
    try:
        if file.format_name() != "openexr":
            raise ExrError("it is not an EXR")
        first = file.spec()
        layers: dict[str, Layer] = {}
        half, part = True, 0
        while file.seek_subimage(part, 0):
            spec = file.spec()
            if not spec.deep:
                name = spec.get_string_attribute("oiio:subimagename") or spec.get_string_attribute("name")
                for own, layer in _of_part(part, list(spec.channelnames)).items():
                    layers.setdefault(_called(part, name, own), layer)
            half = half and spec.format == OpenImageIO.HALF and all(f == OpenImageIO.HALF for f in spec.channelformats)
            part += 1
        aspect = float(first.get_float_attribute("PixelAspectRatio", 1.0)) or 1.0
        return Contents(first.full_width, first.full_height, half, aspect, dict(list(layers.items())[:MOST_LAYERS]))
    finally:
        file.close()


def _called(part: int, name: str, own: str) -> str:
    """A layer's name: its own in the first part; elsewhere with the part's before it, if it does not begin with that."""
    if part == 0 or (own and own.startswith(name)):
        return own
    return ".".join(word for word in (name or f"part {part + 1}", own) if word)


def _of_part(part: int, names: list[str]) -> dict[str, Layer]:
    groups: dict[str, dict[str, str]] = {}
    for name in names:
        head, _, last = name.rpartition(".")
        groups.setdefault(head, {})[last.upper()] = name
    out: dict[str, Layer] = {}
    for head, channels in groups.items():
        taken: set[str] = set()
        if all(c in channels for c in COLOURS):
            out[head] = Layer(part, tuple(channels[c] for c in COLOURS), channels.get("A"))
            taken = {*COLOURS, "A"}
        elif "Y" in channels:
            out[head] = Layer(part, (channels["Y"],), channels.get("A"))
            taken = {"Y", "A"}
        for last, name in channels.items():
            if last not in taken:
                out[name] = Layer(part, (name,), None)
    return out


def usual(found: Contents) -> str:
    """The layer that is meant where nobody says: the plain colours, else the first with colours, else the first."""
    if "" in found.layers:
        return ""
    colours = (name for name, layer in found.layers.items() if len(layer.channels) == 3)
    return next(colours, next(iter(found.layers), ""))


def read_layer(path: Path, layer: Layer) -> tuple[NDArray[np.float32], NDArray[np.float32] | None]:
    """Linear colours (H, W, 3) of the display window as they are stored, and alpha (H, W) or None. Raises ExrError.

    What the display window has and the data window has not is nothing (black, alpha 0).
    """
    file = _open(path)
    try:
        if not file.seek_subimage(layer.part, 0):
            raise ExrError(file.geterror() or "a part of it is missing")
        spec = file.spec()
        names = list(spec.channelnames)
        planes = {}
        for name in dict.fromkeys([*layer.channels, *([layer.alpha] if layer.alpha else [])]):
            at = names.index(name)
            data = file.read_image(layer.part, 0, at, at + 1, OpenImageIO.FLOAT)
            if data is None or file.has_error:
                raise ExrError(file.geterror() or "its pixels cannot be read")
            planes[name] = _placed(np.asarray(data, np.float32).reshape(spec.height, spec.width), spec)
        rgb = np.stack([planes[name] for name in (layer.channels * 3)[:3]], axis=-1)
        return rgb, planes[layer.alpha] if layer.alpha else None
    finally:
        file.close()


def _placed(plane: NDArray[np.float32], spec: Any) -> NDArray[np.float32]:
    """A data window's pixels at their place in the display window."""
    left, top = spec.x - spec.full_x, spec.y - spec.full_y
    width, height = spec.full_width, spec.full_height
    if (left, top, spec.width, spec.height) == (0, 0, width, height):
        return plane
    out = np.zeros((height, width), np.float32)
    x0, y0, x1, y1 = max(left, 0), max(top, 0), min(left + spec.width, width), min(top + spec.height, height)
    if x1 > x0 and y1 > y0:
        out[y0:y1, x0:x1] = plane[y0 - top : y1 - top, x0 - left : x1 - left]
    return out
