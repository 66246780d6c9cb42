"""The first that was counted: entries, and the cards that builds are listed by. Logs of before may lack the cards."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "1"
down_revision = None


def upgrade() -> None:
    """Add what is missing."""
    there = sa.inspect(op.get_bind()).get_table_names()
    if "events" not in there:
        op.create_table(
            "events",
            sa.Column("number", sa.Integer, primary_key=True, autoincrement=True),
            sa.Column("id", sa.String(32), nullable=False, unique=True),
            sa.Column("build", sa.String(32), nullable=False, index=True),
            sa.Column("at", sa.String(40), nullable=False),
            sa.Column("body", sa.Text, nullable=False),
        )
    if "cards" not in there:
        op.create_table("cards", sa.Column("build", sa.String(32), primary_key=True), sa.Column("card", sa.Text, nullable=False))
