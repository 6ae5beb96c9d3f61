"""A version's document is packed: keeping it as JSONB took the database as long as all else together."""

from __future__ import annotations

import zlib

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("versions", sa.Column("packed", sa.LargeBinary))
    op.execute("alter table versions alter column packed set storage external")  # it is compressed already
    one = sa.text("update versions set packed = :packed where shot = :shot and number = :number")
    for shot, number in _all():
        written = _value("cast(document as text)", shot, number)
        op.get_bind().execute(one, {"packed": zlib.compress(written.encode(), 1), "shot": shot, "number": number})
    op.drop_column("versions", "document")
    op.alter_column("versions", "packed", new_column_name="document", nullable=False)


def downgrade() -> None:
    op.execute("alter table versions add column unpacked jsonb")
    one = sa.text("update versions set unpacked = cast(:text as jsonb) where shot = :shot and number = :number")
    for shot, number in _all():
        text = zlib.decompress(_value("document", shot, number)).decode()
        op.get_bind().execute(one, {"text": text, "shot": shot, "number": number})
    op.drop_column("versions", "document")
    op.alter_column("versions", "unpacked", new_column_name="document", nullable=False)


def _all() -> list[tuple[str, int]]:
    return [tuple(row) for row in op.get_bind().execute(sa.text("select shot, number from versions"))]


def _value(what: str, shot: str, number: int):  # type: ignore[no-untyped-def]
    """One at a time: a document may have megabytes."""
    query = sa.text(f"select {what} from versions where shot = :shot and number = :number")
    return op.get_bind().execute(query, {"shot": shot, "number": number}).scalar_one()
