"""Understanding what was dropped on the page: one movie, one still, or one numbered sequence."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

from wiseglove.media import movie, stills
from wiseglove.media.errors import MediaError
from wiseglove.media.info import Gap, Limits, Understood
from wiseglove.media.light import LUT_SUFFIX, check_lut

NUMBERED = re.compile(r"^(?P<stem>.*?)(?P<number>\d+)(?P<suffix>\.[A-Za-z]+)$")
LONGEST_NUMBER = 9
"""Digits of a frame number; what stands before them belongs to the name."""
MOST_NUMBERS = 100_000
"""From the first to the last number of a sequence."""
TURNED = "The files ask to be turned, and are."
KINDS = "a movie (mp4, mov, avi, mxf, webm ...) or numbered pictures (PNG, JPEG, TIFF, EXR)"


@dataclass(frozen=True)
class Named:
    """A file and what it is called by whoever sent it."""

    path: Path
    name: str

    @property
    def suffix(self) -> str:
        """The suffix of its name, in small letters."""
        return Path(self.name).suffix.lower()


def probe(paths: list[Path], limits: Limits | None = None, names: list[str] | None = None) -> Understood:
    """What the files are together; names: what they are called, where they lie under others.

    Raises MediaError with what is wrong, what is safe and what to do.
    """
    files = [Named(p, n) for p, n in zip(paths, names or [p.name for p in paths], strict=True)]
    tables = [f for f in files if f.suffix == LUT_SUFFIX]
    if len(tables) > 1:
        raise MediaError(
            "Several look-up tables came along. Nothing was taken in. Drop one of them with the plate, or none."
        )
    files = [f for f in files if f.suffix != LUT_SUFFIX]
    if not files:
        raise MediaError(f"{'Only a look-up table came' if tables else 'No files came'}. Choose {KINDS}.")
    pictures = [f for f in files if f.suffix in stills.SUFFIXES]
    movies = [f for f in files if f.suffix not in stills.SUFFIXES]  # whatever their names end in: what is in them tells
    if movies and (len(movies) > 1 or pictures):
        raise MediaError(
            "A plate is one movie or one sequence, but several came together. Nothing was taken in. "
            "Drop one movie, or the pictures of one sequence."
        )
    understood = movie.probe_movie(movies[0].path, movies[0].name) if movies else _probe_pictures(pictures)
    check_limits(understood, limits or Limits())
    if tables:
        check_lut(tables[0].path, tables[0].name)
        understood = understood.with_lut(tables[0].path.name, tables[0].name)
    return understood


def check_limits(understood: Understood, limits: Limits) -> None:
    """Raise MediaError for a plate that is larger than allowed."""
    if understood.width > limits.width or understood.height > limits.height:
        raise MediaError(
            f"The pictures are {understood.width}x{understood.height}; this server takes at most "
            f"{limits.width}x{limits.height}. Nothing was taken in. Scale them down, or raise the limit in its settings."
        )
    if understood.count > limits.frames:
        raise MediaError(
            f"The plate has {understood.count} frames; this server takes at most {limits.frames}. Nothing was taken "
            "in. Cut it shorter, or raise the limit in its settings."
        )
    if decoding_memory(understood) > limits.memory:
        raise MediaError(
            f"Decoding pictures of {understood.width}x{understood.height} with {understood.bit_depth} bit takes about "
            f"{decoding_memory(understood) / 1e9:.1f} GB of memory; this server gives at most {limits.memory / 1e9:.1f} GB. "
            "Nothing was taken in. Scale them down, or raise the limit in its settings."
        )


def decoding_memory(understood: Understood) -> int:
    """About how many bytes decoding takes at most: a picture as it is three times over, and as floats for its copies."""
    pixels = understood.width * understood.height
    channels = 4 if understood.alpha else 3
    return pixels * (3 * channels * understood.bit_depth // 8 + 12)


def _probe_pictures(files: list[Named]) -> Understood:
    if len(files) == 1:
        return _understood([files[0]], Path(files[0].name).stem, "still", 1001, [])
    named: dict[tuple[str, str], dict[int, Named]] = {}
    for file in files:
        match = NUMBERED.match(file.name)
        if not match:
            raise MediaError(
                f"“{file.name}” has no frame number at the end of its name, such as tap.1001.png. Nothing was taken in. "
                "Rename it, or leave it out."
            )
        number = int(match["number"][-LONGEST_NUMBER:])
        numbers = named.setdefault((match["stem"] + match["number"][:-LONGEST_NUMBER], match["suffix"].lower()), {})
        if number in numbers:
            raise MediaError(f"Frame {number} came twice. Nothing was taken in. Leave one of them out.")
        numbers[number] = file
    if len(named) > 1:
        which = " and ".join(f"“{stem}…{suffix}”" for stem, suffix in list(named)[:2])
        raise MediaError(f"These are several sequences: {which}. Nothing was taken in. Drop one of them at a time.")
    (stem, _), numbers = next(iter(named.items()))
    order = sorted(numbers)
    gaps = [Gap(first=a + 1, last=b - 1) for a, b in pairwise(order) if b > a + 1]
    if order[-1] - order[0] >= MOST_NUMBERS:
        raise MediaError(
            f"The numbers of these pictures run from {order[0]} to {order[-1]}, too far for one sequence. Nothing was taken "
            "in. Drop pictures that follow each other."
        )
    name = stem.rstrip("._- ") or files[0].path.parent.name
    return _understood([numbers[n] for n in order], name, "sequence", order[0], gaps, order[-1])


def _understood(
    ordered: list[Named],
    name: str,
    kind: str,
    first: int,
    gaps: list[Gap],
    last: int | None = None,
) -> Understood:
    headers = [stills.read_header(file.path, file.name) for file in ordered]
    head = headers[0]
    for file, header in zip(ordered, headers, strict=True):
        if (header.width, header.height) != (head.width, head.height):
            raise MediaError(
                f"“{file.name}” is {header.width}x{header.height}, but “{ordered[0].name}” is {head.width}x{head.height}. "
                "Nothing was taken in. All frames of a plate need one size."
            )
    numbers, index = [], -1
    missing = {n for gap in gaps for n in range(gap.first, gap.last + 1)}
    for n in range(first, first + 1 if last is None else last + 1):
        index += n not in missing  # in a gap, the file before it
        numbers.append(index)
    notes = ["The alpha channel of these pictures is not used in a plate."] if head.alpha else []
    if any(header.orientation != 1 for header in headers):
        notes.append(TURNED)
    return Understood(
        kind="still" if kind == "still" else "sequence",
        name=name,
        files=[f.path.name for f in ordered],
        names=[f.name for f in ordered],
        upright=True,
        width=head.width,
        height=head.height,
        count=len(numbers),
        first=first,
        rate_known=False,
        pixel_aspect=head.pixel_aspect,
        bit_depth=head.bit_depth,
        floating=head.floating,
        alpha=head.alpha,
        codec=ordered[0].suffix.lstrip("."),
        gaps=gaps,
        numbers=numbers,
        layers=list(head.layers),
        notes=notes,
    )
