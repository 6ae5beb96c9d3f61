"""A shot as a file of its own: the document, and where its clips are.

    {"kind": "wiseglove shot", "format": 2, "shot": {...}, "media": {"<clip>": {"path": "plate/tap.%04d.png", ...}},
     "beside": {"notes": [{"frame": 1004, "text": "..."}], "seconds": 340, "budget": 900}}

A clip is found by its path, which is relative to the shot file, or among the clips of a store by its name, which is made of
its files' contents. What is found by its path is compared with that name: a file that was changed since is said, not used.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any, Final

import orjson
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from wiseglove.media import movie
from wiseglove.media.clip import ClipReader, read_info
from wiseglove.media.errors import MediaError
from wiseglove.media.identity import content_id, hashed
from wiseglove.media.info import Limits, MediaInfo, Understood
from wiseglove.media.light import USUAL, Reading, check_lut
from wiseglove.media.plate import found_files
from wiseglove.media.probe import probe
from wiseglove.shot.beside import Beside
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.formats import FORMAT, NewerFormatError, upgraded_shot
from wiseglove.shot.model import Shot, media_of, new_shot
from wiseglove.store.clips import plate_of
from wiseglove.store.pictures import ExactPictures

KIND: Final = "wiseglove shot"
LARGEST = 2_000_000_000


class ShotFileError(ValueError):
    """A shot file that cannot be used, in words."""


class Media(BaseModel):
    """A clip of a shot file."""

    model_config = ConfigDict(extra="ignore")

    path: str | None = None
    """A movie, a folder of pictures, or a pattern such as tap.%04d.png, from the shot file's folder."""
    lut: str | None = None
    """The look-up table that brings it to the display, from the shot file's folder, where it has one."""
    info: MediaInfo | None = None
    """What is known about it."""


class ShotFile(BaseModel):
    """What a shot file holds; its JSON Schema is docs/shot-file.schema.json."""

    model_config = ConfigDict(extra="ignore")

    kind: str = Field(pattern=f"^{KIND}$")
    format: int
    shot: Shot
    media: dict[str, Media] = {}
    beside: Beside = Beside()


def written(shot: Shot, media: dict[str, Media], beside: Beside | None = None) -> bytes:
    """A shot file's contents; what goes with the shot is left out where there is nothing."""
    about = {i: m.model_dump(mode="json", exclude_none=True) for i, m in sorted(media.items())}
    document = {"kind": KIND, "format": FORMAT, "shot": shot.model_dump(mode="json"), "media": about}
    if beside is not None and beside != Beside():
        document["beside"] = beside.model_dump(mode="json", exclude_none=True)
    return orjson.dumps(document, option=orjson.OPT_INDENT_2) + b"\n"


def read(path: Path) -> ShotFile:
    """A shot file of this or an older format. Raises ShotFileError."""
    try:
        if path.stat().st_size > LARGEST:
            raise ShotFileError(f"{path} is larger than any shot file. Nothing was read.")
        found = orjson.loads(path.read_bytes())
    except OSError as error:
        raise ShotFileError(f"There is no shot file {path} that can be read. Check its name.") from error
    except orjson.JSONDecodeError as error:
        raise ShotFileError(f"{path} is not a shot file: {error}. It is as it was. Write it again.") from error
    return parsed(found, str(path))


def parsed(found: Any, called: str) -> ShotFile:
    """A shot file from its JSON; a bare document is one without clips. Raises ShotFileError."""
    if isinstance(found, dict) and "elements" in found and "plate" in found:
        found = {"kind": KIND, "format": found.get("format", 1), "shot": found}
    try:
        if not isinstance(found, dict) or found.get("kind") != KIND:
            raise ShotFileError(f"{called} is not a shot file: it does not say that it is a {KIND}. It is as it was.")
        return ShotFile.model_validate({**found, "shot": upgraded_shot(found["shot"])}, strict=False)
    except NewerFormatError as error:
        raise ShotFileError(str(error)) from error
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise ShotFileError(
            f"{called} is not a whole shot file: {where}: {first['msg']}. It is as it was. Write it again from its shot."
        ) from error
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        if isinstance(error, ShotFileError):
            raise
        raise ShotFileError(f"{called} is not a whole shot file ({error}). It is as it was.") from error


def fresh(
    plate: str, beside: Path, name: str | None, limits: Limits, reading: Reading = USUAL
) -> tuple[Shot, dict[str, Media]]:
    """A new shot of a plate's files, for a shot file in a folder. reading: their layer and light. Raises MediaError."""
    _, clip_id, info = _from_files(plate, None, limits, reading)

    def from_there(path: str | Path) -> str:
        return os.path.relpath(path, beside).replace(os.sep, "/")

    lut = from_there(reading.lut) if reading.lut else None
    media = {clip_id: Media(path=from_there(plate), lut=lut, info=info)}
    return new_shot(clip_id[:12], (name or info.name)[:80] or "Shot", plate_of(clip_id, info)), media


