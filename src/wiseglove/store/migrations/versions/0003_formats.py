"""What is kept says its format; the journal keeps what changed; every revision says what it was about."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY, JSONB

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def _format_column() -> sa.Column[int]:
    return sa.Column("format", sa.Integer, nullable=False, server_default="1")


def upgrade() -> None:
    op.add_column("elements", _format_column())
    op.alter_column("elements", "format", server_default=None)

    op.add_column("journal", _format_column())
    op.add_column("journal", sa.Column("change", JSONB, nullable=True))
    op.add_column("journal", sa.Column("kind", sa.Text, nullable=True))
    op.execute(
        "update journal set change = jsonb_build_object('before', before, 'after', after), kind = edit ->> 'type'"
    )
    op.alter_column("journal", "format", server_default=None)
    op.alter_column("journal", "change", nullable=False)
    op.alter_column("journal", "kind", nullable=False)
    for gone in ("before", "after", "edit"):
        op.drop_column("journal", gone)
    op.drop_index("ix_journal_shot", "journal")
    op.create_index("ix_journal_next", "journal", ["shot", "undone", "id"])

    op.create_table(
        "revisions",
        sa.Column("shot", sa.Text, sa.ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("revision", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("label", sa.Text, nullable=False),
        sa.Column("edit", sa.Text, nullable=True),
        sa.Column("made", sa.Text, nullable=True),
        sa.Column("places", ARRAY(sa.Text), nullable=False),
        sa.Column("elements", ARRAY(sa.Text), nullable=False),
        sa.Column("first", sa.Integer, nullable=True),
        sa.Column("last", sa.Integer, nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
    )
    op.create_index("ix_revisions_edit", "revisions", ["shot", "edit"], unique=True)


def downgrade() -> None:
    raise RuntimeError("Older versions cannot read a journal that keeps what changed.")
