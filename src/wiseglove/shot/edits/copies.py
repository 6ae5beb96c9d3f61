"""Edits that bring in copies: duplicates, and covers and outlines pasted from here or from another shot."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from wiseglove.shot.basics import Corner, ElementId, Strict, new_id
from wiseglove.shot.edits.base import MOST_POINTS, Applied, Editing, free_name, get, unlocked, with_depth
from wiseglove.shot.errors import EditError
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.model import Cover, Element, Key, Outline

MOST_KEYS = 100_000


class Copied(Strict):
    """A cover with all of its outlines, or one outline of it, as copied."""

    cover: Cover
    outlines: list[Outline] = Field(min_length=1, max_length=1000)


def copied(shot: EvaluatedShot, element: str) -> Copied:
    """What copying a cover or an outline takes along. Raises EditError where there is no such thing."""
    found = shot.elements.get(element)
    if isinstance(found, Outline):
        return Copied(cover=get(shot, found.cover, Cover), outlines=[shot.let_go(found)])
    cover = get(shot, element, Cover)
    return Copied(cover=cover, outlines=[shot.let_go(o) for o in shot.outlines_of(cover)])


class Paste(Editing):
    """Paste copied outlines as a cover of their own, or into a cover.

    Keys keep their frames, or with `frame` move so that the first of them lies there; `offset` moves them on the
    picture. Keys beyond the plate are left out.
    """

    type: Literal["paste"]
    what: Copied
    into: ElementId | None = None
    frame: int | None = None
    offset: Corner = (0.0, 0.0)

    def apply(self, shot: EvaluatedShot) -> Applied:
        _check(self.what)
        start = min(o.keys[0].frame for o in self.what.outlines)
        by = 0 if self.frame is None else self.frame - start
        target = get(shot, self.into, Cover) if self.into else None
        if target is not None:
            unlocked(shot, target)
        cover_id = target.id if target else new_id()
        outlines, lost = [], 0
        for outline in self.what.outlines:
            keys = [k for k in outline.keys if shot.plate.first <= k.frame + by <= shot.plate.last]
            lost += len(outline.keys) - len(keys)
            if not keys:
                continue
            update = {
                "id": new_id(),
                "cover": cover_id,
                "keys": [_placed(k, by, self.offset) for k in keys],
                "first": None if outline.first is None else outline.first + by,
                "last": None if outline.last is None else outline.last + by,
                "pivot": None if outline.pivot is None else _moved(outline.pivot, self.offset),
            }
            if keys[0] is not outline.keys[0]:
                update["pivot"] = None
            outlines.append(outline.model_copy(update=update))
        if not outlines:
            raise EditError(
                f"All keys of that lie outside this plate, which has frames {shot.plate.first} to {shot.plate.last}. "
                "Nothing was changed; paste it at this frame instead."
            )
        after: dict[str, Element | None] = {o.id: o for o in outlines}
        label = "Pasted"
        if target is not None:
            after[target.id] = target.model_copy(update={"outlines": [*target.outlines, *(o.id for o in outlines)]})
            label = f"Pasted {len(outlines)} outline{'s' if len(outlines) > 1 else ''} into {target.name}"
        else:
            cover = self.what.cover.model_copy(
                update={
                    "id": cover_id,
                    "name": free_name(shot, _plain(self.what.cover.name)),
                    "group": None,
                    "locked": False,
                    "first": None if self.what.cover.first is None else self.what.cover.first + by,
                    "last": None if self.what.cover.last is None else self.what.cover.last + by,
                    "outlines": [o.id for o in outlines],
                }
            )
            after[cover_id] = cover
            after["settings"] = with_depth(shot, [cover_id, *shot.settings.depth])
            label = f"Pasted {cover.name}"
        if lost:
            label += f"; {lost} key{'s' if lost > 1 else ''} beyond the plate left out"
        return Applied(label, after, cover_id)


class Duplicate(Editing):
    """A second cover like the first one, right in front of it."""

    type: Literal["duplicate"]
    cover: ElementId
    offset: Corner = (0.0, 0.0)

    def apply(self, shot: EvaluatedShot) -> Applied:
        cover = get(shot, self.cover, Cover)
        pasted = Paste(type="paste", what=copied(shot, cover.id), offset=self.offset).apply(shot)
        made = pasted.made
        assert made is not None
        depth = list(shot.settings.depth)
        depth.insert(depth.index(cover.id), made)
        twin = pasted.after[made]
        assert isinstance(twin, Cover)
        after = {
            **pasted.after,
            made: twin.model_copy(update={"group": cover.group}),
            "settings": with_depth(shot, depth),
        }
        return Applied(f"Duplicated {cover.name} as {twin.name}", after, made)


def _check(what: Copied) -> None:
    for outline in what.outlines:
        count = len(outline.kinds)
        if not outline.keys or count < 3 or count > MOST_POINTS or len(outline.keys) > MOST_KEYS:
            raise EditError("What was copied is no outline that could be drawn. Nothing was changed.")
        if any(len(key.points) != count for key in outline.keys):
            raise EditError(
                f"What was copied has keys with other numbers of points than its {count}, so it cannot be pasted. "
                "Nothing was changed; copy it once more."
            )
        frames = [key.frame for key in outline.keys]
        if frames != sorted(set(frames)):
            raise EditError("What was copied has keys in disorder, so it cannot be pasted. Nothing was changed.")


def _placed(key: Key, by: int, offset: tuple[float, float]) -> Key:
    points = [(x + offset[0], y + offset[1], *rest) for x, y, *rest in key.points]
    return key.model_copy(update={"frame": key.frame + by, "points": points})


def _moved(place: tuple[float, float], offset: tuple[float, float]) -> tuple[float, float]:
    return place[0] + offset[0], place[1] + offset[1]


def _plain(name: str) -> str:
    """A name without the number that made it differ from others."""
    words = name.rsplit(" ", 1)
    return words[0] if len(words) == 2 and words[1].isdigit() else name
