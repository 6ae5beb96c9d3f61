"""Outlines of what is not in a clean picture of the background: people and things that pass."""

from __future__ import annotations

from wiseglove.core.geometry.fitting import evened, fit_sparsely
from wiseglove.core.outline.from_mattes import Matte, borders
from wiseglove.core.starters.outlines import Starter

LEAST = 0.0015
"""Share of the picture below which a thing is not worth an outline."""
MOST = 6
"""Things that are proposed at most, the largest."""
STEP = 1.5
"""Pixels between the places of a border that an outline is fitted to."""
CLOSE = 1.2
"""Pixels by which an outline may be off the border of what differs."""


def things_in(difference: Matte) -> list[Starter]:
    """Outlines of what differs, the largest first, from how much of each pixel does (H, W), 0..1; holes are left out."""
    out: list[Starter] = []
    for border in borders(difference):
        if border.hole or border.area < LEAST * difference.size or len(out) == MOST:
            continue
        fitted = fit_sparsely(evened(border.line, STEP), CLOSE)
        kinds = ["free" if corner else "smooth" for corner in fitted.corners]
        out.append(Starter("Passing" if not out else f"Passing {len(out) + 1}", fitted.points, kinds, not out))
    return out
