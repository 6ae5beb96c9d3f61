"""Edits of subjects: what they are cut from, how they are keyed and cleaned up, and their core and garbage mattes."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from wiseglove.shot import keys as keying
from wiseglove.shot.basics import Colour, Corners, ElementId, MediaId, Name, PaneKey, Plate, new_id
from wiseglove.shot.edits.base import Applied, Editing, changeable, free_name, get, unused, with_depth
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Contents, Cover, Element, Pane
from wiseglove.shot.subject import CleanUp, KeySettings, Sample, SpillSettings, Subject

SUBJECT_COLOUR = "#7a5aa0"
REACH = 20.0
"""How far, in pixels, spill is taken out of what is held out within a pane, so that nothing changes at its border."""


def plate_corners(plate: Plate, width: float | None = None, height: float | None = None) -> Corners:
    """The corners of the plate, or of a picture of another shape that fills it as far as it can, in its middle."""
    w, h = float(plate.width), float(plate.height)
    if width and height:
        scale = min(w / width, h / height)
        w, h = width * scale, height * scale
    x, y = (plate.width - w) / 2, (plate.height - h) / 2
    return (x, y), (x + w, y), (x + w, y + h), (x, y + h)


class AddSubject(Editing):
    """A subject in front of all panes and behind all covers: of the plate, or of another clip.

    matte: a clip whose brightness is its matte, by the plate's frames, instead of a key.
    """

    type: Literal["add-subject"]
    frame: int
    clip: MediaId | None = None
    size: tuple[int, int] | None = Field(default=None, strict=False)
    """The clip's width and height, for its first place."""
    sample: Sample | None = None
    matte: MediaId | None = None
    pane: ElementId | None = None
    name: Name | None = None
    id: ElementId | None = None

    def apply(self, shot: EvaluatedShot) -> Applied:
        keying.check_frame(shot.plate, self.frame)
        if self.pane is not None:
            get(shot, self.pane, Pane)
        made = Subject(
            id=unused(shot, self.id) if self.id else new_id(),
            name=free_name(shot, self.name or ("Holdout" if self.pane else "Subject")),
            colour=SUBJECT_COLOUR,
            clip=self.clip,
            start=shot.plate.first if self.clip else None,
            keys=[PaneKey(frame=self.frame, corners=plate_corners(shot.plate, *(self.size or (None, None))))],
            key=KeySettings(source="luma", matte=self.matte, low=0.0, high=1.0)
            if self.matte
            else KeySettings(samples=[self.sample] if self.sample else []),
            pane=self.pane,
            spill=SpillSettings(reach=REACH if self.pane else 0.0),
        )
        depth = list(shot.settings.depth)
        panes = [i for i, d in enumerate(depth) if isinstance(shot.elements.get(d), Pane)]
        depth.insert(panes[0] if panes else len(depth), made.id)
        return Applied(f"Made {made.name}", {made.id: made, "settings": with_depth(shot, depth)}, made.id)


class SetSubject(Editing):
    """Change a subject's name, colour, show, lock, opacity, clip, time, key, clean-up, spill or mattes; only what is sent."""

    type: Literal["set-subject"]
    subject: ElementId
    name: Name | None = None
    colour: Colour | None = None
    shown: bool | None = None
    locked: bool | None = None
    opacity: float | None = Field(default=None, ge=0, le=1, allow_inf_nan=False)
    start: int | None = None
    key: KeySettings | None = None
    clean_up: CleanUp | None = None
    spill: SpillSettings | None = None
    core: list[ElementId] | None = None
    garbage: list[ElementId] | None = None
    near: float | None = Field(default=None, ge=0, le=500, allow_inf_nan=False)
    pane: ElementId | None = None
    beyond: float | None = Field(default=None, ge=0, le=200, allow_inf_nan=False)

    def apply(self, shot: EvaluatedShot) -> Applied:
        found = get(shot, self.subject, Subject)
        sent = {n: getattr(self, n) for n in self.model_fields_set - {"type", "subject"}}
        sent = {n: v for n, v in sent.items() if v is not None or n == "pane"}
        changeable(shot, found, sent)
        if self.key is not None and not self.key.low < self.key.high:
            raise EditError("The low end must lie below the high end. Nothing was changed.")
        if self.pane is not None:
            get(shot, self.pane, Pane)
        for cover in (*(self.core or ()), *(self.garbage or ())):
            get(shot, cover, Cover)
        changed = found.model_copy(update=sent)
        twice = set(changed.core) & set(changed.garbage)
        if twice:
            name = get(shot, sorted(twice)[0], Cover).name
            raise EditError(f"“{name}” cannot be core and garbage at once. Nothing was changed.")
        return Applied(_label(found, changed, sent), {found.id: changed})


def _label(found: Subject, changed: Subject, sent: dict[str, Any]) -> str:
    name = changed.name
    if "name" in sent:
        return f"Renamed {found.name} to {name}"
    if "shown" in sent:
        return f"{'Showed' if changed.shown else 'Hid'} {name}"
    if "locked" in sent:
        return f"{'Locked' if changed.locked else 'Unlocked'} {name}"
    if "key" in sent and len(changed.key.samples) != len(found.key.samples):
        return f"{len(changed.key.samples)} samples of the backing, {name}"
    words = {
        "clean_up": "clean-up",
        "core": "core mattes",
        "garbage": "garbage mattes",
        "start": "time",
        "near": "distance",
    }
    return f"Changed {', '.join(words.get(k, k) for k in sorted(sent)) or 'nothing'} of {name}"


def without_things(shot: Contents, gone: dict[str, Element | None]) -> dict[str, Element | None]:
    """The subjects that named covers or panes which go, without them."""
    lost = {i for i, e in gone.items() if e is None}
    after: dict[str, Element | None] = {}
    for subject in shot.subjects:
        if subject.id in lost or not lost & {*subject.core, *subject.garbage, subject.pane}:
            continue
        after[subject.id] = subject.model_copy(
            update={
                "core": [c for c in subject.core if c not in lost],
                "garbage": [c for c in subject.garbage if c not in lost],
                "pane": None if subject.pane in lost else subject.pane,
            }
        )
    return after
