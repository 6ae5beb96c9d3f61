"""Values that are computed when they are first asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

V = TypeVar("V")


class kept(Generic[V]):  # noqa: N801 (a decorator)
    """A property that is computed once for each object and then is an attribute of it.

    The standard library's `cached_property` holds one lock for all objects of a class while it computes (Python 3.11; gone in
    3.12), so that two frames that are rendered by two threads waited for each other. Here two threads that ask the same
    object at the same time may both compute; what they find is the same.
    """

    def __init__(self, compute: Callable[[Any], V]) -> None:
        self._compute, self._name = compute, compute.__name__
        self.__doc__ = compute.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, instance: None, owner: type) -> kept[V]: ...

    @overload
    def __get__(self, instance: object, owner: type) -> V: ...

    def __get__(self, instance: object | None, owner: type) -> kept[V] | V:
        if instance is None:
            return self
        return instance.__dict__.setdefault(self._name, self._compute(instance))  # type: ignore[no-any-return]
