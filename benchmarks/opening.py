"""What the server has to do to open a shot: read the shapes of very many outlines, or one that was edited very often."""

from __future__ import annotations

import json
import time
from functools import partial
from itertools import starmap
from typing import Any

import numpy as np
from sqlalchemy import text

from benchmarks.table import Row, typical
from tests.e2e.crowd import POINTS, leaf
from wiseglove.media.info import MediaInfo
from wiseglove.shot.basics import Plate
from wiseglove.shot.edits import AddCover, OutlineDraft, SetKeys, ShapePoints
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Key, Outline
from wiseglove.shot.rider import Rider
from wiseglove.store import clips, shots
from wiseglove.store.cluster import temporary_cluster
from wiseglove.store.database import Database, migrate
from wiseglove.store.recent import RECENT, RecentShots
from wiseglove.store.shapes import joined, split, uncollected

OUTLINES, KEYS = 200, 50
EDITED = (50, 5000)
"""How often a shot was edited that is opened."""


def run() -> list[Row]:
    """200 outlines of 24 points with 50 keys."""
    bodies = []
    for index in range(OUTLINES):
        centre = (30.0 * (index % 20), 30.0 * (index // 20))
        keys = [Key(frame=1001 + 2 * k, points=as_points(leaf(centre, 14.0, 0.05 * k, 2.0))) for k in range(KEYS)]
        outline = Outline(id=f"o{index}", cover="c", kinds=["smooth"] * POINTS, keys=keys)
        bodies.append(outline.model_dump(mode="json"))
    written = json.dumps(bodies)
    start = time.perf_counter()
    json.loads(written)
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
        *_edited_often(),
        Row(f"{OUTLINES} outlines of {KEYS} keys: read from what the database holds", reading, "ms", None, peer),
        Row("  their first frame, nothing known of them before", first, "ms", None),
    ]


def _edited_often() -> list[Row]:
    """The same shot after 50 and after 5 000 edits, opened from the database, nothing of it in memory; size of an entry."""
    with temporary_cluster() as cluster:
        cluster.ensure_database("often")
        migrate(cluster.url("often"))
        database = Database(cluster.url("often"))
        _take_clip(database)
        by_edits = {count: _long_outline(database) for count in EDITED}
        for count, shot_id in by_edits.items():
            for number in range(count):
                _drag(database, shot_id, number)
        times: dict[int, list[float]] = {count: [] for count in EDITED}
        for _ in range(21):  # in turn, so that what else the machine does weighs on both
            for count, shot_id in by_edits.items():
                times[count].append(typical(partial(_opened, database, shot_id), 3))
        few, many = (float(np.median(times[count])) for count in EDITED)
        shot_id = by_edits[EDITED[-1]]
        with database.transaction() as session:
            shot = shots.load(session, shot_id)
            shots.undo(session, shot_id, shot.revision)
        last = text("select octet_length(change::text) from journal where shot = :shot order by id desc limit 1")
        with database.engine.connect() as connection:
            size = connection.execute(last, {"shot": shot_id}).scalar_one() / 1000
        database.close()
    return [
        Row(
            f"opening a shot after {EDITED[-1]} edits, share of after {EDITED[0]}",
            many / few,
            "",
            "journal.opening",
            f"{many:.1f} ms and {few:.1f} ms",
        ),
        Row("journal: one point of 24 on one of 100 keys", size, "kB", "journal.entry", ""),
    ]


def _take_clip(database: Database) -> None:
    with database.transaction() as session:
        clips.add(session, "m", MediaInfo(kind="movie", name="m", files=["m.mp4"], width=1920, height=1080, count=200))


def _long_outline(database: Database) -> str:
    plate = Plate(media="m", width=1920, height=1080, first=1001, count=200, rate_num=25, rate_den=1)
    with database.transaction() as session:
        shot = shots.create(session, "Often", plate)
        outline = OutlineDraft(kinds=["smooth"] * POINTS, points=as_points(leaf((300.0, 300.0), 90.0, 0.0, 2.0)))
        shots.apply(session, shot.id, None, AddCover(type="add-cover", outline_id="o", frame=1001, outline=outline))
        shapes = {1001 + 2 * k: as_points(leaf((300.0, 300.0), 90.0, 0.02 * k, 2.0)) for k in range(100)}
        shots.apply(session, shot.id, None, SetKeys(type="set-keys", outline="o", shapes=shapes))
    return shot.id


def _drag(database: Database, shot_id: str, number: int) -> None:
    point = {number % POINTS: (200.25 + number % 97, 250.5 + number % 89, 0.0, 0.0, 0.0, 0.0, 2.0, 2.0)}
    frame = 1001 + 2 * (number % 100)
    with database.transaction() as session:
        shots.apply(session, shot_id, None, ShapePoints(type="shape-points", element="o", frame=frame, points=point))


def _opened(database: Database, shot_id: str) -> None:
    with database.transaction() as session:
        session.info[RECENT] = RecentShots()  # as in a server that has just started
        shots.load(session, shot_id)
        shots.history(session, shot_id)
