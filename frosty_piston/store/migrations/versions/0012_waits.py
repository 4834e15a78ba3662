"""The open waits of a job beside it, so that alarms are listed without reading a tape."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.add_column("jobs", sa.Column("waits", sa.JSON))


def downgrade() -> None:
    op.drop_column("jobs", "waits")
