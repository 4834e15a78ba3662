"""Where the next step of a job is done, beside its words."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("jobs", sa.Column("next_where", sa.JSON, nullable=True))


def downgrade() -> None:
    op.drop_column("jobs", "next_where")
