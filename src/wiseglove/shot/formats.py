"""How a shot is written down, by numbered formats, and how older ones are read.

Each format differs from the one before by one pure function from JSON to JSON, for an element's body and for a change
of the journal. Whatever is kept (rows, queued jobs, files) says its format, is brought up to `FORMAT` when it is read,
and is written anew only when it changes.

1. The first. Without a number. A change of the journal held whole bodies: {"before": {id: body}, "after": {id: body}}.
2. A solved frame's `told` is called `evidence`. A change holds what differs: {"undo": patch, "redo": patch or null},
   RFC 6902 patches of {id: body}.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from wiseglove.shot.patch import diff

Json = dict[str, Any]
FORMAT: Final = 2


class NewerFormatError(ValueError):
    """What is to be read was written by a newer version of the application."""


def _evidence(body: Json) -> Json:
    if body.get("kind") != "carrier":
        return body
    renamed = [{("evidence" if k == "told" else k): v for k, v in solved.items()} for solved in body.get("solved", [])]
    return {**body, "solved": renamed}


def _patches(change: Json) -> Json:
    before, after = (
        {i: None if body is None else _evidence(body) for i, body in change[side].items()}
        for side in ("before", "after")
    )
    old, new = ({i: b for i, b in bodies.items() if b is not None} for bodies in (before, after))
    return {"undo": diff(new, old), "redo": diff(old, new)}


ELEMENTS: dict[int, Callable[[Json], Json]] = {1: _evidence}
"""An element's body of format N as one of N + 1."""
CHANGES: dict[int, Callable[[Json], Json]] = {1: _patches}
"""A change of the journal, likewise."""
JOBS: dict[int, Callable[[Json], Json]] = {}
"""What a queued job is to do, likewise; the shot in it says its own format."""


def upgraded(written: Json, written_as: int, steps: dict[int, Callable[[Json], Json]]) -> Json:
    """What was written in a format, as it is written in `FORMAT`. Raises NewerFormatError."""
    if written_as > FORMAT:
        raise NewerFormatError(
            f"This was written in format {written_as} by a newer Wise Glove; this one reads up to {FORMAT}. It is as it "
            "was. Open it with the newer version."
        )
    for step in range(written_as, FORMAT):
        written = steps[step](written) if step in steps else written
    return written


def upgraded_shot(written: Json) -> Json:
    """A whole shot as JSON, of any format, in `FORMAT`. Raises NewerFormatError."""
    written_as = int(written.get("format", 1))
    written = upgraded(written, written_as, {})  # refuses a newer one, also where it holds nothing
    elements = {i: upgraded(body, written_as, ELEMENTS) for i, body in written["elements"].items()}
    return {**written, "format": FORMAT, "elements": elements}
