"""What goes with a shot beside its document: what was said about its frames, and for how long hands were on it."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Seconds = Annotated[float, Field(ge=0, allow_inf_nan=False)]


class FrameNote(BaseModel):
    """What was said about a frame; x and y, in plate pixels, where it is about a place on it."""

    model_config = ConfigDict(extra="ignore")

    frame: int
    text: str
    x: float | None = None
    y: float | None = None
    done: bool = False


class Beside(BaseModel):
    """Notes on a shot's frames, and the seconds that hands were on it and that it should take; null where nobody counted."""

    model_config = ConfigDict(extra="ignore")

    notes: list[FrameNote] = []
    seconds: Seconds | None = None
    budget: Seconds | None = None
