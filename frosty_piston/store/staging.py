"""Many entries at once: written aside in slices, so that others write between them, and put on their tape in
one go."""

import json
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import uuid4

from sqlalchemy import Engine, delete, insert, literal, select
from sqlalchemy.orm import Session

from frosty_piston.job.jobfile import chain_of

from .database import write_session
from .tables import ChainRow, EntryRow, JobRow, StagedRow

SLICE = 2000


@dataclass(frozen=True)
class Prepared:
    """Entries ready for a tape: their rows where they are few, else the batch under which they lie aside."""

    rows: list[dict[str, Any]]
    head: str
    batch: str | None = None

    def put(self, session: Session, job: JobRow) -> None:
        """Put them on the tape of a job, with the links of its chain."""
        if self.batch is not None:
            self._move(session, job.id)
        elif self.rows:
            entries = [{key: row[key] for key in ("id", "raw", "written_at")} for row in self.rows]
            links = [{key: row[key] for key in ("id", "hash")} for row in self.rows]
            session.execute(insert(EntryRow), [{"job_id": job.id, **row} for row in entries])
            session.execute(insert(ChainRow), [{"job_id": job.id, **row} for row in links])
        job.chain_head = self.head

    def _move(self, session: Session, job_id: str) -> None:
        of_batch = StagedRow.batch == self.batch
        entries = select(literal(job_id), StagedRow.id, StagedRow.raw, StagedRow.written_at)
        session.execute(
            insert(EntryRow).from_select(
                ["job_id", "id", "raw", "written_at"], entries.where(of_batch).order_by(StagedRow.seq)
            )
        )
        links = select(literal(job_id), StagedRow.id, StagedRow.hash)
        session.execute(
            insert(ChainRow).from_select(
                ["job_id", "id", "hash"], links.where(of_batch).order_by(StagedRow.seq)
            )
        )


@contextmanager
def prepared(engine: Engine, raws: list[dict[str, Any]], head: str, at: datetime) -> Iterator[Prepared]:
    """Make entries ready for a tape whose chain ends in `head`. Many of them are written aside first, in a
    transaction for each slice, and taken off there again whatever becomes of them."""
    links = chain_of(raws, head)
    rows = (
        {
            "id": raw["id"],
            "raw": json.dumps(raw, ensure_ascii=False),
            "hash": links[raw["id"]],
            "written_at": at,
        }
        for raw in raws
    )
    head = links[raws[-1]["id"]] if raws else head
    if len(raws) <= SLICE:
        yield Prepared(list(rows), head)
        return
    batch = str(uuid4())
    try:
        part: list[dict[str, Any]] = []
        for number, row in enumerate(rows):
            part.append({"batch": batch, "seq": number, **row})
            if len(part) == SLICE:
                _stage(engine, part)
                part = []
        _stage(engine, part)
        yield Prepared([], head, batch)
    finally:
        _drop(engine, batch, len(raws))


def _stage(engine: Engine, part: list[dict[str, Any]]) -> None:
    if part:
        with write_session(engine) as session:
            session.execute(insert(StagedRow), part)


def _drop(engine: Engine, batch: str, count: int) -> None:
    for begin in range(0, count, SLICE):
        with write_session(engine) as session:
            session.execute(
                delete(StagedRow).where(
                    StagedRow.batch == batch, StagedRow.seq >= begin, StagedRow.seq < begin + SLICE
                )
            )


def drop_staged(engine: Engine) -> None:
    """Drop what lies aside from a start that was cut short."""
    with Session(engine) as session:
        left = session.scalar(select(StagedRow.batch).limit(1))
    if left is not None:
        with write_session(engine) as session:
            session.execute(delete(StagedRow))