def named(evaluated: EvaluatedShot) -> set[str]:
    """The clips that a shot needs: its plate, and whatever its elements show or look at."""
    return {evaluated.plate.media}.union(*(media_of(e) for e in evaluated.elements.values()))


class FilePictures(ExactPictures):
    """The clips of a shot file: beside it, or in a store's folder of clips."""

    def __init__(self, media: Path, file: Path, about: dict[str, Media], known: dict[str, ClipFound]) -> None:
        super().__init__(media)
        self._file, self._about, self._known = file, about, known

    def opened(self, clip_id: str) -> ClipReader:
        if clip_id not in self._known:
            self._known[clip_id] = self._found(clip_id)
        return self._known[clip_id].reader()

    def _found(self, clip_id: str) -> ClipFound:
        about = self._about.get(clip_id)
        if about is not None and about.path is not None:
            where = (self._file.parent / about.path).as_posix()
            try:
                lut = self._file.parent / about.lut if about.lut else None
                folder, there, info = _from_files(where, about.info, Limits(), Reading(lut=lut))
            except MediaError as error:
                if not (self._media / clip_id / "clip.json").is_file():
                    raise MediaError(
                        f"The clip {about.path} of this shot cannot be found beside it: {error} The shot file is as it was. "
                        "Put the clip where the file says, or change its path."
                    ) from error
            else:
                if there != clip_id:
                    raise MediaError(
                        f"The clip {about.path} is another one than the shot was made with: its contents have changed since. "
                        "Nothing was rendered. Bring back the clip, or make a new shot of this one."
                    )
                return ClipFound(folder, info)
        try:
            read_info(self._media / clip_id)
            return ClipFound(self._media / clip_id, None)
        except MediaError as error:
            raise MediaError(
                f"The clip {clip_id} of this shot is neither beside its file nor among the clips in {self._media}. Nothing was "
                'rendered. Say where it is in the shot file\'s "media", or name the store with WISEGLOVE_FILES.'
            ) from error


class ClipFound:
    """Where a clip is; it is looked for and compared once."""

    def __init__(self, folder: Path, info: MediaInfo | None) -> None:
        """info: what is known about source files that lie in the folder; None where that is a store's own."""
        self._folder, self._info = folder, info

    def reader(self) -> ClipReader:
        """A reader of its pictures."""
        return ClipReader(self._folder, self._info)


def _from_files(where: str, known: MediaInfo | None, limits: Limits, reading: Reading) -> tuple[Path, str, MediaInfo]:
    """A clip straight from its files: their folder, its name by its contents, and what it is. Raises MediaError.

    reading: its layer and light where nothing is known about it yet, and where its look-up table is.
    """
    paths = found_files(where)
    understood: Understood = probe(paths, limits)
    if known is not None:  # what was corrected when it was taken in holds, and so do the files' own names
        kept = {
            k: getattr(known, k)
            for k in ("first", "rate_num", "rate_den", "pixel_aspect", "numbers", "count", "upright", "layer", "light")
        }
        understood = understood.model_copy(update={**kept, "notes": known.notes})
    else:
        if reading.layer and reading.layer not in understood.layers:
            held = ", ".join(f"“{name}”" for name in understood.layers if name) or "none that are named"
            raise MediaError(
                f"{where} has no layer “{reading.layer}” (layers: {held}). Nothing was written. Name another."
            )
        understood = understood.model_copy(update={"layer": reading.layer, "light": reading.light})
    folder = paths[0].parent
    if understood.light == "lut":
        if reading.lut is None or not reading.lut.is_file():
            raise MediaError(
                f"The look-up table {reading.lut or 'of ' + where} is not there. Nothing was written. Say where it is."
            )
        check_lut(reading.lut, reading.lut.name)
        understood = understood.with_lut(os.path.relpath(reading.lut, folder), reading.lut.name)
    index: list[int] = []
    if understood.kind == "movie":
        index = known.index if known is not None and known.index else [movie.time_of(f) for f in movie.frames(paths[0])]
        understood = understood.model_copy(update={"count": len(index)})
    info = MediaInfo(**{**understood.model_dump(), "index": index})
    tables = [understood.lut] if understood.light == "lut" else []
    clip_id = content_id(understood, hashed(folder, [*understood.files, *tables]))
    return folder, clip_id, info
