"""The workshop's own experience: patterns, and texts for a maker's own codes."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    stamp = sa.DateTime(timezone=True)
    op.create_table(
        "patterns",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("engine", sa.String(120), nullable=False, index=True),
        sa.Column("fault", sa.String(60), nullable=False),
        sa.Column("times", sa.Float, nullable=False),
        sa.Column("by", sa.String(80), nullable=False),
        sa.Column("at", stamp, nullable=False),
        sa.Column("why", sa.String(400), nullable=False),
        sa.Column("ended_by", sa.String(80)),
        sa.Column("ended_at", stamp),
    )
    op.create_table(
        "own_codes",
        sa.Column("code", sa.String(8), primary_key=True),
        sa.Column("text", sa.String(200), nullable=False),
        sa.Column("system", sa.String(20), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("by", sa.String(80), nullable=False),
        sa.Column("at", stamp, nullable=False),
    )


def downgrade() -> None:
    for table in ("own_codes", "patterns"):
        op.drop_table(table)
