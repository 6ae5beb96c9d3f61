"""Which places of a shot's document a change is about, so that two changes can be told to be about different things.

A place is a path of names: the element, then its fields, as ("hand", "keys", "1005", "points", "3"). Keys and whatever
else has a frame or an id is named by that, not by where it stands in its list. In lists of ids it is the membership of
each that counts, ("settings", "depth", "has", "hand"), and the order by itself. A place includes all below it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

Place = tuple[str, ...]
MEMBERS = {"depth", "outlines", "core", "garbage"}
"""Fields that list ids."""
MOST = 48
"""Places within one field of an element that are told apart; where there are more, the field is the place."""


def places_of(old: Mapping[str, Any], new: Mapping[str, Any]) -> list[Place]:
    """Where the bodies of elements differ before and after a change, by id (left out or None where there is none)."""
    out: list[Place] = []
    for element in sorted(old.keys() | new.keys()):
        before, after = old.get(element), new.get(element)
        if before is None or after is None:
            out += [] if before is after else [(element,)]
            continue
        for field in sorted(before.keys() | after.keys()):
            out += _within((element, field), before.get(field), after.get(field))
        if len(before.get("kinds", ())) != len(after.get("kinds", ())):
            out.append((element, "keys"))  # every point may have another number now
    return out


def overlap(one: Iterable[Place], other: Iterable[Place]) -> Place | None:
    """A place that both are about; None where there is none."""
    mine = list(one)
    here = {place[:n] for place in mine for n in range(1, len(place) + 1)}
    whole = set(mine)
    for place in other:
        if place in here or any(place[:n] in whole for n in range(1, len(place))):
            return place
    return None


def written(places: Iterable[Place]) -> list[str]:
    """Places as they are kept."""
    return ["/".join(place) for place in places]


def read(lines: Iterable[str]) -> list[Place]:
    """Places as they were kept."""
    return [tuple(line.split("/")) for line in lines]


def _within(field: Place, old: Any, new: Any) -> list[Place]:
    found: list[Place] = []
    for place in _differing(old, new, field):
        found.append(place)
        if len(found) > MOST:
            return [field]
    return found


def _differing(old: Any, new: Any, at: Place) -> Iterator[Place]:
    if old == new:
        return
    if isinstance(old, dict) and isinstance(new, dict):
        for key in sorted(old.keys() | new.keys()):
            yield from _differing(old.get(key), new.get(key), (*at, key))
    elif not isinstance(old, list) or not isinstance(new, list):
        yield at
    elif at[-1] in MEMBERS:
        yield from _membership(old, new, at)
    elif (name := _named_by(old, new)) is not None:
        before, after = ({str(entry[name]): entry for entry in entries} for entries in (old, new))
        for key in sorted(before.keys() | after.keys()):
            if key in before and key in after:
                yield from _differing(before[key], after[key], (*at, key))
            else:
                yield (*at, key)
    elif len(old) == len(new) and all(isinstance(entry, dict | list) for entry in new):
        for i, (one, other) in enumerate(zip(old, new, strict=True)):
            yield from _differing(one, other, (*at, str(i)))
    else:
        yield at


def _membership(old: list[str], new: list[str], at: Place) -> Iterator[Place]:
    for changed in sorted(set(old) ^ set(new)):
        yield (*at, "has", changed)
    both = set(old) & set(new)
    if [i for i in old if i in both] != [i for i in new if i in both]:
        yield (*at, "order")


def _named_by(old: list[Any], new: list[Any]) -> str | None:
    for name in ("frame", "id"):
        if all(isinstance(entry, dict) and name in entry for entry in (*old, *new)):
            return name
    return None
