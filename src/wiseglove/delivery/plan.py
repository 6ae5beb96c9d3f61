"""The files that a preset makes of a shot: which, what of the shot is in each, and what they are called."""

from __future__ import annotations

import re
import string
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import takewhile
from pathlib import PurePosixPath
from typing import Any

from wiseglove.core.kept import kept
from wiseglove.delivery.preset import EXTENSION, MATTES, MOVIES, Form, Item, Preset, PresetError, What
from wiseglove.shot.model import Contents, Cover, Group, Pane
from wiseglove.shot.subject import Subject

LONGEST = 200
"""Bytes of a file's name, well below what file systems take."""
MOST_FILES = 2_000_000
CHUNK = 24
"""Frames that are rendered as one piece, whoever renders them: so the same version gives the same bits."""


@dataclass(frozen=True)
class Source:
    """A picture that a scene can be asked for: what, and of which thing (its id; none where it is of the whole shot)."""

    what: What
    thing: str = ""


@dataclass(frozen=True)
class Output:
    """One file, or one numbered sequence of files."""

    item: Item
    title: str
    """What {what} becomes: the kind of thing and, where there are several, its name."""
    thing: str
    """What {thing} becomes."""
    channels: tuple[tuple[str, Source], ...]
    """Names of channels and what is in them; one without a name where the file holds one picture."""
    names: tuple[str, ...]
    """The names of its files: one for each frame of a sequence, else one."""

    @property
    def form(self) -> Form:
        return self.item.form

    @property
    def source(self) -> Source:
        """What is in it, where it holds one picture."""
        return self.channels[0][1]


@dataclass(frozen=True)
class Plan:
    """All files of a delivery. `frames` are those of the plate that are rendered."""

    preset: Preset
    top: str
    frames: range
    numbers: range
    """The numbers that they are called by."""
    size: tuple[int, int]
    box: tuple[int, int, int, int]
    """What is kept of a rendered picture: left, top, right, bottom in its pixels."""
    outputs: tuple[Output, ...]

    @property
    def sequences(self) -> list[Output]:
        """What is rendered frame by frame into files of their own."""
        return [o for o in self.outputs if is_sequence(o.item) and _is_picture(o.item)]

    @property
    def movies(self) -> list[Output]:
        """What is rendered into movies."""
        return [o for o in self.outputs if o.form in MOVIES]

    @kept
    def shared(self) -> frozenset[Source]:
        """What stands in more than one place, so that each frame is asked for it once."""
        asked = Counter(source for output in self.outputs for _, source in output.channels)
        return frozenset(source for source, count in asked.items() if count > 1)

    @property
    def chunks(self) -> list[range]:
        """The frames in pieces; none where nothing is rendered frame by frame."""
        if not self.sequences and not self.movies:
            return []
        return [self.frames[i : i + CHUNK] for i in range(0, len(self.frames), CHUNK)]

    def listing(self) -> Iterator[str]:
        """The files, a sequence as one line with its first and last number."""
        for output in self.outputs:
            first, last = output.names[0], output.names[-1]
            yield first if first == last else _spanned(first, last)


def _spanned(first: str, last: str) -> str:
    """Two names that differ in a number as one: tap.[1001-1100].png."""
    ahead, behind = _alike(first, last), _alike(first[::-1], last[::-1])
    while ahead and first[ahead - 1].isdigit():
        ahead -= 1
    while behind and first[-behind].isdigit():
        behind -= 1
    return f"{first[:ahead]}[{first[ahead : -behind or None]}-{last[ahead : -behind or None]}]{first[len(first) - behind :]}"


def _alike(one: str, other: str) -> int:
    """How many characters two names begin with alike."""
    return sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], zip(one, other, strict=False)))


def is_sequence(item: Item) -> bool:
    """Whether an item becomes a file for each frame."""
    if item.what == "outlines":
        return item.form == "svg"
    return _is_picture(item) and item.form not in MOVIES


def _is_picture(item: Item) -> bool:
    return item.what in MATTES or item.what in ("cut", "composite")


def file_name(name: str) -> str:
    """A name that every file system takes."""
    return re.sub(r"[^\w.-]+", "_", name, flags=re.UNICODE).strip("._") or "unnamed"


