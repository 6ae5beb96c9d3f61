"""How the server is: for machines at /healthz, for people through /api/health."""

from __future__ import annotations

import shutil

from fastapi import APIRouter, Response
from sqlalchemy import func, select, text
from sqlalchemy.exc import SQLAlchemyError

from wiseglove.api.context import Ctx
from wiseglove.api.schemas import Answer
from wiseglove.store import workers
from wiseglove.store.tables import JobRow
from wiseglove.store.workers import Worker

router = APIRouter(tags=["health"])
SILENT = 60.0
"""Seconds without a sign of life after which a worker counts as gone."""
ENOUGH = 1_000_000_000
"""Free bytes below which the disk is called full."""


class Health(Answer):
    """What works, and how much there is to do and room for."""

    well: bool
    database: bool
    workers: int
    """Workers that gave a sign of life within the last minute."""
    machines: list[Worker]
    """What each of them said that it can do."""
    waiting: int
    running: int
    free: int
    """Bytes that are free on the disk of the files."""
    words: list[str]


@router.get("/api/health")
def read_health(context: Ctx) -> Health:
    """How the server is, in words."""
    words = []
    free = shutil.disk_usage(context.settings.files).free
    if free < ENOUGH:
        words.append(f"The disk is nearly full: {free / 1e9:.1f} GB are free. Make room before the next delivery.")
    try:
        with context.database.transaction() as session:
            session.execute(text("select 1"))
            machines = workers.alive(session, SILENT)
            counted = session.execute(select(JobRow.state, func.count()).group_by(JobRow.state))
            states = {state: count for state, count in counted}
    except SQLAlchemyError:
        words.append("The database cannot be reached. What was stored is safe; start it, or look at its log.")
        return Health(well=False, database=False, workers=0, machines=[], waiting=0, running=0, free=free, words=words)
    waiting, running = states.get("queued", 0), states.get("running", 0)
    if not machines:
        words.append("No worker is there: decoding, solving and deliveries wait. Start one with wiseglove worker.")
    return Health(
        well=not words,
        database=True,
        workers=len(machines),
        machines=machines,
        waiting=waiting,
        running=running,
        free=free,
        words=words,
    )


@router.get("/healthz", include_in_schema=False)
def probe(context: Ctx) -> Response:
    """200 where requests can be answered, else 503; whether there is a worker, and how full the disk is, is told elsewhere."""
    try:
        with context.database.transaction() as session:
            session.execute(text("select 1"))
    except SQLAlchemyError:
        return Response("the database cannot be reached\n", status_code=503, media_type="text/plain")
    return Response("well\n", media_type="text/plain")
