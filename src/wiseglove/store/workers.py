"""Workers: what each said that it can do, and when it was last heard of."""

from __future__ import annotations

from datetime import timedelta

from pydantic import BaseModel, ConfigDict
from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from wiseglove.store.tables import WorkerRow

FORGOTTEN = timedelta(days=1)
"""A worker that was silent for longer is not remembered."""


class Abilities(BaseModel):
    """What a worker can do."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)

    queues: list[str]
    """Kinds of work that it takes."""
    cores: int
    memory: int
    """Bytes that its machine has."""
    encoders: list[str]
    """Codecs that it can write movies with."""


class Worker(Abilities):
    """A worker by its name, which is its machine's and its process's number."""

    name: str


def say(session: Session, name: str, can: Abilities) -> None:
    """Note that a worker is there, and what it can do."""
    told = {"can": can.model_dump(mode="json"), "seen_at": func.now()}
    made = insert(WorkerRow).values(name=name, **told)
    session.execute(made.on_conflict_do_update(index_elements=[WorkerRow.name], set_=told))
    session.execute(delete(WorkerRow).where(WorkerRow.seen_at < func.now() - FORGOTTEN))


def leave(session: Session, name: str) -> None:
    """Note that a worker has ended."""
    session.execute(delete(WorkerRow).where(WorkerRow.name == name))


def alive(session: Session, silent: float) -> list[Worker]:
    """Workers that were heard of within so many seconds, by name."""
    heard = WorkerRow.seen_at > func.now() - timedelta(seconds=silent)
    rows = session.scalars(select(WorkerRow).where(heard).order_by(WorkerRow.name)).all()
    return [Worker(name=row.name, **row.can) for row in rows]