def planned(shot: Contents, preset: Preset, version: str) -> Plan:
    """All files of a delivery. Raises PresetError for one that cannot be made."""
    frames = _frames(shot, preset)
    numbers = frames if preset.numbering == "plate" else range(1, len(frames) + 1)
    size, box = _sizes(shot, preset)
    taken: dict[str, tuple[int, str]] = {}
    outputs: list[Output] = []
    for item in preset.items:
        for title, thing, channels in _parts(shot, item):
            names = tuple(_names(shot, preset, item, title, thing, version, numbers))
            for name in names:
                number, other = taken.setdefault(name.casefold(), (len(outputs), title))
                if number != len(outputs):
                    raise PresetError(
                        f"“{other}” and “{title}” would both be written to {name}. Nothing was rendered. Use {{what}}, "
                        "{thing} or {ext} in the pattern, so that their names differ."
                    )
            outputs.append(Output(item, title, thing, tuple(channels), names))
    if len(taken) > MOST_FILES:
        raise PresetError(f"That would be {len(taken)} files. Nothing was rendered. Choose fewer things or frames.")
    top = f"{file_name(shot.settings.name)}_{file_name(version)}"
    return Plan(preset, top, frames, numbers, size, box, tuple(outputs))


def _frames(shot: Contents, preset: Preset) -> range:
    plate = shot.plate
    first = plate.first if preset.first is None else preset.first
    last = plate.last if preset.last is None else preset.last
    if first > last or last < plate.first or first > plate.last:
        raise PresetError(
            f"The range {first} to {last} holds no frame of the plate, which has {plate.first} to {plate.last}. "
            "Nothing was rendered. Choose frames of the plate."
        )
    return range(max(first - preset.handles, plate.first), min(last + preset.handles, plate.last) + 1)


def _sizes(shot: Contents, preset: Preset) -> tuple[tuple[int, int], tuple[int, int, int, int]]:
    plate = shot.plate
    wide, high = max(round(plate.width * preset.scale), 1), max(round(plate.height * preset.scale), 1)
    if preset.crop is None:
        return (wide, high), (0, 0, wide, high)
    if why := plate.refuses(preset.crop):
        raise PresetError(f"{why} Nothing was rendered.")
    left, top, right, bottom = preset.crop
    x, y = wide / plate.width, high / plate.height
    box = (round(left * x), round(top * y), max(round(right * x), round(left * x) + 1), max(round(bottom * y), 1))
    return (wide, high), box


# -- what is in the files --------------------------------------------------------------------------------------


Part = tuple[str, str, list[tuple[str, Source]]]


def _parts(shot: Contents, item: Item) -> list[Part]:
    """Titles, things and channels of the files of an item."""
    what = item.what
    if what in ("union", "band", "composite", "contact", "shot", "timeline", "outlines"):
        _no_names(item)
        title = {"union": "matte", "outlines": f"outlines_{item.form}" if item.form != "svg" else "outlines"}.get(
            what, what
        )
        return [(title, "", [("", Source(what))])]
    found = _chosen(shot, item)
    if item.together != "no" and item.form in ("exr-half", "exr-float"):
        names = _distinct([channel_name(thing.name) for thing in found])
        return [(f"{what}s", "", [(n, Source(what, t.id)) for n, t in zip(names, found, strict=True)])]
    names = _distinct([file_name(thing.name) for thing in found])
    return [(f"{what}_{n}", n, [("", Source(what, t.id))]) for n, t in zip(names, found, strict=True)]


def _no_names(item: Item) -> None:
    if item.names and item.what != "outlines":
        raise PresetError(f"{item.what} is of the whole shot and takes no names. Nothing was rendered. Leave them out.")


Named = Cover | Group | Pane | Subject


def _chosen(shot: Contents, item: Item) -> list[Named]:
    every = _every(shot, item.what)
    if not item.names:
        return [thing for thing in every if _shown(shot, thing)]
    found = []
    for name in item.names:
        there = [thing for thing in every if thing.name == name]
        if not there:
            known = ", ".join(f"“{t.name}”" for t in every) or "none"
            raise PresetError(
                f"The shot has no {_KIND[item.what]} “{name}”; it has {known}. Nothing was rendered. It may have been "
                "renamed or deleted since the preset was made: choose anew."
            )
        found += there
    return found


