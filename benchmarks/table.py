"""One table of what was measured, the goal, and a peer measured in the same run."""

from __future__ import annotations

import time
import tomllib
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

GOALS = Path(__file__).with_name("goals.toml")


@dataclass(frozen=True)
class Goal:
    """What must be reached; `under` are the conditions it holds for."""

    limit: float
    more: bool = False
    under: str = ""

    def reached(self, figure: float) -> bool:
        """Whether a figure is good enough."""
        return figure >= self.limit if self.more else figure <= self.limit


@cache
def _goals() -> dict[str, Any]:
    with GOALS.open("rb") as file:
        return tomllib.load(file)


def goal_of(key: str, unit: str) -> Goal:
    """A goal by its name in goals.toml, `name` or `name:which` where one entry has several limits.

    Raises:
        KeyError: if there is none of that name, or it is in another unit.
    """
    name, _, which = key.partition(":")
    entry = _goals()[name]
    if entry["unit"] != unit:
        raise KeyError(f"the goal {name} is in {entry['unit']!r}, the figure in {unit!r}")
    more = "at_least" in entry
    return Goal(float(entry[which or ("at_least" if more else "at_most")]), more, entry["under"])


@dataclass(frozen=True)
class Row:
    """A figure beside its goal: a name in goals.toml, a limit that was measured in the same run, or none."""

    what: str
    figure: float
    unit: str
    limit: str | float | None
    peer: str = ""

    @property
    def goal(self) -> Goal | None:
        """What must be reached."""
        if isinstance(self.limit, str):
            return goal_of(self.limit, self.unit)
        return None if self.limit is None else Goal(self.limit, under="as quick as the quicker peer of the same run")


def show(rows: list[Row]) -> None:
    """Print the table, and below it under which conditions missed goals hold."""
    lines = [("figure", "measured", "goal", "", "peer in the same run")]
    missed = []
    for row in rows:
        goal, limit, verdict = row.goal, "", ""
        if goal is not None:
            limit = f"{'>=' if goal.more else '<='} {goal.limit:.4g} {row.unit}"
            verdict = "reached" if goal.reached(row.figure) else "MISSED"
            if verdict == "MISSED":
                missed.append(f"  {row.what.strip()}: {goal.under}")
        lines.append((row.what, f"{row.figure:.3g} {row.unit}", limit, verdict, row.peer))
    widths = [max(len(line[i]) for line in lines) for i in range(5)]
    lines.insert(1, tuple("-" * w for w in widths))  # type: ignore[arg-type]
    for line in lines:
        print("  ".join(cell.ljust(width) for cell, width in zip(line, widths, strict=True)).rstrip())
    print("\nMissed, and under which conditions:\n" + "\n".join(missed) if missed else "\nEvery goal is reached.")


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
