"""People who sign in: a passphrase and a right, sessions, tokens for programs; who brought a job in."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.add_column("people", sa.Column("passphrase", sa.String(200)))
    op.add_column("people", sa.Column("right", sa.String(10), nullable=False, server_default="work"))
    op.add_column("jobs", sa.Column("imported_by", sa.String(80), nullable=False, server_default=""))
    for table, more in (("sessions", ()), ("tokens", (sa.Column("name", sa.String(80), nullable=False),))):
        op.create_table(
            table,
            sa.Column("hash", sa.String(64), primary_key=True),
            sa.Column("person_id", sa.Integer, sa.ForeignKey("people.id"), nullable=False),
            sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
            sa.Column("seen_at", sa.DateTime(timezone=True), nullable=False),
            *more,
        )


def downgrade() -> None:
    for table in ("tokens", "sessions"):
        op.drop_table(table)
    op.drop_column("jobs", "imported_by")
    op.drop_column("people", "right")
    op.drop_column("people", "passphrase")
