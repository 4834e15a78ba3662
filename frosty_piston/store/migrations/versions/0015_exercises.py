"""Exercises on simulated vehicles, and those that were set for several people."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.create_table(
        "exercises",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("person", sa.String(80), nullable=False, server_default="", index=True),
        sa.Column("lesson", sa.String(30), nullable=False),
        sa.Column("spec", sa.JSON, nullable=False),
        sa.Column("rate", sa.Integer, nullable=False),
        sa.Column("acts", sa.JSON, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.Column("set_id", sa.String(64), nullable=False, server_default="", index=True),
        sa.Column("result", sa.JSON),
    )
    op.create_table(
        "exercise_sets",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("title", sa.String(120), nullable=False),
        sa.Column("spec", sa.JSON, nullable=False),
        sa.Column("people", sa.JSON, nullable=False),
        sa.Column("made_by", sa.String(80), nullable=False, server_default=""),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("exercise_sets")
    op.drop_table("exercises")
