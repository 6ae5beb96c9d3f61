"""How many things are computed at once, in one place: threads of compiled loops, and calls in a pool.

Compiled loops (numba's prange) run on OpenMP, which may be entered by several threads at a time.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import TypeVar

import numba as nb

A = TypeVar("A")
B = TypeVar("B")
nb.config.THREADING_LAYER = "omp"  # type: ignore[attr-defined]
rows_at_once = nb.njit(cache=True, nogil=True, fastmath=True, parallel=True)
"""Compiles a loop whose outermost index runs over `nb.prange`."""


class _Number:
    """The number of workers; all the processor's cores until it is set."""

    workers = os.cpu_count() or 1


def use_workers(count: int) -> None:
    """Use so many at once from now on; to be called before anything is computed."""
    _Number.workers = count
    nb.config.NUMBA_NUM_THREADS = count  # type: ignore[attr-defined]


def workers() -> int:
    """How many things are computed at once."""
    return _Number.workers


def each(function: Callable[[A], B], items: Iterable[A]) -> list[B]:
    """A function of each item, several at once, in the items' order. What the first of them raises is raised."""
    with ThreadPoolExecutor(workers()) as pool:
        return list(pool.map(function, items))


def meanwhile(function: Callable[[], B]) -> Callable[[], B]:
    """Begin a call while the caller goes on. What is returned waits for its end, and gives its result or raises what it raised.

    With one worker the call is made only then. The function must not begin another one so and wait for that.
    """
    return _beside().submit(function).result if workers() > 1 else function


@cache
def _beside() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(workers(), thread_name_prefix="beside")
