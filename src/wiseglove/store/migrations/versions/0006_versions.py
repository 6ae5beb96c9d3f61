"""Versions of shots, and notes on their frames."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    now = sa.text("now()")
    shot = sa.ForeignKey("shots.id", ondelete="CASCADE")
    op.create_table(
        "versions",
        sa.Column("shot", sa.Text, shot, primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("comment", sa.Text, nullable=False),
        sa.Column("frame", sa.Integer, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("author", sa.Text, nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=now),
    )
    op.create_table(
        "notes",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("shot", sa.Text, sa.ForeignKey("shots.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("version", sa.Integer, nullable=True),
        sa.Column("frame", sa.Integer, nullable=False),
        sa.Column("x", sa.Float, nullable=True),
        sa.Column("y", sa.Float, nullable=True),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("done", sa.Boolean, nullable=False, server_default=sa.false()),
        sa.Column("author", sa.Text, nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=now),
    )
    op.add_column("shots", sa.Column("seconds", sa.Float, nullable=False, server_default="0"))
    op.add_column("shots", sa.Column("budget", sa.Float, nullable=False, server_default="900"))


def downgrade() -> None:
    op.drop_column("shots", "budget")
    op.drop_column("shots", "seconds")
    op.drop_table("notes")
    op.drop_table("versions")
