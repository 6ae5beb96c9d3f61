"""On which frames the pictures of a shot differ after an edit."""

from __future__ import annotations

from typing import Any

import numpy as np

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
        return None if old.model_copy(update={"name": new.name}) == new else whole
    if isinstance(old, Carrier) or isinstance(new, Carrier):
        return None  # no picture shows it; what rides on it is changed too
    if isinstance(old, Cover) and isinstance(new, Cover):
        return None if _looks_alike(old, new, _DRAWN_ONLY) else whole
    if isinstance(old, Pane | Subject) and type(old) is type(new):
        if not _looks_alike(old, new, _DRAWN_ONLY | {"keys", "near"}):
            return whole
    elif not (isinstance(old, Outline) and isinstance(new, Outline) and old.kinds == new.kinds):
        return whole
    assert isinstance(old, Animated)
    assert isinstance(new, Animated)
    return _moved(before.rider(old), after.rider(new), whole)


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
