"""The countdown on the yard, and the reset plans that worked on an engine card."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.create_table(
        "card_plans",
        sa.Column("card_name", sa.String(120), primary_key=True),
        sa.Column("plan", sa.String(60), primary_key=True),
        sa.Column("data", sa.JSON, nullable=False),
        sa.Column("job_id", sa.String(64), nullable=False, server_default=""),
        sa.Column("by", sa.String(80), nullable=False, server_default=""),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.add_column("jobs", sa.Column("countdown", sa.JSON))


def downgrade() -> None:
    op.drop_column("jobs", "countdown")
    op.drop_table("card_plans")
