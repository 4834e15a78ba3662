"""First layout: cards, vehicles, jobs, entries, people, settings."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "engine_cards",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(120), nullable=False, unique=True),
        sa.Column("data", sa.JSON, nullable=False),
    )
    op.create_table(
        "vehicles",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(120), nullable=False, unique=True),
        sa.Column("data", sa.JSON, nullable=False),
        sa.Column("engine_card_id", sa.Integer, sa.ForeignKey("engine_cards.id")),
    )
    stamp = sa.DateTime(timezone=True)
    op.create_table(
        "jobs",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("head", sa.JSON, nullable=False),
        sa.Column("vehicle", sa.JSON, nullable=False),
        sa.Column("engine", sa.JSON, nullable=False),
        sa.Column("vehicle_id", sa.Integer, sa.ForeignKey("vehicles.id"), index=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("opened_at", stamp, nullable=False),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("vehicle_name", sa.String(120), nullable=False),
        sa.Column("stage", sa.String(20), nullable=False),
        sa.Column("next_step", sa.String(200), nullable=False),
        sa.Column("status", sa.String(20), nullable=False),
        sa.Column("suspect", sa.String(120), nullable=False),
        sa.Column("waiting_for", sa.String(200)),
        sa.Column("waiting_until", stamp),
        sa.Column("deadline", stamp),
        sa.Column("closed", sa.Boolean, nullable=False),
    )
    op.create_index("jobs_open", "jobs", ["closed", "waiting_until"])
    op.create_table(
        "entries",
        sa.Column("seq", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("job_id", sa.String(64), sa.ForeignKey("jobs.id"), nullable=False, index=True),
        sa.Column("id", sa.String(64), nullable=False),
        sa.Column("raw", sa.Text, nullable=False),
        sa.Column("written_at", stamp, nullable=False),
        sa.UniqueConstraint("job_id", "id"),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "people",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(80), nullable=False, unique=True),
    )
    op.create_table(
        "settings",
        sa.Column("key", sa.String(60), primary_key=True),
        sa.Column("value", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    for table in ("settings", "people", "entries", "jobs", "vehicles", "engine_cards"):
        op.drop_table(table)
