"""What is known about a clip or a sequence."""

from __future__ import annotations

from pathlib import Path
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field

from wiseglove.media.light import Light, Reading
from wiseglove.media.rates import StandardRate

MediaKind = Literal["movie", "sequence", "still"]


class Limits(BaseModel):
    """The largest plate that is taken in."""

    width: int = 8192
    height: int = 8192
    frames: int = 20_000
    memory: int = 3_000_000_000
    """Bytes that decoding may take."""


class Gap(BaseModel):
    """Numbers that are missing in a sequence, both inclusive."""

    first: int
    last: int


class Understood(BaseModel):
    """What the files say of themselves; `files` are their names on disk in playing order."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)

    kind: MediaKind
    name: str
    files: list[str]
    width: int
    height: int
    count: int
    first: int = 1001
    rate_num: int = 25
    rate_den: int = 1
    rate_known: bool = True
    rate_varies: bool = False
    nearest_rate: StandardRate | None = None
    """The standard rate that the file's own may be meant to be."""
    pixel_aspect: float = 1.0
    bit_depth: int = 8
    floating: bool = False
    alpha: bool = False
    codec: str = ""
    gaps: list[Gap] = []
    notes: list[str] = []
    names: list[str] = []
    """What the files were called by whoever sent them."""
    upright: bool = False
    """Whether pictures are turned as their files ask; clips taken in before that was done are not."""
    layers: list[str] = Field(default=[], description="layers of an EXR that can be chosen; the first is the usual one")
    layer: str = Field(default="", description="the layer that is shown; the usual one where empty")
    light: Light = Field(default="usual", description="how the files' numbers are understood")
    lut: str = Field(default="", description="the look-up table's file among the others")
    lut_name: str = Field(default="", description="what the look-up table is called")
    numbers: list[int] = Field(default=[], description="for pictures: which file each frame comes from")

    def called(self, file: int) -> str:
        """What a file was called by whoever sent it."""
        return self.names[file] if file < len(self.names) else self.files[file]

    def with_lut(self, file: str, name: str) -> Self:
        """The same, brought to the display by a look-up table: its file among the others, and what it is called."""
        return self.model_copy(update={"light": "lut", "lut": file, "lut_name": name})

    def reading(self, source: Path) -> Reading:
        """How its pictures are read, the files being in a folder."""
        return Reading(self.layer, self.light, source / self.lut if self.lut else None)


class MediaInfo(Understood):
    """A clip that has been decoded."""

    index: list[int] = Field(default=[], description="for a movie, each picture's timestamp in stream units")
