"""Reading a delivery back by other readers than those that wrote it, and comparing it with what it should be.

Pictures are written by OpenCV, tifffile and OpenEXR and read by OpenImageIO; movies are written by PyAV and read by OpenCV's
own FFmpeg; all else by its format's own reader or plainly as JSON.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO
import orjson

from wiseglove.core.parallel import each

MANIFEST = "manifest.json"
UNFINISHED = ".unfinished"
"""Where pieces lie until a delivery is whole."""
EVERY = 8
"""Of a sequence, each picture whose pixels are read too; of the others, what their headers say."""
Said = Callable[[int, int], None]


class NoDeliveryError(ValueError):
    """A folder that holds no delivery, in words."""


def read_manifest(folder: Path) -> dict[str, Any]:
    """A delivery's manifest. Raises NoDeliveryError."""
    try:
        found = orjson.loads((folder / MANIFEST).read_bytes())
        if not isinstance(found["files"], list):
            raise TypeError("no list of files")
        for entry in found["files"]:
            Path(entry["name"]), int(entry["size"]), str(entry["sha256"]), str(entry["form"])
    except OSError as error:
        raise NoDeliveryError(
            f"There is no {MANIFEST} in {folder} that can be read, so there is nothing to compare with. Nothing was "
            "changed. Name the folder that a delivery was written to."
        ) from error
    except (orjson.JSONDecodeError, KeyError, TypeError, ValueError) as error:
        raise NoDeliveryError(
            f"{folder / MANIFEST} is not a delivery's manifest ({error}). Nothing was changed. Render the delivery again."
        ) from error
    return dict(found)


def check(folder: Path, manifest: dict[str, Any], hashes: bool = True, said: Said | None = None) -> list[str]:
    """What is wrong with a delivery below a folder, a line each; none where it is as it should be.

    hashes: whether bytes are compared too, which is needless right after they were written and hashed.
    """
    files = manifest["files"]
    entries = list(enumerate(files))
    done = 0

    def look(entry: tuple[int, dict[str, Any]]) -> list[str]:
        nonlocal done
        number, file = entry
        whole = number % EVERY == 0 or number == len(files) - 1
        try:
            found = _file_problems(folder, file, manifest, hashes, whole)
        except (cv2.error, OSError, ValueError, KeyError, RuntimeError) as error:
            found = [f"cannot be read: {error}"]
        done += 1
        if said is not None:
            said(done, len(files))
        return [f"{file['name']}: {line}" for line in found]

    problems = [line for lines in each(look, entries) for line in lines]
    known = {f["name"] for f in files} | {MANIFEST}
    extra = [p.relative_to(folder).as_posix() for p in sorted(folder.rglob("*")) if p.is_file()]
    return problems + [
        f"{name}: is not in the manifest"
        for name in extra
        if name not in known and not name.startswith(f"{UNFINISHED}/")
    ]


def _file_problems(
    folder: Path, file: dict[str, Any], manifest: dict[str, Any], hashes: bool, whole: bool
) -> list[str]:
    path = folder / file["name"]
    if not path.resolve().is_relative_to(folder.resolve()):
        return ["lies outside the delivery's folder"]
    if not path.is_file():
        return ["is missing"]
    if path.stat().st_size != file["size"]:
        return [f"has {path.stat().st_size} bytes, not {file['size']}"]
    if hashes and digest(path) != file["sha256"]:
        return ["holds other bytes than were written"]
    form = file["form"]
    if form in ("png8", "png16", "tiff16", "exr-half", "exr-float") and file.get("width"):
        return _picture_problems(path, file, manifest, whole)
    if form in ("mp4", "webm", "ffv1", "prores"):
        return _movie_problems(path, file, manifest)
    if form in ("json", "lottie", "coco", "coco-rle", "otio"):
        orjson.loads(path.read_bytes())
    return []


def digest(path: Path) -> str:
    """SHA-256 of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


DEPTHS = {"png8": "uint8", "png16": "uint16", "tiff16": "uint16", "exr-half": "half", "exr-float": "float"}


def _picture_problems(path: Path, file: dict[str, Any], manifest: dict[str, Any], whole: bool) -> list[str]:
    source = OpenImageIO.ImageInput.open(str(path))
    if source is None:
        return [f"cannot be read: {OpenImageIO.geterror()}"]
    try:
        spec = source.spec()
        seen = (spec.full_width, spec.full_height)
        found = _differs("size", f"{seen[0]}x{seen[1]}", f"{file['width']}x{file['height']}")
        if file["form"].startswith("exr"):
            found += _exr_problems(spec, file, manifest)
        found += _differs("depth", str(spec.format), DEPTHS[file["form"]])
        names = [str(n) for n in spec.channelnames]
        if file.get("channels"):
            missing = [n for n in file["channels"] if n not in _every_channel(source, names)]
            found += [f"has no channel {', '.join(missing)}"] if missing else []
        if whole:
            pixels = source.read_image(0, 0, 0, spec.nchannels, spec.format)
            if pixels is None:
                found.append(f"cannot be read to its end: {source.geterror()}")
            elif file["form"].startswith("exr") and not np.isfinite(np.asarray(pixels, np.float32)).all():
                found.append("holds values that are not numbers")
        return found
    finally:
        source.close()


def _every_channel(source: Any, names: list[str]) -> set[str]:
    """The channels of all parts, by themselves and by the part's name."""
    out, part = set(names), 0
    while source.seek_subimage(part, 0):
        spec = source.spec()
        name = spec.getattribute("oiio:subimagename") or spec.getattribute("name") or ""
        out |= {str(n) for n in spec.channelnames} | {str(name)}
        part += 1
    source.seek_subimage(0, 0)
    return out


def _exr_problems(spec: Any, file: dict[str, Any], manifest: dict[str, Any]) -> list[str]:
    found = _differs(
        "pixel shape", f"{spec.getattribute('PixelAspectRatio') or 1.0:.6g}", f"{manifest['plate']['pixel_aspect']:.6g}"
    )
    number = spec.getattribute("openexr:imageCounter") or spec.getattribute("imageCounter")
    if number is not None and file.get("frame") is not None:
        found += _differs("frame number", str(number), str(file["frame"]))
    rate = spec.getattribute("FramesPerSecond")
    if rate is not None:
        found += _differs("rate", str(Fraction(*rate)), str(Fraction(manifest["plate"]["rate"])))
    return found


def _movie_problems(path: Path, file: dict[str, Any], manifest: dict[str, Any]) -> list[str]:
    reader = cv2.VideoCapture(str(path), cv2.CAP_FFMPEG)
    try:
        if not reader.isOpened():
            return ["cannot be opened as a movie"]
        wide, high = int(reader.get(cv2.CAP_PROP_FRAME_WIDTH)), int(reader.get(cv2.CAP_PROP_FRAME_HEIGHT))
        found = _differs("size", f"{wide}x{high}", f"{file['width']}x{file['height']}")
        rate, wanted = reader.get(cv2.CAP_PROP_FPS), float(Fraction(manifest["plate"]["rate"]))
        if abs(rate - wanted) > 1e-3 * wanted:
            found.append(f"rate is {rate:.4f}, not {wanted:.4f}")
        count = 0
        while reader.grab():
            count += 1
        return found + _differs("number of frames", str(count), str(file["count"]))
    finally:
        reader.release()


def _differs(what: str, is_: str, should: str) -> list[str]:
    return [] if is_ == should else [f"{what} is {is_}, not {should}"]
