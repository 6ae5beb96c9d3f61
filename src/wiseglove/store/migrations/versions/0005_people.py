"""Who may sign in, who is signed in, and who made which edit."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    now = sa.text("now()")
    op.create_table(
        "users",
        sa.Column("name", sa.Text, primary_key=True),
        sa.Column("role", sa.Text, nullable=False),
        sa.Column("password", sa.Text, nullable=False),
        sa.Column("failures", sa.Integer, nullable=False, server_default="0"),
        sa.Column("failed_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=now),
    )
    op.create_table(
        "sessions",
        sa.Column("token", sa.Text, primary_key=True),
        sa.Column("person", sa.Text, sa.ForeignKey("users.name", ondelete="CASCADE"), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=now),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=False, server_default=now),
    )
    op.add_column("revisions", sa.Column("author", sa.Text, nullable=True))


def downgrade() -> None:
    op.drop_column("revisions", "author")
    op.drop_table("sessions")
    op.drop_table("users")
