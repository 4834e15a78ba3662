"""A version on each vehicle and engine card, each version kept; a key on each pattern that was written."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
CARDS = ("vehicles", "engine_cards")


def upgrade() -> None:
    op.create_table(
        "card_versions",
        sa.Column("kind", sa.String(20), primary_key=True),
        sa.Column("card_id", sa.Integer, primary_key=True),
        sa.Column("version", sa.Integer, primary_key=True),
        sa.Column("data", sa.JSON, nullable=False),
        sa.Column("by", sa.String(80), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    for table in CARDS:
        op.add_column(table, sa.Column("version", sa.Integer, nullable=False, server_default="1"))
        op.execute(
            "INSERT INTO card_versions (kind, card_id, version, data, by, at)"
            f" SELECT '{table}', id, 1, data, '', CURRENT_TIMESTAMP FROM {table}"
        )
    op.add_column("patterns", sa.Column("key", sa.String(64)))
    op.create_index("patterns_key", "patterns", ["key"], unique=True)


def downgrade() -> None:
    op.drop_index("patterns_key", "patterns")
    op.drop_column("patterns", "key")
    for table in CARDS:
        op.drop_column(table, "version")
    op.drop_table("card_versions")
