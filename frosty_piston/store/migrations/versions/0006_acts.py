"""What each press wrote, by its key; what is on a tape is never changed or taken off."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "acts",
        sa.Column("job_id", sa.String(64), sa.ForeignKey("jobs.id"), primary_key=True),
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("content", sa.String(64), nullable=False),
        sa.Column("entries", sa.JSON, nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    for act in ("UPDATE", "DELETE"):
        op.execute(
            f"CREATE TRIGGER entries_no_{act.lower()} BEFORE {act} ON entries"
            " BEGIN SELECT RAISE(ABORT, 'a tape is never changed'); END"
        )


def downgrade() -> None:
    for act in ("update", "delete"):
        op.execute(f"DROP TRIGGER entries_no_{act}")
    op.drop_table("acts")
