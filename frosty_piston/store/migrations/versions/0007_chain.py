"""The chain of every tape beside its entries, and the hash of every file and recording."""

import hashlib
import json

import sqlalchemy as sa
from alembic import op

from frosty_piston.job.tape.jobfile import chain_of

revision = "0007"
down_revision = "0006"
KEPT = ("attachments", "traces")


def upgrade() -> None:
    op.create_table(
        "chain",
        sa.Column("job_id", sa.String(64), sa.ForeignKey("jobs.id"), primary_key=True),
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("hash", sa.String(64), nullable=False),
    )
    op.add_column("jobs", sa.Column("chain_head", sa.String(64), nullable=False, server_default=""))
    connection = op.get_bind()
    for (job_id,) in connection.execute(sa.text("SELECT id FROM jobs")).all():
        asked = sa.text("SELECT raw FROM entries WHERE job_id = :job ORDER BY seq")
        chain = chain_of([json.loads(raw) for (raw,) in connection.execute(asked, {"job": job_id})])
        for entry_id, link in chain.items():
            connection.execute(
                sa.text("INSERT INTO chain (job_id, id, hash) VALUES (:job, :id, :hash)"),
                {"job": job_id, "id": entry_id, "hash": link},
            )
        head = list(chain.values())[-1] if chain else ""
        connection.execute(
            sa.text("UPDATE jobs SET chain_head = :head WHERE id = :job"), {"head": head, "job": job_id}
        )
    for table in KEPT:
        op.add_column(table, sa.Column("hash", sa.String(64), nullable=False, server_default=""))
        for key, data in connection.execute(sa.text(f"SELECT id, data FROM {table}")).all():
            connection.execute(
                sa.text(f"UPDATE {table} SET hash = :hash WHERE id = :id"),
                {"hash": hashlib.sha256(data).hexdigest(), "id": key},
            )
    for act in ("UPDATE", "DELETE"):
        op.execute(
            f"CREATE TRIGGER chain_no_{act.lower()} BEFORE {act} ON chain"
            " BEGIN SELECT RAISE(ABORT, 'a chain is never changed'); END"
        )


def downgrade() -> None:
    for act in ("update", "delete"):
        op.execute(f"DROP TRIGGER chain_no_{act}")
    for table in KEPT:
        op.drop_column(table, "hash")
    op.drop_column("jobs", "chain_head")
    op.drop_table("chain")
