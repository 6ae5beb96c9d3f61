"""The shapes of outlines' keys lie beside their bodies, as numbers."""

from __future__ import annotations

from typing import Any

import numpy as np
import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

elements = sa.table(
    "elements", sa.column("shot"), sa.column("id"), sa.column("kind"), sa.column("body", JSONB), sa.column("shapes")
)


def _without_shapes(body: dict[str, Any]) -> tuple[dict[str, Any], bytes]:
    keys = body["keys"]
    shapes = np.array([key["points"] for key in keys], "<f8")
    return {**body, "keys": [{**key, "points": []} for key in keys]}, shapes.tobytes()


def upgrade() -> None:
    op.add_column("elements", sa.Column("shapes", sa.LargeBinary, nullable=True))
    connection = op.get_bind()
    outlines = sa.select(elements.c.shot, elements.c.id).where(elements.c.kind == "outline")
    for shot, element in connection.execute(outlines).all():
        here = (elements.c.shot == shot) & (elements.c.id == element)
        body, shapes = _without_shapes(connection.execute(sa.select(elements.c.body).where(here)).scalar_one())
        connection.execute(sa.update(elements).where(here).values(body=body, shapes=shapes))


def downgrade() -> None:
    raise RuntimeError("Older versions cannot read shapes that lie beside their bodies.")
