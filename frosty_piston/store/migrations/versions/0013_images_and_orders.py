"""Pictures, kept once by their content, and the parts that are ordered for jobs."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.create_table(
        "images",
        sa.Column("hash", sa.String(64), primary_key=True),
        sa.Column("width", sa.Integer, nullable=False),
        sa.Column("height", sa.Integer, nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        sa.Column("thumb", sa.LargeBinary, nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "orders",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("job_id", sa.String(64), sa.ForeignKey("jobs.id"), nullable=False, index=True),
        sa.Column("what", sa.String(200), nullable=False),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("supplier", sa.String(120), nullable=False, server_default=""),
        sa.Column("price", sa.Integer),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("made_by", sa.String(80), nullable=False, server_default=""),
        sa.Column("ordered_at", sa.DateTime(timezone=True)),
        sa.Column("due_at", sa.DateTime(timezone=True)),
        sa.Column("arrived_at", sa.DateTime(timezone=True)),
        sa.Column("arrived_by", sa.String(80), nullable=False, server_default=""),
        sa.Column("wait_id", sa.String(64), nullable=False, server_default=""),
    )


def downgrade() -> None:
    op.drop_table("orders")
    op.drop_table("images")
