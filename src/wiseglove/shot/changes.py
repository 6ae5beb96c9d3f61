"""On which frames the pictures of a shot differ after an edit."""

from __future__ import annotations

from typing import Any

import numpy as np

from wiseglove.shot.basics import Spanned
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Animated, Carrier, Cover, Element, Outline, Pane, Settings
from wiseglove.shot.rider import Rider
from wiseglove.shot.subject import Subject

Span = tuple[int, int]
_DRAWN_ONLY = {"name", "colour", "locked"}
"""Attributes that no picture depends on."""


def changed_frames(before: EvaluatedShot, after: EvaluatedShot) -> Span | None:
    """First and last frame on which a matte or composite may differ; None where none does."""
    whole = (after.plate.first, after.plate.last)
    spans = [span for i in before.differing(after) if (span := _span(before, after, i, whole)) is not None]
    if not spans:
        return None
    return min(s[0] for s in spans), max(s[1] for s in spans)


def _span(before: EvaluatedShot, after: EvaluatedShot, element: str, whole: Span) -> Span | None:
    old, new = before.elements.get(element), after.elements.get(element)
    if isinstance(old, Settings) and isinstance(new, Settings):
        return None if old.model_copy(update={"name": new.name, "crop": new.crop}) == new else whole
    if isinstance(old, Carrier) or isinstance(new, Carrier):
        return None  # no picture shows it; what rides on it is changed too
    if isinstance(old, Cover) and isinstance(new, Cover):
        return None if _looks_alike(old, new, _DRAWN_ONLY) else _there(whole, old, new)
    if isinstance(old, Pane) and isinstance(new, Pane) and old.pieces != new.pieces:
        return _by_pieces(old, new, whole)
    if isinstance(old, Pane | Subject) and type(old) is type(new):
        if not _looks_alike(old, new, _DRAWN_ONLY | {"keys", "near"}):
            return whole
    elif not (isinstance(old, Outline) and isinstance(new, Outline) and old.kinds == new.kinds):
        return whole
    assert isinstance(old, Animated)
    assert isinstance(new, Animated)
    return _moved(before.rider(old), after.rider(new), whole)


def _by_pieces(old: Pane, new: Pane, whole: Span) -> Span | None:
    """Where the pieces of a pane differ, and no more of it than they do, only the frames on which those are there."""
    staying = [p for p in old.pieces if p in new.pieces]
    if not _looks_alike(old, new, {"pieces"}) or staying != [p for p in new.pieces if p in old.pieces]:
        return whole
    differing = [p for p in (*old.pieces, *new.pieces) if p not in staying]
    return _there(whole, *differing) if differing else whole


def _there(whole: Span, *things: Spanned) -> Span | None:
    """Frames of the plate on which one of these is there at all."""
    first = min(whole[0] if t.first is None else max(t.first, whole[0]) for t in things)
    last = max(whole[1] if t.last is None else min(t.last, whole[1]) for t in things)
    return (first, last) if first <= last else None


def _looks_alike(old: Element, new: Element | None, beside: set[str]) -> bool:
    """Whether two elements are the same but for some attributes."""
    return new is not None and old.model_dump(exclude=beside) == new.model_dump(exclude=beside)


def _moved(old: Rider[Any], new: Rider[Any], whole: Span) -> Span | None:
    frames = np.arange(whole[0], whole[1] + 1)
    differs = np.abs(old.points_at(frames) - new.points_at(frames)).max(axis=(1, 2)) > 1e-6
    if not differs.any():
        return None
    at = frames[differs]
    return int(at[0]), int(at[-1])
