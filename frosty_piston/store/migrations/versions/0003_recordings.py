"""Recordings: the file as it came in, and its channels as compressed arrays."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    stamp = sa.DateTime(timezone=True)
    op.create_table(
        "attachments",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("job_id", sa.String(64), sa.ForeignKey("jobs.id"), nullable=False, index=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        sa.Column("by", sa.String(80), nullable=False),
        sa.Column("at", stamp, nullable=False),
    )
    op.create_table(
        "traces",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("job_id", sa.String(64), sa.ForeignKey("jobs.id"), nullable=False, index=True),
        sa.Column("attachment_id", sa.String(64), sa.ForeignKey("attachments.id")),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("channels", sa.JSON, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        sa.Column("at", stamp, nullable=False),
    )


def downgrade() -> None:
    for table in ("traces", "attachments"):
        op.drop_table(table)
