"""Entries of a large import, written aside until all of them are there."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.create_table(
        "staged_entries",
        sa.Column("batch", sa.String(36), primary_key=True),
        sa.Column("seq", sa.Integer, primary_key=True),
        sa.Column("id", sa.String(64), nullable=False),
        sa.Column("raw", sa.Text, nullable=False),
        sa.Column("hash", sa.String(64), nullable=False),
        sa.Column("written_at", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("staged_entries")
