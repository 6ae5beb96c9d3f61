"""A subject: a clip that is separated by a key, or by a matte that was made elsewhere."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from wiseglove.core.keying.clean import Steps
from wiseglove.core.keying.key import Keyer, Spill
from wiseglove.shot.basics import Colour, Coordinate, ElementId, MediaId, Placed, Share, Strict

Light = Annotated[float, Field(allow_inf_nan=False, ge=0, le=64)]
Rgb = Annotated[tuple[Light, Light, Light], Field(strict=False)]
"""Red, green and blue in linear light."""
Size = Annotated[float, Field(allow_inf_nan=False, ge=0, le=2000)]
SampleBox = Annotated[tuple[Coordinate, Coordinate, Size, Size], Field(strict=False)]
"""x, y, width and height in pixels of the clip."""


class Sample(Strict):
    """A part of the backing that was dragged over on a frame, and its colour."""

    frame: int
    box: SampleBox
    colour: Rgb


class KeySettings(Strict):
    """How a subject's matte is made: from the difference to the backing, or from what a clip holds already."""

    source: Literal["colour", "alpha", "luma", "red", "green", "blue"] = "colour"
    samples: Annotated[list[Sample], Field(max_length=50)] = []
    clean: MediaId | None = None
    """A clip whose first picture shows the backing without the subject."""
    low: Share = Keyer.low
    high: Share = Keyer.high
    gamma: Annotated[float, Field(allow_inf_nan=False, ge=0.1, le=10)] = Keyer.gamma
    denoise: Annotated[float, Field(allow_inf_nan=False, ge=0, le=4)] = Keyer.denoise
    matte: MediaId | None = None
    """A clip that the matte is taken from instead of the subject's own; of any size."""
    start: int | None = None
    """The plate frame at which the matte's first picture counts; None: the plate's first."""
    inverted: bool = False
    solved: bool = False
    """Whether the soft edge is solved anew from the picture's colours."""

    @property
    def keyer(self) -> Keyer | None:
        """The key, once something was sampled."""
        if not self.samples:
            return None
        mean = [sum(s.colour[c] for s in self.samples) / len(self.samples) for c in range(3)]
        return Keyer((mean[0], mean[1], mean[2]), self.low, self.high, self.gamma, denoise=self.denoise)


class Step(Strict):
    """One step of the clean-up; its amount stays while it is off."""

    on: bool = False
    amount: Annotated[float, Field(allow_inf_nan=False, ge=-200, le=2000)]


class CleanUp(Strict):
    """The steps of the clean-up in the order in which they are done."""

    holes: Step = Step(amount=12)
    specks: Step = Step(amount=8)
    grow: Step = Step(amount=-0.5)
    soften: Step = Step(amount=0.7)
    contrast: Step = Step(amount=0.2)

    @property
    def steps(self) -> Steps:
        """What is on, as the core wants it."""
        on = {name: getattr(self, name) for name in ("holes", "specks", "grow", "soften", "contrast")}
        return Steps(**{name: step.amount if step.on else 0.0 for name, step in on.items()})


class SpillSettings(Strict):
    """How the backing's colour is taken out of the subject, and what comes instead of it."""

    on: bool = True
    amount: Share = Spill.amount
    replace: Literal["light", "colour", "background"] = "light"
    light: Share = Spill.light
    """Share of the light that goes which is given back."""
    colour: Colour = "#b0a090"
    reach: Annotated[float, Field(allow_inf_nan=False, ge=0, le=500)] = 0.0
    """Pixels from the backing beyond which colours are left as they are; 0 for none."""


class Subject(Placed):
    """A clip in front of a backing, in the order of depth like everything else.

    Without `clip` it is the plate's own picture, and its corners stay those of the plate.
    """

    kind: Literal["subject"] = "subject"
    clip: MediaId | None = None
    start: int | None = None
    """The plate frame at which the clip's first picture is seen; None: the plate's first."""
    key: KeySettings = KeySettings()
    clean_up: CleanUp = CleanUp()
    spill: SpillSettings = SpillSettings()
    core: list[ElementId] = []
    garbage: list[ElementId] = []
    near: Annotated[float, Field(allow_inf_nan=False, ge=0, le=500)] = 12.0
    """Pixels from the subject within which garbage is warned of."""
    pane: ElementId | None = None
    """The pane that the key is limited to, with `beyond` pixels around."""
    beyond: Annotated[float, Field(allow_inf_nan=False, ge=0, le=200)] = 3.0
