"""What all edits share: their base, what applying one gives, and the checks that say no."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from wiseglove.core.geometry import bezier
from wiseglove.core.geometry.homography import is_convex
from wiseglove.shot.basics import Strict, numbered
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Animated, Carrier, Contents, Cover, E, Element, Group, Outline, Pane, Settings, Thing

MOST_POINTS = 2000
FINEST = 0.01
"""The smallest tolerance for thinning out, in pixels: nobody sees less."""

Index = Annotated[int, Field(strict=False, ge=0)]
"""A point's or corner's number; lax in that the text of a JSON key will do."""
Frames = Annotated[list[int], Field(min_length=1, max_length=100_000)]


@dataclass(frozen=True)
class Applied:
    """What an edit did: its label, each element's state afterwards, and what the page may select."""

    label: str
    after: dict[str, Element | None]
    made: str | None = None


class Editing(Strict):
    """Base of all edits."""

    def apply(self, shot: EvaluatedShot) -> Applied:
        """The change, or EditError; the shot itself is not touched."""
        raise NotImplementedError


def get(shot: Contents, element: str, wanted: type[E]) -> E:
    found = shot.find(element, wanted)
    if found is None:
        raise EditError(
            f"That {wanted.__name__.lower()} is not in the shot any more; it may have been deleted in another "
            "page. Nothing was changed."
        )
    return found


def animated(shot: Contents, element: str) -> Animated:
    found = shot.elements.get(element)
    if not isinstance(found, Animated):
        raise EditError("What these keys belong to is not in the shot any more. Nothing was changed.")
    return found


def owner_of(shot: Contents, element: Animated) -> Thing:
    return get(shot, element.cover, Cover) if isinstance(element, Outline) else element


def unlocked(shot: Contents, owner: Thing | Carrier | Group) -> None:
    """Raise EditError for what is locked, by itself or with its group."""
    if owner.locked:
        raise EditError(f"“{owner.name}” is locked. Unlock it to change it; nothing was changed.")
    if isinstance(owner, Cover) and shot.is_locked(owner):
        group = shot.group_of(owner)
        assert group is not None
        raise EditError(f"The group “{group.name}” is locked. Unlock it to change it; nothing was changed.")


def unlocked_animated(shot: Contents, element: str) -> tuple[Animated, Thing]:
    """What has keys, and the cover or pane it belongs to, which is not locked."""
    found = animated(shot, element)
    owner = owner_of(shot, found)
    unlocked(shot, owner)
    if isinstance(found, Pane) and found.floats is not None:
        raise EditError(
            f"“{found.name}” floats before another pane, which says where its corners are. Change its distance, shift and "
            "tilt instead, or let it float no more. Nothing was changed."
        )
    return found, owner


def unlocked_outline(shot: Contents, outline: str) -> tuple[Outline, Cover]:
    """An outline and its cover, which is not locked."""
    found = get(shot, outline, Outline)
    cover = get(shot, found.cover, Cover)
    unlocked(shot, cover)
    return found, cover


def free_name(shot: Contents, wanted: str) -> str:
    """The name that is wanted, with a number where it is taken."""
    taken = {e.name for e in shot.elements.values() if isinstance(e, Thing | Group | Carrier)}
    number, name = 1, wanted
    while name in taken:
        number += 1
        name = numbered(wanted, number)
    return name


def unused(shot: Contents, wanted: str) -> str:
    if wanted in shot.elements:
        raise EditError("That id is taken. Nothing was changed; leave it out to get a fresh one.")
    return wanted


def with_depth(shot: Contents, depth: list[str]) -> Settings:
    return shot.settings.model_copy(update={"depth": depth})


def check_corners(points: bezier.Points) -> None:
    if not is_convex(points[:, :2]):
        raise EditError(
            "A pane's corners must go round without crossing or folding in. The pane stays as it was; "
            "move the corner the other way."
        )


def unlocked_carrier(shot: Contents, carrier: str) -> Carrier:
    """A carrier that is not locked."""
    found = get(shot, carrier, Carrier)
    unlocked(shot, found)
    return found


WHILE_LOCKED = {"shown", "locked", "folded"}
"""What can be changed of a locked thing."""


def changeable(shot: Contents, owner: Thing | Carrier | Group, sent: Iterable[str]) -> None:
    """Raise EditError where fields were sent that a lock keeps as they are. A group's lock leaves its members' own lock."""
    if set(sent) - WHILE_LOCKED:
        unlocked(shot, owner)
