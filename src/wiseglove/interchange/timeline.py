"""A shot in a cut: OpenTimelineIO with the plate, its range, and versions and notes as markers."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import opentimelineio as otio

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
    """The first clip of a timeline that says its range. Raises UnreadableError."""
    try:
        found = otio.adapters.read_from_string(text, "otio_json")
        clips = [found] if isinstance(found, otio.schema.Clip) else list(found.find_clips())
    except (otio.exceptions.OTIOError, ValueError, TypeError, AttributeError) as error:
        raise UnreadableError(f"This is not a timeline that can be read: {error}. Nothing was brought in.") from error
    for clip in clips:
        own = clip.metadata.get("wiseglove", {}) if clip.metadata else {}
        try:
            span = clip.source_range or clip.available_range()
        except otio.exceptions.OTIOError:
            continue
        reference = clip.media_reference
        target = reference.target_url if isinstance(reference, otio.schema.ExternalReference) else None
        rate = Fraction(str(own["rate"])) if "rate" in own else _rate(span.start_time.rate)
        markers = [
            Marker(
                m.name, round(m.marked_range.start_time.value),
                str(m.metadata.get("wiseglove", {}).get("text", "")), str(m.metadata.get("wiseglove", {}).get("kind", "note")),
            )
            for m in clip.markers
        ]  # fmt: skip
        return Read(
            clip.name or "Shot", round(span.start_time.value), round(span.duration.value), rate, target, markers
        )
    raise UnreadableError("No clip of this timeline says its range. Nothing was brought in.")


def _rate(value: float) -> Fraction:
    near = [r for r in STANDARD if abs(float(r) - value) < 1e-3]
    return near[0] if near else Fraction(value).limit_denominator(1001)
