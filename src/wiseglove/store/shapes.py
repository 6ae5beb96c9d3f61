"""How the shapes of an outline's keys lie in the database: as numbers beside the element's body, not as JSON in it.

An outline of 24 points with 50 keys is 80 kB of JSON numbers to print and to read; as they lie in memory they cost nothing.
"""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter

from wiseglove.shot.model import Element, Outline

_element: TypeAdapter[Element] = TypeAdapter(Element)

Array = NDArray[np.float64]
Body = dict[str, Any]
NUMBERS = "<f8"


def split(body: Body) -> tuple[Body, bytes | None]:
    """An element's body without its keys' points, and those: float64, (keys, points, 8); None where it is no outline."""
    if body["kind"] != "outline":
        return body, None
    keys = body["keys"]
    shapes = np.array([key["points"] for key in keys], NUMBERS)
    return {**body, "keys": [{**key, "points": []} for key in keys]}, shapes.tobytes()


def joined(body: Body, shapes: bytes | None) -> tuple[Element, Array | None]:
    """The element that was split, and its keys' points (K, N, 8) where they lay beside it. Only its body is checked again."""
    element = parsed(body)
    if not isinstance(element, Outline) or shapes is None:
        return element, None
    numbers = np.frombuffer(shapes, NUMBERS).reshape(len(element.keys), len(element.kinds), 8)
    for key, points in zip(element.keys, numbers.tolist(), strict=True):
        key.points.extend(map(tuple, points))
    return element, numbers


@contextmanager
def uncollected() -> Iterator[None]:
    """No search for garbage meanwhile: hundreds of outlines are millions of numbers, and none of them is any."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def parsed(body: Body) -> Element:
    """An element from a whole body."""
    return _element.validate_python(body, strict=False)
