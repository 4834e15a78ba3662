"""Exercises on simulated vehicles: kept in a database of their own, so that nothing of them is ever among the
real jobs."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from threading import Lock
from typing import Any
from uuid import uuid4

from sqlalchemy import Engine, delete, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import Conflict, NotHere

from .database import write_session
from .tables import (
    ActRow,
    AttachmentRow,
    BlockRow,
    ChainRow,
    EntryRow,
    ExerciseRow,
    ExerciseSetRow,
    JobRow,
    TraceRow,
)
from .timestamps import now, utc

TRAINING = "training-"
OF_A_JOB = (ActRow, TraceRow, AttachmentRow, ChainRow, EntryRow)
MOST_LISTED = 400
MOST_STATES = 40


def is_training(job_id: str) -> bool:
    """Whether an id is that of a training vehicle."""
    return job_id.startswith(TRAINING)


@dataclass(frozen=True)
class Exercise:
    """An exercise as it is kept. `result`: what was said afterwards, once it was asked for."""

    id: str
    person: str
    lesson: str
    spec: dict[str, Any]
    rate: int
    acts: tuple[dict[str, Any], ...]
    made_at: datetime
    ended_at: datetime | None
    set_id: str
    result: dict[str, Any] | None


@dataclass(frozen=True)
class ExerciseSet:
    """An exercise that was set for several people."""

    id: str
    title: str
    spec: dict[str, Any]
    people: tuple[str, ...]
    made_by: str
    made_at: datetime


def _exercise(row: ExerciseRow) -> Exercise:
    ended = utc(row.ended_at) if row.ended_at else None
    return Exercise(
        row.id,
        row.person,
        row.lesson,
        spec=row.spec,
        rate=row.rate,
        acts=tuple(row.acts),
        made_at=utc(row.made_at),
        ended_at=ended,
        set_id=row.set_id,
        result=row.result,
    )


def _set(row: ExerciseSetRow) -> ExerciseSet:
    return ExerciseSet(
        row.id, row.title, row.spec, people=tuple(row.people), made_by=row.made_by, made_at=utc(row.made_at)
    )


class Exercises:
    """Keeps exercises and sets. Safe to use from several threads; every write is one transaction."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._states: dict[str, Any] = {}
        self._keeping = Lock()

    def new(
        self,
        lesson: str,
        spec: dict[str, Any],
        rate: int,
        person: str,
        set_id: str = "",
        exercise_id: str | None = None,
    ) -> str:
        """Keep a new exercise, and answer its id; with an id that is known already, answer that one."""
        exercise_id = exercise_id or f"{TRAINING}{uuid4().hex[:12]}"
        row = ExerciseRow(
            id=exercise_id,
            person=person,
            lesson=lesson,
            spec=spec,
            rate=rate,
            acts=[],
            made_at=now(),
            set_id=set_id,
        )
        with write_session(self.engine) as session:
            if session.get(ExerciseRow, exercise_id) is None:
                session.add(row)
        return exercise_id

    def get(self, exercise_id: str) -> Exercise:
        """One exercise. Raises NotHere."""
        with Session(self.engine) as session:
            row = session.get(ExerciseRow, exercise_id)
            if row is None:
                raise NotHere(f"There is no exercise {exercise_id[:64]!r} here.")
            return _exercise(row)

    def add(self, exercise_id: str, seen: int, act: dict[str, Any], ended: bool) -> None:
        """Keep one more act. `seen`: how many there were when it was pressed; raises Conflict when there are
        more by now, NotHere."""
        with write_session(self.engine) as session:
            row = session.get(ExerciseRow, exercise_id)
            if row is None:
                raise NotHere(f"There is no exercise {exercise_id[:64]!r} here.")
            if len(row.acts) != seen or row.ended_at:
                raise Conflict("Something was done in this exercise meanwhile: look at what stands.")
            row.acts = [*row.acts, act]
            row.ended_at = now() if ended else None

    def state(self, exercise_id: str) -> Any:
        """What was worked out of an exercise and kept in memory; None where nothing is kept."""
        return self._states.get(exercise_id)

    def keep_state(self, exercise_id: str, state: Any) -> None:
        """Keep what was worked out of an exercise; the oldest are forgotten."""
        with self._keeping:
            self._states.pop(exercise_id, None)
            self._states[exercise_id] = state
            while len(self._states) > MOST_STATES:
                self._states.pop(next(iter(self._states)))

    def keep_result(self, exercise_id: str, result: dict[str, Any]) -> None:
        with write_session(self.engine) as session:
            row = session.get(ExerciseRow, exercise_id)
            if row is not None:
                row.result = result

    def listed(self, person: str | None = None, set_id: str | None = None) -> list[Exercise]:
        """The exercises of somebody or of a set, newest first."""
        asked = select(ExerciseRow).order_by(ExerciseRow.made_at.desc()).limit(MOST_LISTED)
        if person is not None:
            asked = asked.where(ExerciseRow.person == person)
        if set_id is not None:
            asked = asked.where(ExerciseRow.set_id == set_id)
        with Session(self.engine) as session:
            return [_exercise(r) for r in session.scalars(asked)]

    def remove(self, exercise_ids: Sequence[str]) -> None:
        """Take exercises away for good, their jobs and recordings with them."""
        with write_session(self.engine) as session:
            for table in OF_A_JOB:
                session.execute(delete(table).where(table.job_id.in_(exercise_ids)))
            used = select(TraceRow.hash).union(select(AttachmentRow.hash))
            session.execute(delete(BlockRow).where(BlockRow.hash.not_in(used)))
            session.execute(delete(JobRow).where(JobRow.id.in_(exercise_ids)))
            session.execute(delete(ExerciseRow).where(ExerciseRow.id.in_(exercise_ids)))

    def new_set(self, title: str, spec: dict[str, Any], people: Sequence[str], by: str) -> str:
        row = ExerciseSetRow(
            id=uuid4().hex[:12], title=title, spec=spec, people=list(people), made_by=by, made_at=now()
        )
        with write_session(self.engine) as session:
            session.add(row)
            session.flush()
            return row.id

    def sets(self) -> list[ExerciseSet]:
        """What was set, newest first."""
        with Session(self.engine) as session:
            asked = select(ExerciseSetRow).order_by(ExerciseSetRow.made_at.desc()).limit(MOST_LISTED)
            return [_set(r) for r in session.scalars(asked)]

    def remove_set(self, set_id: str) -> None:
        with write_session(self.engine) as session:
            session.execute(delete(ExerciseSetRow).where(ExerciseSetRow.id == set_id))
