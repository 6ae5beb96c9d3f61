"""Covers to begin with, proposed from the picture of a frame. Nothing here is stored; what is kept is an edit like any other."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
from fastapi import APIRouter

from wiseglove.api.context import Ctx
from wiseglove.api.outlines import covered_by, plate_picture
from wiseglove.api.pictures import load_shot
from wiseglove.api.schemas import Answer
from wiseglove.core.starters.differing import things_in
from wiseglove.core.starters.hand import HandFinder, NoModelError
from wiseglove.core.starters.outlines import Starter, starters_of
from wiseglove.shot.edits import OutlineDraft
from wiseglove.shot.keys import as_points, check_frame

router = APIRouter(prefix="/api/shots/{shot_id}/starters", tags=["starters"])
MODELS = "models"
"""The folder beside the page that holds the small networks."""
MOST_HANDS = 3
"""Hands that are proposed of one frame."""


class Begun(Answer):
    """A proposed cover: its name, its outline, and whether it is likely to be wanted."""

    name: str
    outline: OutlineDraft
    likely: bool


class Starters(Answer):
    """What was seen on a frame, and in words what was looked for."""

    frame: int
    starters: list[Begun]
    words: str


@router.get("/{frame}")
def read_starters(shot_id: str, frame: int, context: Ctx) -> Starters:
    """Hands by a small network, and what is not in the clean plate where one was made."""
    shot = load_shot(context, shot_id)
    check_frame(shot.plate, frame)
    picture = plate_picture(context, shot, frame)
    found: list[Begun] = []
    said: list[str] = []
    try:
        hands = _finder(context.settings.page / MODELS).find(picture)[:MOST_HANDS]
        for number, hand in enumerate(hands, start=1):
            found += [_begun(s, f" {number}" if number > 1 else "") for s in starters_of(picture, hand)]
        said.append(
            "No hand is seen" if not hands else "A hand is seen" if len(hands) == 1 else f"{len(hands)} hands are seen"
        )
    except NoModelError:
        said.append("Hands cannot be looked for: the small network is not beside the page")
    covered = covered_by(context, shot)
    if covered is None:
        said.append("with a clean plate, what passes before it is found too")
    else:
        difference, _ = covered(picture, (0, 0, shot.plate.width, shot.plate.height))
        passing = things_in(np.asarray(difference, np.float32))
        found += [_begun(s, "") for s in passing]
        said.append(
            "nothing differs from the clean plate" if not passing else
            f"{len(passing)} {'thing differs' if len(passing) == 1 else 'things differ'} from the clean plate"
        )  # fmt: skip
    return Starters(frame=frame, starters=found, words=f"{'; '.join(said)}.")


def _begun(starter: Starter, number: str) -> Begun:
    draft = OutlineDraft(kinds=starter.kinds, points=as_points(starter.points))  # type: ignore[arg-type]
    return Begun(name=f"{starter.name}{number}", outline=draft, likely=starter.likely)


@cache
def _finder(folder: Path) -> HandFinder:
    return HandFinder(folder)
