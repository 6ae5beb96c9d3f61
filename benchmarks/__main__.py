"""Run all benchmarks and print one table."""

from __future__ import annotations

import logging

from benchmarks import (
    behind,
    delivering,
    edges,
    feel,
    fills,
    fitting,
    following,
    handwork,
    judging,
    keys,
    large,
    looking,
    movements,
    opening,
    planes,
    sitting,
    starting,
    taking_in,
    walking,
    warping,
)
from benchmarks.table import show
from wiseglove.core.warm import warm_up

logging.disable(logging.WARNING)
warm_up()
show(
    [
        *fills.run(),
        *edges.run(),
        *fitting.run(),
        *following.run(),
        *walking.run(),
        *handwork.run(),
        *movements.run(),
        *planes.run(),
        *behind.run(),
        *keys.run(),
        *sitting.run(),
        *warping.run(),
        *delivering.run(),
        *looking.run(),
        *starting.run(),
        *opening.run(),
        *taking_in.run(),
        *feel.run(),
        *judging.run(),
        *large.run(),
    ],
)
