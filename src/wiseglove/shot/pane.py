"""A pane: four corners in which pictures are shown, how they are fitted in, and how they sit in the plate."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from wiseglove.core.compositing.blend import Mode
from wiseglove.core.compositing.grade import Grade
from wiseglove.core.compositing.grain import Grain
from wiseglove.core.compositing.worn import Worn
from wiseglove.core.geometry.floating import Float
from wiseglove.shot.basics import Colour, Corner, ElementId, MediaId, Name, Placed, Share, Spanned, Strict, Width

Amount = Annotated[float, Field(allow_inf_nan=False, ge=0, le=4)]
"""How much of something: 1 as it was measured, or wholly."""
Pixels = Annotated[float, Field(allow_inf_nan=False, ge=0, le=400)]
Angle = Annotated[float, Field(allow_inf_nan=False, ge=-3600, le=3600)]
Light = Annotated[float, Field(allow_inf_nan=False, ge=-1, le=64)]


class ValueKey(Strict):
    """A number's value on a frame, and how it goes on to the next."""

    frame: int
    value: Annotated[float, Field(allow_inf_nan=False, ge=-10_000, le=10_000)]
    ease: Literal["smooth", "linear", "hold"] = "smooth"


class Insert(Strict):
    """What a pane shows. A clip's first picture is seen at plate frame `start`."""

    source: Literal["chart", "media", "solid", "gradient"] = "chart"
    media: MediaId | None = None
    start: int | None = None
    speed: Annotated[float, Field(allow_inf_nan=False, ge=-20, le=20)] = 1.0
    """Pictures of the clip to each frame of the plate."""
    ends: Literal["hold", "loop", "nothing"] = "hold"
    """What is shown before the clip's first picture and after its last."""
    alpha: Literal["auto", "straight", "premultiplied", "ignored"] = "auto"
    """How a clip's alpha is meant; auto: as its colours tell."""
    colours: Annotated[tuple[Colour, Colour], Field(strict=False)] = ("#0c1116", "#24424a")
    """Of a solid, the first; of a gradient, both ends."""
    angle: Angle = 90.0
    """In which direction a gradient goes, degrees clockwise from the right."""

    def number(self, frame: int, count: int) -> int | None:
        """Which of a clip's pictures (0-based) is seen on a plate frame; None for nothing."""
        at = int(np.floor((frame - (self.start or 0)) * self.speed + 1e-6))
        if self.ends == "loop":
            return at % count
        if self.ends == "nothing" and not 0 <= at < count:
            return None
        return min(max(at, 0), count - 1)


class Piece(Insert, Spanned):
    """What is shown over the pane's insert for a time."""

    id: ElementId
    name: Name
    opacity: Share = 1.0
    fit: Literal["fill", "fit", "stretch"] | None = None
    """How it is fitted in, where that is not as the pane's insert is."""


class Placement(Strict):
    """How a picture is fitted into a pane: whole, filling it, or stretched; then by hand."""

    fit: Literal["fill", "fit", "stretch"] = "stretch"
    scale: Annotated[float, Field(allow_inf_nan=False, ge=0.01, le=50)] = 1.0
    across: Annotated[float, Field(allow_inf_nan=False, ge=-20, le=20)] = 0.0
    """By how much of the pane's width it is shifted."""
    down: Annotated[float, Field(allow_inf_nan=False, ge=-20, le=20)] = 0.0
    turn: Angle = 0.0
    crop: Annotated[tuple[Share, Share, Share, Share], Field(strict=False)] = (0.0, 0.0, 0.0, 0.0)
    """What is cut off at the picture's left, top, right and bottom, as shares of it."""


class Wipe(Strict):
    """How much of the pane is shown, from one side on."""

    on: bool = False
    shown: Share = 1.0
    angle: Angle = 0.0
    """In which direction it is uncovered, degrees clockwise from the right."""
    soft: Share = 0.02
    """Width of its edge, as a share of the pane."""


class MixRow(Strict):
    """The blend mode, and how far it counts against plain laying over."""

    on: bool = False
    mode: Mode = "screen"
    amount: Share = 1.0


class WornRow(Strict):
    """See `core.compositing.worn.Worn`."""

    on: bool = False
    coarse: Annotated[int, Field(ge=0, le=4000)] = 0
    lines: Annotated[int, Field(ge=0, le=4000)] = 0
    dark: Share = 0.3
    chroma: Annotated[float, Field(allow_inf_nan=False, ge=-0.05, le=0.05)] = 0.0
    vignette: Share = 0.0

    @property
    def worn(self) -> Worn:
        """As the core wants it."""
        return Worn(self.coarse, self.lines, self.dark, self.chroma, self.vignette)


class LevelRow(Strict):
    """See `core.compositing.grade.Grade`."""

    on: bool = False
    black: Annotated[tuple[Light, Light, Light], Field(strict=False)] = (0.0, 0.0, 0.0)
    white: Annotated[tuple[Light, Light, Light], Field(strict=False)] = (1.0, 1.0, 1.0)
    """What the insert's 0 and 1 become, in linear light."""
    gamma: Annotated[float, Field(allow_inf_nan=False, ge=0.1, le=10)] = 1.0
    saturation: Amount = 1.0

    @property
    def grade(self) -> Grade:
        """As the core wants it."""
        return Grade(self.black, self.white, self.gamma, self.saturation)


