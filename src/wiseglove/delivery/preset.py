"""What a delivery holds and how it is written: a preset, and what is wrong with one."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from wiseglove.shot.basics import Crop, Name, Strict

What = Literal[
    "union", "cover", "group", "holdout", "subject", "band", "cut", "composite",
    "clean", "motion", "outlines", "shot", "timeline", "contact",
]  # fmt: skip
"""union: all covers and subjects. holdout: what stays in front of a pane. band: the soft part of the union alone.

cut: covers and subjects with their own colours. clean: the clean picture that a pane was given.
"""
Form = Literal[
    "png8", "png16", "tiff16", "exr-half", "exr-float", "mp4", "webm", "ffv1", "prores",
    "csv", "json", "svg", "svg-moving", "lottie", "coco", "coco-rle", "otio", "pdf",
]  # fmt: skip
STILLS: tuple[Form, ...] = ("png8", "png16", "tiff16", "exr-half", "exr-float")
MOVIES: tuple[Form, ...] = ("mp4", "webm", "ffv1", "prores")
EXTENSION: dict[Form, str] = {
    "png8": "png", "png16": "png", "tiff16": "tif", "exr-half": "exr", "exr-float": "exr", "mp4": "mp4", "webm": "webm",
    "ffv1": "mkv", "prores": "mov", "csv": "csv", "json": "json", "svg": "svg", "svg-moving": "svg", "lottie": "json",
    "coco": "json", "coco-rle": "json", "otio": "otio", "pdf": "pdf",
}  # fmt: skip
MATTES: tuple[What, ...] = ("union", "cover", "group", "holdout", "subject", "band")
_OF_MATTES: tuple[Form, ...] = (*STILLS, "mp4", "ffv1")
FORMS: dict[What, tuple[Form, ...]] = {
    **dict.fromkeys(MATTES, _OF_MATTES),
    "cut": (*STILLS, "webm", "ffv1", "prores"),
    "composite": (*STILLS, "mp4", "ffv1", "prores"),
    "clean": STILLS,
    "motion": ("csv", "json"),
    "outlines": ("svg", "svg-moving", "lottie", "coco", "coco-rle"),
    "shot": ("json",),
    "timeline": ("otio",),
    "contact": ("png8", "pdf"),
}
"""In which forms each thing can be written."""
PATTERN = "{what}/{shot}_{version}_{what}.{frame:04d}.{ext}"


class PresetError(ValueError):
    """A preset that cannot be delivered, in words."""


class Item(Strict):
    """One thing to write, in one form."""

    what: What
    form: Form
    names: Annotated[list[Name], Field(max_length=500)] = []
    """Covers, groups, panes or subjects, by name; all that are shown where empty."""
    together: Literal["no", "channels", "parts"] = "no"
    """EXR only: all of them in one file, as named channels or as parts, instead of a file each."""
    premultiplied: bool = False
    """Cut-outs only: colours multiplied by their alpha."""
    units: Literal["pixels", "share"] = "pixels"
    origin: Literal["top", "bottom"] = "top"
    insert: Annotated[tuple[int, int], Field(strict=False)] = (1920, 1080)
    """Motion only: the insert's size, at which homographies begin."""
    moments: Annotated[int, Field(ge=1, le=32)] = 1
    """Motion only: samples for each frame, the first of them on it."""

    @model_validator(mode="after")
    def _can_be_written(self) -> Item:
        if self.form not in FORMS[self.what]:
            raise ValueError(f"{self.what} cannot be written as {self.form}; it can as {', '.join(FORMS[self.what])}")
        if min(self.insert) < 1 or max(self.insert) > 65_536:
            raise ValueError("the insert's size is not between 1 and 65536 pixels")
        return self


class Preset(Strict):
    """A delivery's contents."""

    name: Name = "Delivery"
    items: Annotated[list[Item], Field(min_length=1, max_length=60)]
    pattern: Annotated[str, Field(min_length=1, max_length=240)] = PATTERN
    """Names of files: {shot}, {version}, {what}, {thing}, {frame:04d}, {ext}; what has no frames leaves {frame} out."""
    first: int | None = None
    last: int | None = None
    handles: Annotated[int, Field(ge=0, le=1000)] = 0
    """Frames before the first and after the last, as far as the plate has them."""
    numbering: Literal["plate", "one"] = "plate"
    scale: Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=1)] = 1.0
    """Size of pictures beside the plate's; motion and outlines stay in plate pixels."""
    crop: Crop | None = None
    """What is kept of pictures."""
    compression: Literal["zip", "dwaa"] = "zip"
    """Of EXR pictures."""


def _preset(name: str, *items: tuple[What, Form], **more: object) -> Preset:
    return Preset.model_validate({"name": name, "items": [{"what": w, "form": f} for w, f in items], **more})


BUILT_IN: dict[str, Preset] = {
    p.name: p
    for p in (
        _preset("Mattes and composite", ("union", "png8"), ("composite", "mp4"), ("motion", "csv")),
        _preset("Compositing", ("holdout", "exr-half"), ("cover", "exr-half"), ("motion", "json"), ("shot", "json")),
        _preset("Review", ("composite", "mp4"), ("contact", "pdf"), ("timeline", "otio")),
        _preset("Everything by itself", ("union", "png16"), ("cover", "png16"), ("subject", "png16"), ("cut", "png16"),
                ("holdout", "png16"), ("composite", "mp4"), ("motion", "csv"), ("motion", "json"), ("outlines", "svg-moving"),
                ("outlines", "lottie"), ("outlines", "coco-rle"), ("shot", "json"), ("timeline", "otio"), ("contact", "png8")),
    )
}  # fmt: skip
"""Presets that are there from the beginning, by name."""
