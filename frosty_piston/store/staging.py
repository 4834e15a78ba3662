"""Many entries at once: written aside in slices, so that others write between them, and put on their tape in
one go."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from itertools import islice
from typing import Any
from uuid import uuid4

from sqlalchemy import Engine, delete, insert, literal, select
from sqlalchemy.orm import Session

from .database import write_session
from .tables import ChainRow, EntryRow, StagedRow

SLICE = 2000


EntryText = tuple[str, str, str]  # of an entry its id, its text, its link of the chain


@dataclass(frozen=True)
class Prepared:
    """Entries ready for a tape: their rows where they are few, else the batch under which they lie aside."""

    rows: tuple[EntryText, ...]
    at: datetime
    batch: str | None = None

    def put(self, session: Session, job_id: str) -> None:
        """Put them on the tape of a job, with the links of its chain."""
        if self.batch is not None:
            self._move(session, job_id)
        elif self.rows:
            entries = [
                {"job_id": job_id, "id": entry_id, "raw": raw, "written_at": self.at}
                for entry_id, raw, _ in self.rows
            ]
            links = [{"job_id": job_id, "id": entry_id, "hash": link} for entry_id, _, link in self.rows]
            session.execute(insert(EntryRow), entries)
            session.execute(insert(ChainRow), links)

    def _move(self, session: Session, job_id: str) -> None:
        of_batch = StagedRow.batch == self.batch
        entries = select(literal(job_id), StagedRow.id, StagedRow.raw, StagedRow.written_at)
        session.execute(
            insert(EntryRow).from_select(
                ["job_id", "id", "raw", "written_at"], entries.where(of_batch).order_by(StagedRow.seq)
            )
        )
        links = select(literal(job_id), StagedRow.id, StagedRow.hash)
        session.execute(insert(ChainRow).from_select(["job_id", "id", "hash"], links.where(of_batch)))


@contextmanager
def prepared(engine: Engine, rows: Iterable[EntryText], count: int, at: datetime) -> Iterator[Prepared]:
    """Make entries ready for a tape. Many of them are written aside first, in a transaction for each slice,
    and taken off there again whatever becomes of them."""
    if count <= SLICE:
        yield Prepared(tuple(rows), at)
        return
    batch = str(uuid4())
    numbered = enumerate(rows)
    try:
        while part := list(islice(numbered, SLICE)):
            _stage(
                engine,
                [
                    {
                        "batch": batch,
                        "seq": seq,
                        "id": row[0],
                        "raw": row[1],
                        "hash": row[2],
                        "written_at": at,
                    }
                    for seq, row in part
                ],
            )
        yield Prepared((), at, batch)
    finally:
        _drop(engine, batch, count)


def _stage(engine: Engine, part: list[dict[str, Any]]) -> None:
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
