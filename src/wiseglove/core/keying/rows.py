"""Compiled loops over a picture's rows, done by two threads at once."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

_pool = ThreadPoolExecutor(2, thread_name_prefix="rows")


def by_rows(kernel: Callable[..., Any], rows: int, *arguments: Any) -> None:
    """Call a kernel that treats each row by itself on both halves; arrays of that many rows are halved, the rest is not.

    For pictures below some hundred rows it is called once. The kernel must let go of the interpreter's lock (nogil).
    """
    if rows < 256:
        kernel(*arguments)
        return
    middle = rows // 2

    def half(part: slice) -> None:
        kernel(*(a[part] if isinstance(a, np.ndarray) and a.shape[0] == rows else a for a in arguments))

    other = _pool.submit(half, slice(middle, rows))
    half(slice(0, middle))
    other.result()
