"""The keys between which an outline is carried over a frame that is off: the nearest on both sides that fit."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from wiseglove.shot.reviewing import PictureAt, Reviewed, Reviewer, Target, fault_of, looks_right

FITS = 1.2
"""Pixels of fault up to which a key is taken to be right; with 0.9 and 1.7 it took more actions to bring rough states right."""
FARTHEST = 24
"""Frames up to which such keys are looked for on each side."""


def keys_around(
    reviewer: Reviewer, thing: Reviewed, frame: int, picture_at: PictureAt
) -> tuple[int | None, int | None]:
    """The nearest keys before and after a frame that fit, or that were said to look right; None where there is none."""
    keys = [k.frame for k in thing.outline.keys if k.frame in thing.contents]
    return nearest_of(keys, frame, lambda k: looks_right(thing, k) or _fits(reviewer, thing, k, picture_at))


def nearest_of(keys: Iterable[int], frame: int, is_right: Callable[[int], bool]) -> tuple[int | None, int | None]:
    """The nearest of some frames before and after one that are right, up to FARTHEST away; the nearest are asked first."""
    near = sorted((k for k in keys if 0 < abs(k - frame) <= FARTHEST), key=lambda k: abs(k - frame))
    before, after = (
        next((k for k in near if (k < frame) == earlier and is_right(k)), None) for earlier in (True, False)
    )
    return before, after


def _fits(reviewer: Reviewer, thing: Reviewed, key: int, picture_at: PictureAt) -> bool:
    for _ in reviewer.judge([thing], [Target(thing.outline.id, key)], picture_at):
        pass
    fit = reviewer.fit(thing, key)
    return fit is not None and bool(fit.seen.any()) and fault_of(fit, np.ones(len(fit.seen), bool)) <= FITS
