"""A sum on every entry, by which a changed byte is told from what was entered. Entries of before have none."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "2"
down_revision = "1"


def upgrade() -> None:
    """Add the column."""
    if "sum" not in [c["name"] for c in sa.inspect(op.get_bind()).get_columns("events")]:
        op.add_column("events", sa.Column("sum", sa.Integer))
