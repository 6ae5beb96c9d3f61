"""Numbers of a pane that change in time: which can, what they are on a frame, and how a key is set."""

from __future__ import annotations

import itertools
from functools import lru_cache
from typing import Any

from pydantic import BaseModel, ValidationError

from wiseglove.shot.errors import EditError
from wiseglove.shot.pane import Floating, Pane, Placement, SitIn, ValueKey, Wipe

LEFT_OUT = {"aspect"}
"""Numbers of a pane itself that belong to the real screen, which does not change."""


@lru_cache(maxsize=1)
def keyable() -> frozenset[str]:
    """Paths of all numbers of a pane that may have keys."""
    found = {f"{name}" for name in _numbers(Pane) if name not in LEFT_OUT}
    for part, of in (("placement", Placement), ("wipe", Wipe), ("floats", Floating)):
        found |= {f"{part}.{name}" for name in _numbers(of)}
    for name, value in SitIn():
        if isinstance(value, BaseModel):
            found |= {f"sit.{name}.{number}" for number in _numbers(type(value))}
    return frozenset(found)


def _numbers(of: type[BaseModel]) -> set[str]:
    return {name for name, field in of.model_fields.items() if field.annotation in (float, int)}


def value_at(keys: list[ValueKey], frame: float) -> float:
    """A number between its keys; before the first and after the last it stands still."""
    if frame <= keys[0].frame:
        return keys[0].value
    for one, other in itertools.pairwise(keys):
        if frame < other.frame:
            t = (frame - one.frame) / (other.frame - one.frame)
            share = {"hold": 0.0, "linear": t, "smooth": t * t * (3 - 2 * t)}[one.ease]
            return one.value + (other.value - one.value) * share
    return keys[-1].value


def pane_at(pane: Pane, frame: float) -> Pane:
    """The pane with each number that has keys as it is on a frame."""
    for path, keys in pane.values.items():
        pane = replaced(pane, path, value_at(keys, frame))
    return pane


def replaced(pane: Pane, path: str, value: float) -> Pane:
    """The pane with another number at a path; one that its picture does not have any more is left out."""
    out = _replaced(pane, path.split("."), value)
    assert isinstance(out, Pane)
    return out


def _replaced(of: BaseModel, path: list[str], value: float) -> BaseModel:
    name, rest = path[0], path[1:]
    old = getattr(of, name)
    if old is None:
        return of
    new: Any = _replaced(old, rest, value) if rest else (round(value) if isinstance(old, int) else float(value))
    return of.model_copy(update={name: new})


def number_of(pane: Pane, path: str) -> float:
    """The number at a path, without its keys. Raises EditError for one that cannot have keys."""
    if path not in keyable():
        raise EditError(f"“{path}” cannot have keys. Nothing was changed.")
    found: Any = pane
    for name in path.split("."):
        found = getattr(found, name)
        if found is None:
            raise EditError("The pane does not float, so that has no value. Let it float first; nothing was changed.")
    return float(found)


def with_key(pane: Pane, path: str, key: ValueKey) -> Pane:
    """The pane with a key of a number set or changed. Raises EditError for a value that it cannot have."""
    number_of(pane, path)
    try:
        checked(replaced(pane, path, key.value))
    except ValidationError as error:
        said = error.errors()[0]["msg"].lower()
        raise EditError(f"{key.value:g} cannot be taken there: {said}. Nothing was changed.") from error
    keys = sorted([*(k for k in pane.values.get(path, []) if k.frame != key.frame), key], key=lambda k: k.frame)
    return pane.model_copy(update={"values": {**pane.values, path: keys}})


def without_key(pane: Pane, path: str, frame: int) -> Pane:
    """The pane without a number's key on a frame; with the last one goes the change in time, and its value stays."""
    keys = [k for k in pane.values.get(path, []) if k.frame != frame]
    if len(keys) == len(pane.values.get(path, [])):
        raise EditError("There is no key of that number on this frame. Nothing was changed.")
    values = {name: held for name, held in pane.values.items() if name != path}
    if keys:
        return pane.model_copy(update={"values": {**values, path: keys}})
    last = pane.values[path][0].value
    return replaced(pane.model_copy(update={"values": values}), path, last)


def checked(pane: Pane) -> Pane:
    """The pane, with all its numbers looked at. Raises ValidationError."""
    return Pane.model_validate(pane.model_dump(mode="json"), strict=False)
