"""What finished jobs taught, one line each."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.create_table(
        "cases",
        sa.Column("job_id", sa.String(64), primary_key=True),
        sa.Column("engine", sa.String(120), nullable=False, index=True),
        sa.Column("system", sa.String(30), nullable=False),
        sa.Column("closed_at", sa.DateTime(timezone=True), nullable=False, index=True),
        sa.Column("proven", sa.Boolean, nullable=False),
        sa.Column("made_up", sa.Boolean, nullable=False),
        sa.Column("data", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("cases")
