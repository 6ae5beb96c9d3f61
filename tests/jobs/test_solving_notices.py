"""What pages are shown while a carrier is being solved."""

from __future__ import annotations

import json

import numpy as np
import psycopg

from tests.builders import SQUARE
from wiseglove.core.motion.verdict import Place, Status
from wiseglove.jobs.run import Run
from wiseglove.jobs.solve import SoFar
from wiseglove.settings import Settings
from wiseglove.shot.model import Carrier
from wiseglove.store import jobs
from wiseglove.store.database import Database


def test_notices_stay_small_and_tell_all_however_many_frames_are_not_sure(
    database: Database, settings: Settings, url: str
) -> None:
    """PostgreSQL refuses a notice of 8000 bytes or more, with which the solve would fail."""
    with database.transaction() as session:
        row = jobs.add(session, "solve", "Test", {}, None, None)
        jobs.begin(session, row.id)
    carrier = Carrier(id="k", name="K", colour="#112233", at=1001, base=SQUARE)
    count = 300
    so_far = SoFar(Run(database, settings, row.id, 1, {}, "s", None), carrier, count)
    with psycopg.connect(url, autocommit=True) as listening:
        listening.execute(f"listen {jobs.CHANNEL}")
        for frame in range(1002, 1002 + count):
            status: Status = "unsure" if frame % 2 else "lost"
            matrix = np.eye(3) if status == "unsure" else None
            so_far.note(Place(frame, matrix, status, 0.3, {}, "plain"))
        so_far.publish()
        heard = [json.loads(n.payload) for n in listening.notifies(timeout=2.0)]
    motion = [n for n in heard if n["topic"] == "motion"]
    every = set(range(1002, 1002 + count))
    assert {p["frame"] for n in motion for p in n["places"]} == every
    assert {d["frame"] for n in motion for d in n["doubts"]} == every
    assert {r["first"] for n in motion for r in n["runs"]} == every
