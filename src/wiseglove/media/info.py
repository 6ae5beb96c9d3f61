"""What is known about a clip or a sequence."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

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
    numbers: list[int] = Field(default=[], description="for pictures: which file each frame comes from")

    def called(self, file: int) -> str:
        """What a file was called by whoever sent it."""
        return self.names[file] if file < len(self.names) else self.files[file]


class MediaInfo(Understood):
    """A clip that has been decoded."""

    index: list[int] = Field(default=[], description="for a movie, each picture's timestamp in stream units")
