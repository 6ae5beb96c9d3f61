"""One row for each file that is being taken in, one job at a time for each intake, and how much room a clip takes."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "intake_files",
        sa.Column("intake", sa.Text, sa.ForeignKey("intakes.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("kept_as", sa.Text, nullable=False),
        sa.Column("size", sa.BigInteger, nullable=False),
        sa.Column("sha256", sa.Text, nullable=True),
    )
    op.execute(
        "insert into intake_files (intake, number, name, kept_as, size, sha256) "
        "select i.id, (row_number() over (partition by i.id order by f.key)) - 1, f.key, f.key, "
        "(f.value ->> 'size')::bigint, f.value ->> 'sha256' from intakes i, jsonb_each(i.files) f"
    )
    op.drop_column("intakes", "files")
    op.add_column("clips", sa.Column("room", sa.BigInteger, nullable=True))
    op.create_index(
        "ix_jobs_intake_open",
        "jobs",
        ["intake"],
        unique=True,
        postgresql_where=sa.text("state in ('queued', 'running')"),
    )


def downgrade() -> None:
    raise RuntimeError("Older versions keep files under the names that they came with.")
