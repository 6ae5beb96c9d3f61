"""Wise Glove: animated spline mattes that keep hands and props in front of inserted pictures.

`wiseglove.Shot` opens a shot file for work without a page; see docs/without-a-page.md.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from wiseglove.delivery.opened import Shot as Shot


def __getattr__(name: str) -> Any:
    if name == "Shot":  # only on demand: it brings all that computes with it
        from wiseglove.delivery.opened import Shot

        return Shot
    raise AttributeError(f"module 'wiseglove' has no attribute {name!r}")
