"""Alembic's entry: runs the migrations on the URL that `database.migrate` hands over."""

from __future__ import annotations

from alembic import context

from wiseglove.store.database import make_engine
from wiseglove.store.tables import Base


def _ours(_thing: object, name: str | None, kind: str, _reflected: bool, _compare_to: object) -> bool:
    """Leave the queue's own tables alone."""
    return not (kind == "table" and (name or "").startswith("procrastinate_"))


engine = make_engine(context.config.attributes["url"], limits="")  # a migration takes as long as it takes
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, include_object=_ours)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
