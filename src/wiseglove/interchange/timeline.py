"""A shot in a cut: OpenTimelineIO with the plate, its range, and versions and notes as markers."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import opentimelineio as otio
import orjson

from wiseglove.interchange.drawn import Sheet, UnreadableError

STANDARD = [Fraction(n, d) for n, d in ((24000, 1001), (30000, 1001), (48000, 1001), (60000, 1001), (120000, 1001))]


@dataclass(frozen=True)
class Marker:
    """What stands at a frame."""

    name: str
    frame: int
    text: str = ""
    kind: str = "note"


@dataclass(frozen=True)
class Read:
    """What a timeline says of a plate."""

    name: str
    first: int
    count: int
    rate: Fraction
    target: str | None
    markers: list[Marker]


def write(name: str, sheet: Sheet, target: str, markers: list[Marker]) -> str:
    """A timeline with one clip. target: where the plate is, as a relative address."""
    rate = float(sheet.rate)

    def span(first: int, count: int) -> otio.opentime.TimeRange:
        return otio.opentime.TimeRange(otio.opentime.RationalTime(first, rate), otio.opentime.RationalTime(count, rate))

    whole = span(sheet.first, sheet.count)
    clip = otio.schema.Clip(
        name=name,
        media_reference=otio.schema.ExternalReference(target_url=target, available_range=whole),
        source_range=whole,
        metadata={"wiseglove": {"rate": str(sheet.rate), "width": sheet.width, "height": sheet.height}},
    )
    for marker in markers:
        colour = otio.schema.MarkerColor.GREEN if marker.kind == "version" else otio.schema.MarkerColor.YELLOW
        made = otio.schema.Marker(
            name=marker.name, marked_range=span(marker.frame, 1), color=colour,
            metadata={"wiseglove": {"kind": marker.kind, "text": marker.text}},
        )  # fmt: skip
        clip.markers.append(made)
    timeline = otio.schema.Timeline(name=name, global_start_time=otio.opentime.RationalTime(sheet.first, rate))
    track = otio.schema.Track(name="plate", kind=otio.schema.TrackKind.Video)
    track.append(clip)
    timeline.tracks.append(track)
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def read(text: str) -> Read:
    """The first clip of a timeline that says its range. Raises UnreadableError.

    Read as the JSON that it is: the library that writes it takes the whole process down on some files that are not whole.
    """
    try:
        found = orjson.loads(text)
        clips = list(_clips(found, 0))
    except (orjson.JSONDecodeError, RecursionError) as error:
        raise UnreadableError(f"This is not a timeline that can be read: {error}. Nothing was brought in.") from error
    for clip in clips:
        try:
            return _read_clip(clip)
        except (KeyError, TypeError, ValueError, AttributeError, OverflowError, ZeroDivisionError):
            continue  # one that does not say its range
    raise UnreadableError("No clip of this timeline says its range. Nothing was brought in.")


DEEPEST = 60


def _clips(found: Any, depth: int) -> Iterator[dict[str, Any]]:
    """All clips of a timeline, in their order."""
    if depth > DEEPEST:
        return
    if isinstance(found, list):
        for each in found:
            yield from _clips(each, depth + 1)
    elif isinstance(found, dict):
        if str(found.get("OTIO_SCHEMA", "")).startswith("Clip."):
            yield found
        for key in ("tracks", "children"):
            yield from _clips(found.get(key), depth + 1)


def _read_clip(clip: dict[str, Any]) -> Read:
    own = (clip.get("metadata") or {}).get("wiseglove", {})
    references = clip.get("media_references") or {"": clip.get("media_reference")}
    reference = (
        references.get(clip.get("active_media_reference_key", ""), None) or next(iter(references.values())) or {}
    )
    span = clip.get("source_range") or reference["available_range"]
    first, count = float(span["start_time"]["value"]), float(span["duration"]["value"])
    rate = Fraction(str(own["rate"])) if "rate" in own else _rate(float(span["start_time"]["rate"]))
    if not (count >= 1 and abs(first) < 1e9 and count < 1e9 and rate > 0):
        raise ValueError("no range")
    markers = []
    for marker in clip.get("markers") or []:
        said = (marker.get("metadata") or {}).get("wiseglove", {})
        at = round(float(marker["marked_range"]["start_time"]["value"]))
        markers.append(
            Marker(str(marker.get("name") or ""), at, str(said.get("text", "")), str(said.get("kind", "note")))
        )
    target = reference.get("target_url")
    return Read(
        str(clip.get("name") or "Shot"),
        round(first),
        round(count),
        rate,
        None if target is None else str(target),
        markers,
    )


def _rate(value: float) -> Fraction:
    near = [r for r in STANDARD if abs(float(r) - value) < 1e-3]
    return near[0] if near else Fraction(value).limit_denominator(1001)
