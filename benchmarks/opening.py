"""What the server has to do before a shot with very many outlines is there: read their shapes, and evaluate its first frame."""

from __future__ import annotations

import json
import time
from itertools import starmap
from typing import Any

from benchmarks.table import Row, typical
from tests.e2e.crowd import POINTS, leaf
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Key, Outline
from wiseglove.shot.rider import Rider
from wiseglove.store.shapes import joined, split, uncollected

OUTLINES, KEYS = 200, 50


def run() -> list[Row]:
    """200 outlines of 24 points with 50 keys."""
    bodies = []
    for index in range(OUTLINES):
        centre = (30.0 * (index % 20), 30.0 * (index // 20))
        keys = [Key(frame=1001 + 2 * k, points=as_points(leaf(centre, 14.0, 0.05 * k, 2.0))) for k in range(KEYS)]
        outline = Outline(id=f"o{index}", cover="c", kinds=["smooth"] * POINTS, keys=keys)
        bodies.append(outline.model_dump(mode="json"))
    text = json.dumps(bodies)
    start = time.perf_counter()
    json.loads(text)
    alone = (time.perf_counter() - start) * 1000
    stored = [split(body) for body in bodies]

    def read() -> list[Rider[Any]]:
        with uncollected():
            return [Rider(element, None, numbers) for element, numbers in starmap(joined, stored)]  # type: ignore[type-var]

    reading = typical(read, 5)
    fresh = iter([read() for _ in range(10)])
    first = typical(lambda: [rider.points_at([1001]).astype("<f4").tobytes() for rider in next(fresh)], 5)
    peer = f"the same as JSON, parsed by Python alone {alone:.0f} ms"
    return [
        Row(f"{OUTLINES} outlines of {KEYS} keys: read from what the database holds", reading, "ms", None, peer),
        Row("  their first frame, nothing known of them before", first, "ms", None),
    ]
