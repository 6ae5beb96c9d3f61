"""Run all benchmarks and print one table."""

from __future__ import annotations

import logging

from benchmarks import feel, fills, fitting
from benchmarks.table import show
from wiseglove.core.warm import warm_up

logging.disable(logging.WARNING)
warm_up()
show([*fills.run(), *fitting.run(), *feel.run()])
