"""Compiles the numeric kernels once, so that the first frame of a session does not wait for it."""

from __future__ import annotations

import numpy as np

from wiseglove.core.geometry.bezier import ellipse
from wiseglove.core.matte.coverage import Box, coverage, fill


def warm_up() -> None:
    """Run every compiled kernel on something small; quick when they are in the cache on disk."""
    outline = ellipse(4.0, 4.0, 3.0, 3.0)
    coverage(outline, Box(0, 0, 8, 8))
    fill(np.zeros((8, 8), np.uint8), outline)
