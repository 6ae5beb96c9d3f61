"""Shots, elements, journal, clips, intakes, jobs and the queue."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None

NOW = sa.text("now()")


def _time(name: str, nullable: bool = False) -> sa.Column[object]:
    default = None if nullable else NOW
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable, server_default=default)


def _text(name: str, **kwargs: Any) -> sa.Column[str]:
    return sa.Column(name, sa.Text, nullable=False, **kwargs)


def upgrade() -> None:
    op.create_table("clips", _text("id", primary_key=True), sa.Column("info", JSONB, nullable=False), _time("made_at"))
    op.create_table(
        "shots",
        _text("id", primary_key=True),
        _text("name"),
        sa.Column("clip", sa.Text, sa.ForeignKey("clips.id"), nullable=False),
        sa.Column("plate", JSONB, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        _time("made_at"),
        _time("changed_at"),
    )

    def of_shot(**kwargs: Any) -> sa.Column[str]:
        return sa.Column("shot", sa.Text, sa.ForeignKey("shots.id", ondelete="CASCADE"), **kwargs)

    op.create_table(
        "elements",
        of_shot(primary_key=True),
        _text("id", primary_key=True),
        _text("kind"),
        sa.Column("body", JSONB, nullable=False),
    )
    op.create_table(
        "journal",
        sa.Column("id", sa.BigInteger, sa.Identity(), primary_key=True),
        of_shot(nullable=False, index=True),
        _text("label"),
        sa.Column("edit", JSONB, nullable=False),
        sa.Column("before", JSONB, nullable=False),
        sa.Column("after", JSONB, nullable=False),
        sa.Column("undone", sa.Boolean, nullable=False),
        _time("made_at"),
    )
    op.create_table(
        "shot_clips",
        of_shot(primary_key=True),
        sa.Column("clip", sa.Text, sa.ForeignKey("clips.id"), primary_key=True),
    )
    op.create_table(
        "intakes",
        _text("id", primary_key=True),
        _text("purpose"),
        of_shot(nullable=True),
        _text("state"),
        sa.Column("files", JSONB, nullable=False),
        sa.Column("understood", JSONB, nullable=True),
        _text("message"),
        _time("touched_at"),
    )
    op.create_table(
        "jobs",
        _text("id", primary_key=True),
        _text("kind"),
        _text("title"),
        of_shot(nullable=True),
        sa.Column("intake", sa.Text, sa.ForeignKey("intakes.id", ondelete="CASCADE"), nullable=True),
        sa.Column("payload", JSONB, nullable=False),
        _text("state"),
        sa.Column("done", sa.Integer, nullable=False),
        sa.Column("total", sa.Integer, nullable=False),
        _text("message"),
        sa.Column("result", JSONB, nullable=True),
        sa.Column("stop", sa.Boolean, nullable=False),
        sa.Column("attempt", sa.Integer, nullable=False),
        _time("made_at"),
        _time("ended_at", nullable=True),
    )
    # Straight to the driver: the schema holds percent signs that are not placeholders.
    driver: Any = op.get_bind().connection.driver_connection
    driver.execute(SchemaManager.get_schema())


def downgrade() -> None:
    raise RuntimeError("there is no older schema to go back to")
