"""The jobs that are done are listed newest first."""

from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_index("jobs_newest", "jobs", ["closed", "opened_at"])


def downgrade() -> None:
    op.drop_index("jobs_newest", "jobs")
