"""One table of what was measured, the goal, and a peer measured in the same run."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Row:
    """A figure beside its goal; lower is better unless `more` says otherwise."""

    what: str
    figure: float
    unit: str
    goal: float | None
    peer: str = ""
    more: bool = False

    @property
    def verdict(self) -> str:
        """Whether the goal is reached."""
        if self.goal is None:
            return ""
        return "reached" if (self.figure >= self.goal if self.more else self.figure <= self.goal) else "MISSED"


def show(rows: list[Row]) -> None:
    """Print the table."""
    head = ("figure", "measured", "goal", "", "peer in the same run")
    lines = [
        (
            row.what,
            f"{row.figure:.3g} {row.unit}",
            "" if row.goal is None else f"{'>=' if row.more else '<='} {row.goal:.3g} {row.unit}",
            row.verdict,
            row.peer,
        )
        for row in rows
    ]
    widths = [max(len(line[i]) for line in [head, *lines]) for i in range(5)]
    for line in [head, tuple("-" * w for w in widths), *lines]:
        print("  ".join(cell.ljust(width) for cell, width in zip(line, widths, strict=True)).rstrip())


def typical(work: Callable[[], object], repeats: int = 200) -> float:
    """Median time of a call in milliseconds, after a few calls to warm up."""
    for _ in range(5):
        work()
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return float(np.median(times) * 1000)
