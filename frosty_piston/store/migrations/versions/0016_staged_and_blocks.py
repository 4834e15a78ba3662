"""Entries of a large import are written aside first; what files and recordings hold is kept once, by its
hash, whichever job it belongs to; where a session was begun; a hash of every thumbnail."""

import hashlib

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
STAMP = sa.DateTime(timezone=True)


def _attachments(name: str, data: bool) -> None:
    op.create_table(
        name,
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("job_id", sa.String(64), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        *([sa.Column("data", sa.LargeBinary, nullable=False)] if data else []),
        sa.Column("hash", sa.String(64), nullable=False, server_default=""),
        sa.Column("by", sa.String(80), nullable=False),
        sa.Column("at", STAMP, nullable=False),
    )


def _traces(name: str, attachments: str, data: bool) -> None:
    op.create_table(
        name,
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("job_id", sa.String(64), sa.ForeignKey("jobs.id"), primary_key=not data, nullable=False),
        sa.Column("attachment_id", sa.String(64), sa.ForeignKey(f"{attachments}.id")),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("channels", sa.JSON, nullable=False),
        *([sa.Column("data", sa.LargeBinary, nullable=False)] if data else []),
        sa.Column("hash", sa.String(64), nullable=False, server_default=""),
        sa.Column("at", STAMP, nullable=False),
    )


ATTACHMENTS = "id, job_id, name, size, hash, by, at"
TRACES = "id, job_id, attachment_id, name, channels, hash, at"


def _replace() -> None:
    """The new tables take the names of the old ones; what refers to a table goes before it."""
    op.drop_table("traces")
    op.drop_table("attachments")
    for table in ("attachments", "traces"):
        op.rename_table(f"{table}_new", table)
        op.create_index(f"ix_{table}_job_id", table, ["job_id"])


def upgrade() -> None:
    op.create_table(
        "staged_entries",
        sa.Column("batch", sa.String(36), primary_key=True),
        sa.Column("seq", sa.Integer, primary_key=True),
        sa.Column("id", sa.String(64), nullable=False),
        sa.Column("raw", sa.Text, nullable=False),
        sa.Column("hash", sa.String(64), nullable=False),
        sa.Column("written_at", STAMP, nullable=False),
    )
    op.create_table(
        "blocks",
        sa.Column("hash", sa.String(64), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    for table in ("attachments", "traces"):
        op.execute(
            f"INSERT INTO blocks (hash, data) SELECT hash, data FROM {table} WHERE true"
            " ON CONFLICT (hash) DO NOTHING"
        )
    _attachments("attachments_new", data=False)
    _traces("traces_new", "attachments_new", data=False)
    op.execute(f"INSERT INTO attachments_new ({ATTACHMENTS}) SELECT {ATTACHMENTS} FROM attachments")
    op.execute(f"INSERT INTO traces_new ({TRACES}) SELECT {TRACES} FROM traces")
    _replace()
    op.add_column("sessions", sa.Column("address", sa.String(64), nullable=False, server_default=""))
    op.add_column("images", sa.Column("thumb_hash", sa.String(64), nullable=False, server_default=""))
    connection = op.get_bind()
    for key, thumb in connection.execute(sa.text("SELECT hash, thumb FROM images")).all():
        connection.execute(
            sa.text("UPDATE images SET thumb_hash = :thumb WHERE hash = :key"),
            {"thumb": hashlib.sha256(thumb).hexdigest(), "key": key},
        )


def downgrade() -> None:
    op.drop_column("images", "thumb_hash")
    op.drop_column("sessions", "address")
    _attachments("attachments_new", data=True)
    _traces("traces_new", "attachments_new", data=True)
    for table, columns in (("attachments", ATTACHMENTS), ("traces", TRACES)):
        mine = ", ".join(f"{table}.{column}" for column in columns.split(", "))
        op.execute(
            f"INSERT INTO {table}_new ({columns}, data) SELECT {mine}, blocks.data"
            f" FROM {table} JOIN blocks ON blocks.hash = {table}.hash"
        )
    _replace()
    op.drop_table("blocks")
    op.drop_table("staged_entries")
