"""Wise Glove: animated spline mattes that keep hands and props in front of inserted pictures.

`wiseglove.Shot` opens a shot file for work without a page; see docs/without-a-page.md.
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

# Systems of equations here are small. On a busy machine the threads of one wait for each other thirty times as long as it
# takes, and several frames are worked at side by side already. Read when NumPy and SciPy are loaded, so it stands here.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# For the same reason threads of compiled loops sleep while they have nothing to do: a fourth less of the processor is used.
os.environ.setdefault("OMP_WAIT_POLICY", "passive")

if TYPE_CHECKING:
    from wiseglove.delivery.opened import Shot as Shot


def __getattr__(name: str) -> Any:
    if name == "Shot":  # only on demand: it brings all that computes with it
        from wiseglove.delivery.opened import Shot

        return Shot
    raise AttributeError(f"module 'wiseglove' has no attribute {name!r}")