class SharpRow(Strict):
    """soft: standard deviation of its blur in plate px; defocus: radius of its disc of confusion."""

    on: bool = False
    soft: Pixels = 0.0
    defocus: Pixels = 0.0


class DepthRow(Strict):
    """Defocus that goes over from one place of the pane (in its unit square) to another, radii in plate px."""

    on: bool = False
    here: Corner = (0.0, 0.5)
    there: Corner = (1.0, 0.5)
    near: Pixels = 0.0
    far: Pixels = 4.0


class MotionRow(Strict):
    """Motion blur of the pane's own motion; shutter angle and phase in degrees."""

    on: bool = False
    shutter: Annotated[float, Field(allow_inf_nan=False, ge=0, le=720)] = 180.0
    phase: Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360)] = 0.0


class AmountRow(Strict):
    """On or off, and by how much."""

    on: bool = False
    amount: Amount = 1.0


class GlassRow(AmountRow):
    """The glass's own life. off: the screen shows nothing in the plate, so all light on it is mirrored, what stands too."""

    off: bool = False


class GrainRow(Strict):
    """What was measured, as the core's Grain has it; `amount` times that is laid on."""

    on: bool = False
    amount: Amount = 1.0
    levels: Annotated[list[Light], Field(max_length=64)] = []
    strength: Annotated[list[Annotated[tuple[Light, Light, Light], Field(strict=False)]], Field(max_length=64)] = []
    octaves: Annotated[list[Annotated[list[Share], Field(max_length=64)]], Field(max_length=3)] = []

    @property
    def grain(self) -> Grain | None:
        """What was measured, as the core wants it; None where nothing was."""
        if not self.levels or not self.strength or len(self.octaves) != 3:
            return None
        return Grain(tuple(self.levels), tuple(self.strength), tuple(map(tuple, self.octaves)))


class GlowRow(Strict):
    """width: px over which the light is spread."""

    on: bool = False
    amount: Amount = 0.15
    width: Pixels = 12.0


class SitIn(Strict):
    """The rows by which a picture sits in the plate, in the order in which they are done."""

    worn: WornRow = WornRow()
    level: LevelRow = LevelRow()
    sharp: SharpRow = SharpRow()
    depth: DepthRow = DepthRow()
    motion: MotionRow = MotionRow()
    shadow: AmountRow = AmountRow()
    grain: GrainRow = GrainRow()
    mix: MixRow = MixRow()
    glass: GlassRow = GlassRow()
    edges: AmountRow = AmountRow()
    glow: GlowRow = GlowRow()
    light: GlowRow = GlowRow(amount=0.5, width=30.0)
    clean: MediaId | None = None
    """A clip whose first picture is the unrolled pane without what passes before it."""


class Floating(Strict):
    """Where a pane floats before another one; see `core.geometry.floating.Float`. focal: px; None: not told by the motion."""

    pane: ElementId
    distance: Annotated[float, Field(allow_inf_nan=False, ge=-20, le=20)] = 0.3
    across: Annotated[float, Field(allow_inf_nan=False, ge=-20, le=20)] = 0.0
    down: Annotated[float, Field(allow_inf_nan=False, ge=-20, le=20)] = 0.0
    tilt: Angle = 0.0
    swing: Angle = 0.0
    turn: Angle = 0.0
    size: Annotated[float, Field(allow_inf_nan=False, ge=0.01, le=20)] = 0.5
    focal: Annotated[float, Field(allow_inf_nan=False, ge=10, le=1_000_000)] | None = None

    @property
    def where(self) -> Float:
        """As the core wants it."""
        return Float(self.distance, self.across, self.down, self.tilt, self.swing, self.turn, self.size)


class Pane(Placed):
    """Four corners in which an insert is shown, and pieces over it in time."""

    kind: Literal["pane"] = "pane"
    insert: Insert = Insert()
    pieces: Annotated[list[Piece], Field(max_length=500)] = []
    """Each lies over those before it."""
    placement: Placement = Placement()
    wipe: Wipe = Wipe()
    sit: SitIn = SitIn()
    floats: Floating | None = None
    """The pane before which it floats; its own corners are not looked at then."""
    values: dict[str, Annotated[list[ValueKey], Field(min_length=1, max_length=10_000)]] = {}
    """Numbers that change in time, by their path, as "opacity" or "sit.grain.amount"; each by its keys in order."""
    radius: Annotated[float, Field(allow_inf_nan=False, ge=0, le=0.5)] = 0.0
    """Of its corners, as a share of its shorter side."""
    bow: Annotated[float, Field(allow_inf_nan=False, ge=-0.5, le=0.5)] = 0.0
    """How much its glass bulges."""
    edges: Annotated[float, Field(allow_inf_nan=False, ge=-0.2, le=0.2)] = 0.0
    """By what share of their length its edges bow out."""
    soft: Width = 0.0
    """Pixels over which its border fades inwards."""
    aspect: Annotated[float, Field(allow_inf_nan=False, ge=0.02, le=50)] | None = None
    """Width over height of the real screen, where it is known."""
