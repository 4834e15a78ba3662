"""The vacuum circuit of an engine card, as it was copied to it."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.create_table(
        "card_circuits",
        sa.Column("card_name", sa.String(120), primary_key=True),
        sa.Column("data", sa.JSON, nullable=False),
        sa.Column("by", sa.String(80), nullable=False, server_default=""),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("card_circuits")
