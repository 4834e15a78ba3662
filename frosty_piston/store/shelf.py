"""The workshop's own part of the shelf: patterns, texts for a maker's own codes, tools it lacks."""

from collections.abc import Callable, Iterable
from datetime import datetime
from threading import Lock

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import BadInput, Fault, NotHere
from frosty_piston.job.afterwards.experience import LEAST_TIMES, MOST_TIMES, Experience, OwnCode, Pattern
from frosty_piston.knowledge import Knowledge

from .database import write_session
from .tables import OwnCodeRow, PatternRow, SettingRow
from .timestamps import now, utc

LACKING = "lacking_tools"
FLOORS = "countdown_floors"


def _pattern(row: PatternRow) -> Pattern:
    return Pattern(row.id, row.engine, row.fault, times=row.times, by=row.by, at=utc(row.at), why=row.why)


class Shelf:
    """What a workshop has added. `changed` is called with the engine's name, or None when every job may be
    touched."""

    def __init__(self, engine: Engine, knowledge: Knowledge, changed: Callable[[str | None], None]):
        self.engine = engine
        self.knowledge = knowledge
        self._changed = changed
        self._experience: Experience | None = None
        self._reading = Lock()

    @property
    def experience(self) -> Experience:
        known = self._experience
        if known is not None:
            return known
        with self._reading:  # what is read before a change must not be kept after it
            self._experience = self._experience or self._read()
            return self._experience

    def _read(self) -> Experience:
        with Session(self.engine) as session:
            patterns = tuple(
                _pattern(r)
                for r in session.scalars(
                    select(PatternRow).where(PatternRow.ended_at.is_(None)).order_by(PatternRow.id)
                )
            )
            codes = {
                r.code: OwnCode(r.code, r.text, r.system, r.kind, r.by)
                for r in session.scalars(select(OwnCodeRow).order_by(OwnCodeRow.code))
            }
            row = session.get(SettingRow, LACKING)
            floors = session.get(SettingRow, FLOORS)
        lacking = frozenset(row.value["tools"] if row else ())
        return Experience(patterns, codes, lacking, floors.value if floors else {})

    def _touched(self, engine: str | None) -> None:
        with self._reading:
            self._experience = None
        self._changed(engine)

    def ended_patterns(self) -> list[tuple[Pattern, str, datetime]]:
        """The patterns that were taken down: each with who did it and when."""
        with Session(self.engine) as session:
            rows = session.scalars(
                select(PatternRow)
                .where(PatternRow.ended_at.is_not(None))
                .order_by(PatternRow.ended_at.desc())
                .limit(40)
            )
            return [(_pattern(r), r.ended_by or "", utc(r.ended_at)) for r in rows if r.ended_at]

    def check_pattern(self, engine: str, fault: str, by: str, why: str, found: list[Fault]) -> None:
        """Raise BadInput for what is wrong with a pattern, together with what was `found` already."""
        faults = list(found)
        if not engine.strip() or len(engine) > 120:
            faults.append(Fault("engine", "name the engine card, at most 120 signs"))
        if fault not in self.knowledge.faults:
            faults.append(Fault("fault", "choose a fault of the list"))
        if not by.strip():
            faults.append(Fault("by", "say who writes it"))
        if len(why.strip()) < 3:
            faults.append(Fault("why", "say what it rests on, as: four of the last five"))
        if faults:
            raise BadInput(faults)

    def add_pattern(
        self,
        engine: str,
        fault: str,
        times: float,
        by: str,
        why: str,
        at: datetime | None = None,
        key: str | None = None,
    ) -> int:
        """Write a pattern down, once for each key. Raises BadInput with every fault of it."""
        out = (
            []
            if LEAST_TIMES <= times <= MOST_TIMES
            else [
                Fault(
                    "times",
                    f"{times:g} is out of reach; {LEAST_TIMES:g} to {MOST_TIMES:g} is allowed, so that"
                    " experience never hides a proof test",
                )
            ]
        )
        self.check_pattern(engine, fault, by, why, out)
        with write_session(self.engine) as session:
            known = select(PatternRow.id).where(PatternRow.key == key)
            if key and (number := session.scalar(known)) is not None:
                return number
            row = PatternRow(
                key=key,
                engine=engine.strip(),
                fault=fault,
                times=times,
                by=by.strip()[:80],
                at=at or now(),
                why=why.strip()[:400],
            )
            session.add(row)
            session.flush()
            number = row.id
        self._touched(engine.strip())
        return number

    def end_pattern(self, number: int, by: str) -> None:
        """Take a pattern down; it stays readable with who did it. Raises NotHere."""
        with write_session(self.engine) as session:
            row = session.get(PatternRow, number)
            if row is None:
                raise NotHere("There is no such pattern.")
            if row.ended_at is None:
                row.ended_by = by[:80]
                row.ended_at = now()
            engine = row.engine
        self._touched(engine)

    def save_code(self, code: OwnCode) -> None:
        """Keep the workshop's own text for a code; a second one replaces the first."""
        with write_session(self.engine) as session:
            session.merge(
                OwnCodeRow(
                    code=code.code,
                    text=code.text,
                    system=code.system,
                    kind=code.kind,
                    by=code.by,
                    at=now(),
                )
            )
        self._touched(None)

    def drop_code(self, code: str) -> None:
        with write_session(self.engine) as session:
            if (row := session.get(OwnCodeRow, code)) is None:
                raise NotHere("There is no such code of your own.")
            session.delete(row)
        self._touched(None)

    def lack(self, tools: Iterable[str]) -> None:
        """Say which tools this workshop does not have."""
        names = sorted(set(tools) & set(self.knowledge.tools))
        if self.experience.lacking == frozenset(names):
            return
        with write_session(self.engine) as session:
            session.merge(SettingRow(key=LACKING, value={"tools": names}))
        self._touched(None)

    def keep_back(self, floors: dict[str, float]) -> None:
        """Say what this workshop keeps back of a countdown, by its axis."""
        with write_session(self.engine) as session:
            session.merge(SettingRow(key=FLOORS, value=floors))
        self._touched(None)
