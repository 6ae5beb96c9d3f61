"""What workers can do, and presets that people keep."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name, said, when in (("workers", "can", "seen_at"), ("presets", "preset", "changed_at")):
        op.create_table(
            name,
            sa.Column("name", sa.Text, primary_key=True),
            sa.Column(said, JSONB, nullable=False),
            sa.Column(when, sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        )


def downgrade() -> None:
    op.drop_table("workers")
    op.drop_table("presets")
