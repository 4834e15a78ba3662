"""The yard: which jobs stand there, in the order in which they can be worked on, and how one is found."""

from typing import Any

from sqlalchemy import Engine, Row, func, select
from sqlalchemy.orm import Session

from .tables import JobRow
from .timestamps import now

# A list needs no vehicle, engine or head, and no row that could be written back.
LISTED = select(*(c for c in JobRow.__table__.columns if c.name not in ("head", "vehicle", "engine")))


class Yard:
    """Lists jobs from their columns alone; no tape is read."""

    def __init__(self, engine: Engine):
        self.engine = engine

    def jobs(self, closed: bool = False, limit: int = 60) -> list[Row[Any]]:
        """The jobs of the yard: what can be worked on now first, then by deadline, then by the end of the
        wait."""
        waiting = func.coalesce(JobRow.waiting_until > now(), False)
        with Session(self.engine) as session:
            order = (
                (JobRow.opened_at.desc(),)
                if closed
                else (
                    waiting,
                    JobRow.deadline.is_(None),
                    JobRow.deadline,
                    JobRow.waiting_until,
                    JobRow.opened_at,
                )
            )
            rows = list(session.execute(LISTED.where(JobRow.closed == closed).order_by(*order).limit(limit)))
        return rows

    def open_one(self, job_id: str) -> Row[Any] | None:
        """An open job; None where there is none of that id, or it is closed."""
        with Session(self.engine) as session:
            return session.execute(LISTED.where(JobRow.id == job_id, JobRow.closed.is_(False))).first()

    def waiting(self) -> list[Row[Any]]:
        """The open jobs that have waits nobody ended, with them."""
        asked = select(JobRow.id, JobRow.vehicle_name, JobRow.waits).where(
            JobRow.closed.is_(False), func.json_array_length(JobRow.waits) > 0
        )
        with Session(self.engine) as session:
            rows = list(session.execute(asked))
        return rows

    def count(self, closed: bool = False) -> int:
        with Session(self.engine) as session:
            return (
                session.scalar(select(func.count()).select_from(JobRow).where(JobRow.closed == closed)) or 0
            )

    def find(self, words: list[str], most: int) -> list[Row[Any]]:
        """Jobs whose title or vehicle holds every word, newest first."""
        wanted = [
            func.lower(JobRow.title + " " + JobRow.vehicle_name).contains(w, autoescape=True) for w in words
        ]
        with Session(self.engine) as session:
            rows = list(session.execute(LISTED.where(*wanted).order_by(JobRow.opened_at.desc()).limit(most)))
        return rows

    def visits(self, vehicle_id: int | None, but: str, most: int = 10) -> list[Row[Any]]:
        """Earlier jobs of the same vehicle, newest first."""
        if vehicle_id is None:
            return []
        with Session(self.engine) as session:
            rows = list(
                session.execute(
                    LISTED.where(JobRow.vehicle_id == vehicle_id, JobRow.id != but)
                    .order_by(JobRow.opened_at.desc())
                    .limit(most)
                )
            )
        return rows
