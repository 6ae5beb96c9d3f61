"""On which frames the pictures of a shot differ after an edit."""

from __future__ import annotations

import numpy as np

from wiseglove.shot.evaluate import points_at
from wiseglove.shot.model import Animated, Carrier, Cover, Element, Outline, Pane, Settings, Shot
from wiseglove.shot.subject import Subject

Span = tuple[int, int]
_DRAWN_ONLY = {"name", "colour", "locked"}
"""Attributes that no picture depends on."""


def changed_frames(before: Shot, after: Shot) -> Span | None:
    """First and last frame on which a matte or composite may differ; None where none does."""
    spans: list[Span] = []
    whole = (after.plate.first, after.plate.last)
    for element_id in before.elements.keys() | after.elements.keys():
        old, new = before.elements.get(element_id), after.elements.get(element_id)
        if old is new:
            continue
        span = _span(old, new, whole)
        if span is not None:
            spans.append(span)
    if not spans:
        return None
    return min(s[0] for s in spans), max(s[1] for s in spans)


def _span(old: Element | None, new: Element | None, whole: Span) -> Span | None:
    if isinstance(old, Settings) and isinstance(new, Settings):
        return None if old.model_copy(update={"name": new.name}) == new else whole
    if isinstance(old, Carrier) or isinstance(new, Carrier):
        return None  # no picture shows it; what rides on it is changed too
    if isinstance(old, Cover) and isinstance(new, Cover):
        same = old.model_dump(exclude=_DRAWN_ONLY) == new.model_dump(exclude=_DRAWN_ONLY)
        return None if same else whole
    both_placed = (isinstance(old, Pane) and isinstance(new, Pane)) or (
        isinstance(old, Subject) and isinstance(new, Subject)
    )
    if both_placed:
        assert isinstance(old, Pane | Subject)
        assert isinstance(new, Pane | Subject)
        pictured = _DRAWN_ONLY | {"keys", "near"}
        if old.model_dump(exclude=pictured) != new.model_dump(exclude=pictured):
            return whole
    if both_placed or (isinstance(old, Outline) and isinstance(new, Outline) and old.kinds == new.kinds):
        assert isinstance(old, Animated)
        assert isinstance(new, Animated)
        return _moved(old, new, whole)
    return whole


def _moved(old: Animated, new: Animated, whole: Span) -> Span | None:
    frames = np.arange(whole[0], whole[1] + 1)
    differs = np.abs(points_at(old, frames) - points_at(new, frames)).max(axis=(1, 2)) > 1e-6
    if not differs.any():
        return None
    at = frames[differs]
    return int(at[0]), int(at[-1])
