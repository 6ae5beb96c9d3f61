"""A time limit on computing, kept by the computation itself: loops that may be long ask whether to go on."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_until: ContextVar[float] = ContextVar("until", default=float("inf"))


class TooLongError(ValueError):
    """What was asked for takes longer than is waited for; nothing has been changed by it."""


@contextmanager
def patience(seconds: float) -> Iterator[None]:
    """Let what is computed within, in this context, take so long at most; of two limits the nearer one holds."""
    token = _until.set(min(_until.get(), time.monotonic() + seconds))
    try:
        yield
    finally:
        _until.reset(token)


def go_on() -> None:
    """Called in every round of a loop that may be long. Raises TooLongError once the time is over."""
    if time.monotonic() > _until.get():
        raise TooLongError(
            "That takes longer than the server computes for one request. Nothing was changed; choose less of it, or a "
            "coarser setting."
        )