_KIND: dict[What, str] = {
    "cover": "cover", "group": "group", "holdout": "pane", "subject": "subject", "cut": "cover or subject",
    "clean": "pane with a clean picture", "motion": "pane",
}  # fmt: skip


def _every(shot: Contents, what: What) -> list[Named]:
    others = shot.mattes_of_subjects
    covers: list[Named] = [c for c in shot.covers if c.id not in others]
    every: dict[What, list[Named]] = {
        "cover": covers,
        "group": sorted((e for e in shot.elements.values() if isinstance(e, Group)), key=lambda g: g.name),
        "holdout": list(shot.panes),
        "motion": list(shot.panes),
        "subject": list(shot.subjects),
        "cut": [*covers, *shot.subjects],
        "clean": [p for p in shot.panes if p.sit.clean is not None],
    }
    return every[what]


def _shown(shot: Contents, thing: Named) -> bool:
    return thing.shown if isinstance(thing, Group) else shot.is_shown(thing)


def channel_name(name: str) -> str:
    """A cover's name as a channel's: letters, digits and _; dots would make layers of it."""
    plain = re.sub(r"[^A-Za-z0-9_]+", "_", name).strip("_") or "matte"
    return plain[:200]


def _distinct(names: list[str]) -> list[str]:
    out: list[str] = []
    seen: set[str] = set()
    for name in names:
        number, made = 2, name
        while made.casefold() in seen:
            made, number = f"{name}_{number}", number + 1
        seen.add(made.casefold())
        out.append(made)
    return out


# -- what they are called --------------------------------------------------------------------------------------


FIELDS = ("shot", "version", "what", "thing", "frame", "ext")


def _names(
    shot: Contents, preset: Preset, item: Item, title: str, thing: str, version: str, numbers: range
) -> Iterator[str]:
    extension = EXTENSION[item.form]
    values = {
        "shot": file_name(shot.settings.name), "version": file_name(version), "what": title, "thing": thing or title,
        "ext": extension,
    }  # fmt: skip
    pattern = preset.pattern
    if not is_sequence(item):
        yield _checked(_filled(re.sub(r"[._\- ]*\{frame[^}]*\}", "", pattern), values))
        return
    if not re.search(r"\{frame[^}]*\}", pattern):
        raise PresetError(
            f"The pattern {pattern} has no {{frame:04d}}, so all frames would be written to one name. Nothing was "
            "rendered. Put it in."
        )
    for number in numbers:
        yield _checked(_filled(pattern, {**values, "frame": number}))


def _filled(pattern: str, values: dict[str, Any]) -> str:
    try:
        fields = [(name, spec, how) for _, name, spec, how in string.Formatter().parse(pattern) if name is not None]
        for name, spec, how in fields:
            if name not in FIELDS or how is not None or not re.fullmatch(r"(0?\d?d)?", spec or ""):
                raise ValueError(f"{{{name}{':' + spec if spec else ''}}}")
        return pattern.format(**values)
    except (ValueError, KeyError, IndexError) as error:
        raise PresetError(
            f"The pattern {pattern} cannot be filled in ({error}). Nothing was rendered. It may hold "
            "{shot}, {version}, {what}, {thing}, {frame:04d} and {ext}."
        ) from error


def _checked(name: str) -> str:
    parts = PurePosixPath(name.replace("\\", "/")).parts
    if not parts or name.startswith("/") or ".." in parts or re.search(r"[\x00-\x1f:*?\"<>|]", name):
        raise PresetError(
            f"The pattern makes {name}, which leaves the delivery's folder or holds characters that not every system takes. "
            "Nothing was rendered. Use plain names and / between folders."
        )
    if any(len(part.encode()) > LONGEST for part in parts) or len(name.encode()) > 4 * LONGEST:
        raise PresetError(
            f"The pattern makes names that are too long: {name[:60]}... Nothing was rendered. Keep each below {LONGEST} bytes."
        )
    return str(PurePosixPath(*parts))
