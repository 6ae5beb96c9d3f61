"""Outlines made from what was drawn by hand."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel, Field

from wiseglove.core.geometry.fitting import evened, fit_closed
from wiseglove.shot.edits import OutlineDraft
from wiseglove.shot.errors import EditError
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Coordinate

router = APIRouter(prefix="/api", tags=["outlines"])


class DrawnLine(BaseModel):
    """A closed line in plate pixels, x and y in turn, and how far the outline may be from it."""

    line: list[Coordinate] = Field(max_length=80_000)
    tolerance: Annotated[float, Field(ge=0.05, le=100, allow_inf_nan=False)]


@router.post("/fit")
def fit(drawn: DrawnLine) -> OutlineDraft:
    """The line as an outline with few points (Schneider 1990). Nothing is stored."""
    if len(drawn.line) % 2 or len(drawn.line) < 6:
        raise EditError("That line is too short for an outline. Nothing was drawn; drag a loop around the thing.")
    line = np.array(drawn.line, np.float64).reshape(-1, 2)
    if np.ptp(line, axis=0).min() < 2 * drawn.tolerance:
        raise EditError("That line holds no area. Nothing was drawn; drag a loop around the thing.")
    fitted = fit_closed(evened(line, max(drawn.tolerance, 0.5)), drawn.tolerance)
    return OutlineDraft(
        kinds=["free" if corner else "smooth" for corner in fitted.corners], points=as_points(fitted.points)
    )
