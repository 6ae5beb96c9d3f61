"""Understanding what was dropped on the page: one movie, one still, or one numbered sequence."""

from __future__ import annotations

import re
from itertools import pairwise
from pathlib import Path

from wiseglove.media import movie, stills
from wiseglove.media.errors import MediaError
from wiseglove.media.info import Gap, Limits, Understood

NUMBERED = re.compile(r"^(?P<stem>.*?)(?P<number>\d+)(?P<suffix>\.[A-Za-z]+)$")
KINDS = "a movie (mp4, mov, avi, mxf, webm ...) or numbered pictures (PNG, JPEG, TIFF, EXR)"


def probe(paths: list[Path], limits: Limits | None = None) -> Understood:
    """What the files are together. Raises MediaError with what is wrong, what is safe and what to do."""
    if not paths:
        raise MediaError(f"No files came. Choose {KINDS}.")
    pictures = [p for p in paths if p.suffix.lower() in stills.SUFFIXES]
    movies = [p for p in paths if p not in pictures]  # whatever their names end in: what is in them tells
    if movies and (len(movies) > 1 or pictures):
        raise MediaError(
            "A plate is one movie or one sequence, but several came together. Nothing was taken in. "
            "Drop one movie, or the pictures of one sequence."
        )
    understood = movie.probe_movie(movies[0]) if movies else _probe_pictures(pictures)
    check_limits(understood, limits or Limits())
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


def _probe_pictures(paths: list[Path]) -> Understood:
    if len(paths) == 1:
        return _understood([paths[0]], paths[0].stem, "still", 1001, [])
    named: dict[tuple[str, str], dict[int, Path]] = {}
    for path in paths:
        match = NUMBERED.match(path.name)
        if not match:
            raise MediaError(
                f"“{path.name}” has no frame number at the end of its name, such as tap.1001.png. Nothing was taken in. "
                "Rename it, or leave it out."
            )
        number = int(match["number"])
        numbers = named.setdefault((match["stem"], match["suffix"].lower()), {})
        if number in numbers:
            raise MediaError(f"Frame {number} came twice. Nothing was taken in. Leave one of them out.")
        numbers[number] = path
    if len(named) > 1:
        names = " and ".join(f"“{stem}…{suffix}”" for stem, suffix in list(named)[:2])
        raise MediaError(f"These are several sequences: {names}. Nothing was taken in. Drop one of them at a time.")
    (stem, _), numbers = next(iter(named.items()))
    order = sorted(numbers)
    gaps = [Gap(first=a + 1, last=b - 1) for a, b in pairwise(order) if b > a + 1]
    name = stem.rstrip("._- ") or paths[0].parent.name
    return _understood([numbers[n] for n in order], name, "sequence", order[0], gaps, order[-1])


def _understood(
    ordered: list[Path],
    name: str,
    kind: str,
    first: int,
    gaps: list[Gap],
    last: int | None = None,
) -> Understood:
    headers = [stills.read_header(path) for path in ordered]
    head = headers[0]
    for path, header in zip(ordered, headers, strict=True):
        if (header.width, header.height) != (head.width, head.height):
            raise MediaError(
                f"“{path.name}” is {header.width}x{header.height}, but “{ordered[0].name}” is {head.width}x{head.height}. "
                "Nothing was taken in. All frames of a plate need one size."
            )
    numbers, file = [], -1
    missing = {n for gap in gaps for n in range(gap.first, gap.last + 1)}
    for n in range(first, first + 1 if last is None else last + 1):
        file += n not in missing  # in a gap, the file before it
        numbers.append(file)
    notes = ["The alpha channel of these pictures is not used in a plate."] if head.alpha else []
    return Understood(
        kind="still" if kind == "still" else "sequence",
        name=name,
        files=[p.name for p in ordered],
        width=head.width,
        height=head.height,
        count=len(numbers),
        first=first,
        rate_known=False,
        pixel_aspect=head.pixel_aspect,
        bit_depth=head.bit_depth,
        floating=head.floating,
        alpha=head.alpha,
        codec=ordered[0].suffix.lower().lstrip("."),
        gaps=gaps,
        numbers=numbers,
        notes=notes,
    )
