"""Putting a shot back to what it was in one of its versions, as an edit that can be undone."""

from __future__ import annotations

from typing import Literal

from wiseglove.shot.edits.base import Applied, Editing
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Element


class Restore(Editing):
    """All elements as a version has them; those that came later go."""

    type: Literal["restore"] = "restore"
    called: str
    elements: dict[str, Element]

    def apply(self, shot: EvaluatedShot) -> Applied:
        after: dict[str, Element | None] = {i: None for i in shot.elements if i not in self.elements}
        after.update({i: e for i, e in self.elements.items() if shot.elements.get(i) != e})
        return Applied(f"Restored {self.called}", after)
