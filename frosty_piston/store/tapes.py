"""Jobs and their tapes: opened, brought in, written to, thought through, handed out."""

import json
from collections import OrderedDict
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from functools import partial
from threading import Lock, RLock
from typing import Any, Protocol, TypeVar
from uuid import uuid4

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import BadInput, Busy, Conflict, Damaged, Fault, FrostyPistonError, NotHere
from frosty_piston.job.afterwards.experience import Experience
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.check import Checker, kept, walk
from frosty_piston.job.day.yard_row import listed
from frosty_piston.job.engine import EngineCard, Vehicle
from frosty_piston.job.entries import Entry, Tick
from frosty_piston.job.repair.reset_order import ResetOrder
from frosty_piston.job.repair.resets import latch_bars
from frosty_piston.job.repair.road import Road
from frosty_piston.job.stages import Standing, standing
from frosty_piston.job.tape import jobfile
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.weighing import stopping
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.reset_shapes import ResetPlanShape

from .background import Background
from .database import WRITE_TIMEOUT_S, write_session
from .exercises import TRAINING, is_training
from .fair_lock import NamedLocks
from .garage import NewCards
from .staging import EntryText, drop_staged, prepared
from .tables import ActRow, CardPlanRow, ChainRow, EntryRow, JobRow, VehicleRow
from .timestamps import now, stamp, utc

DAMAGED = (
    "{} cannot be read: the database is damaged. Run ./piston check, and bring a copy back with ./piston"
    " restore."
)
CACHED_JOBS = 64
HUGE_ENTRIES = 10_000  # of jobs with more, one alone is held in memory
MOST_TRIES = 50
MOST_WAITING = 20  # threads that wait for one job to be worked out; the pool of threads has more
BUSY_JOB = "Too many are writing on this job just now. What you sent was not saved: send it again."
BUSY_THINKING = "This job is still being worked out. Load the page again in a few seconds."
A = TypeVar("A")
UNNAMED_VEHICLE, UNNAMED_ENGINE = (model.model_fields["name"].default for model in (Vehicle, EngineCard))


@dataclass(frozen=True)
class JobRecord:
    """A job as it stands: its state thought through, its head as given, and when each entry was written."""

    revision: int
    assessed: Assessed
    standing: Standing
    head: dict[str, Any]
    vehicle_id: int | None
    written: dict[str, datetime]
    views: dict[str, Any] = field(default_factory=dict, compare=False)
    _viewing: Any = field(default_factory=RLock, compare=False, repr=False)

    def view(self, name: str, made: Callable[[], A]) -> A:
        """What a page shows of this state, worked out once: the state never changes. Raises Busy when another
        one has been working it out for too long."""
        if name not in self.views:
            # A view may ask for others of its own job and of none else, so that no two wait for each other.
            if not self._viewing.acquire(timeout=WRITE_TIMEOUT_S):
                raise Busy(BUSY_THINKING)
            try:
                if name not in self.views:
                    self.views[name] = made()
            finally:
                self._viewing.release()
        shown: A = self.views[name]
        return shown

    @property
    def job(self) -> Job:
        return self.assessed.job


@dataclass(frozen=True)
class Act:
    """One press: its key, and what came with it as a hash."""

    key: str
    content: str


@dataclass(frozen=True)
class Written:
    """What a write did: the entries that were new, and whether everything was known already."""

    new: tuple[str, ...]
    known: tuple[str, ...]


class WholeJob(Protocol):
    """A job that was read and worked out apart: its head and cards, what lists show of it, its entries."""

    head: dict[str, Any]
    vehicle: dict[str, Any]
    engine: dict[str, Any]
    columns: dict[str, Any]
    count: int
    chain_head: str

    def rows(self) -> Iterable[EntryText]: ...


class Tapes:
    """Keeps the tapes of all jobs. Safe to use from several threads; every write is one transaction."""

    def __init__(self, engine: Engine, knowledge: Knowledge, experience: Callable[[], Experience]):
        self.engine = engine
        self.knowledge = knowledge
        self._experience = experience
        self._cache: OrderedDict[str, JobRecord] = OrderedDict()
        self._coming: dict[str, JobRecord] = {}
        self._generation = 0
        self._lock = Lock()
        self._thinking = NamedLocks()
        self._writing = NamedLocks()
        self._columns_again = Background("columns of open jobs")
        drop_staged(engine)

    def forget(self) -> None:
        """Drop what is held in memory; the next look reads the file again."""
        with self._lock:
            self._cache.clear()
            self._generation += 1

    def think_again(self, engine: str | None) -> None:
        """The workshop's own experience changed. Pages of a job see it at once; what the lists show of the
        open jobs that it may touch is worked out again in the background, the newest job first."""
        self.forget()
        asked = select(JobRow.id, JobRow.engine).where(JobRow.closed.is_(False))
        with Session(self.engine) as session:
            rows = session.execute(asked.order_by(JobRow.opened_at.desc())).all()
        touched = [job_id for job_id, card in rows if engine is None or card.get("name") == engine]
        self._columns_again.do({job_id: partial(self._show_again, job_id) for job_id in touched})

    def _show_again(self, job_id: str) -> None:
        with suppress(FrostyPistonError):
            record = self.job(job_id)
            columns = listed(record.standing)
            with write_session(self.engine) as session:
                row = session.get(JobRow, job_id)
                if row is not None and row.revision == record.revision:
                    _show(row, columns)

    def settle(self, timeout_s: float = 60.0) -> bool:
        """Wait until the lists show what is known; whether they do."""
        return self._columns_again.settle(timeout_s)

    def close(self) -> None:
        """End what goes on in the background."""
        self._columns_again.close()

    def new_job(
        self,
        title: str = "New job",
        vehicle: dict[str, Any] | None = None,
        engine: dict[str, Any] | None = None,
        vehicle_id: int | None = None,
        job_id: str | None = None,
        opened_at: datetime | None = None,
    ) -> str:
        """Open a job; with a job_id that is known already, answer that one."""
        job_id = job_id or str(uuid4())
        opened = opened_at or now()
        head = {"id": job_id, "title": title, "opened_at": stamp(opened)}
        with write_session(self.engine) as session:
            if session.get(JobRow, job_id) is None:
                session.add(
                    JobRow(
                        id=job_id,
                        head=head,
                        vehicle=vehicle or {"name": UNNAMED_VEHICLE},
                        engine=engine or {"name": UNNAMED_ENGINE},
                        vehicle_id=vehicle_id,
                        opened_at=opened,
                        title=title,
                        vehicle_name=(vehicle or {"name": UNNAMED_VEHICLE})["name"],
                        next_step="Write down the complaint",
                    )
                )
        return job_id

    def import_file(self, data: bytes, by: str = "") -> tuple[str, bool]:
        return self.add_file(jobfile.read(data, self.knowledge), by)

    def add_file(self, file: jobfile.JobFile, by: str = "") -> tuple[str, bool]:
        """Keep a job file. The same file again is the same job; another tape under the same id is a
        Conflict. `by`: who brought it in, where people sign in."""
        raw = file.raw
        row = self._new_row(raw["job"], raw["vehicle"], raw["engine"], by)
        links = jobfile.chain_of(raw["entries"])
        if self._is_here(row, chain_head := list(links.values())[-1] if links else ""):
            return row.id, False
        generation = self._generation
        written = now()
        record = self._record(row, file.entries, dict.fromkeys((e.id for e in file.entries), written))
        rows = [(raw["id"], _text(raw), links[raw["id"]]) for raw in raw["entries"]]
        new = self._opened(
            row, listed(record.standing), rows, count=len(rows), chain_head=chain_head, at=written
        )
        if new:
            self._keep(row.id, record, generation)
        return row.id, new

    def add_long(self, job: WholeJob, by: str = "") -> tuple[str, bool]:
        """Keep a job that was read and worked out apart, as `add_file` does."""
        row = self._new_row(job.head, job.vehicle, job.engine, by)
        if self._is_here(row, job.chain_head):
            return row.id, False
        new = self._opened(row, job.columns, job.rows(), count=job.count, chain_head=job.chain_head, at=now())
        if job.count <= HUGE_ENTRIES:  # now by the workshop's own experience, which its reader did not have
            self._columns_again.do({row.id: partial(self._show_again, row.id)})
        return row.id, new

    def _new_row(
        self, head: dict[str, Any], vehicle: dict[str, Any], engine: dict[str, Any], by: str
    ) -> JobRow:
        """The row of a job that comes in. Raises BadInput for the id of a training vehicle."""
        job_id = head.get("id") or str(uuid4())
        if is_training(job_id):
            raise BadInput([Fault("job.id", f"an id that begins with {TRAINING!r} is a training vehicle's")])
        name = Vehicle.model_validate(vehicle).name
        with Session(self.engine) as session:
            vehicle_id = session.scalar(select(VehicleRow.id).where(VehicleRow.name == name))
        return JobRow(
            id=job_id,
            head={**head, "id": job_id},
            vehicle=vehicle,
            engine=engine,
            vehicle_id=vehicle_id,
            opened_at=jobfile.JobHead.model_validate(head).opened_at or now(),
            title=head["title"],
            vehicle_name=name,
            revision=1,
            imported_by=by,
        )

    def _is_here(self, row: JobRow, chain_head: str) -> bool:
        """Whether a job is here already, by the hash of its tape. Raises Conflict for another tape under its
        id."""
        with Session(self.engine) as session:
            kept_row = session.get(JobRow, row.id)
            if kept_row is None:
                return False
            mine = [kept_row.head, kept_row.vehicle, kept_row.engine, kept_row.chain_head or ""]
        if jobfile.canonical(mine) == jobfile.canonical([row.head, row.vehicle, row.engine, chain_head]):
            return True
        raise Conflict(
            f"A job {row.id!r} is already here and its tape is not the same. Send what is new to its entries,"
            " or give the file another id."
        )

    def _opened(
        self,
        row: JobRow,
        columns: dict[str, Any],
        rows: Iterable[EntryText],
        count: int,
        chain_head: str,
        at: datetime,
    ) -> bool:
        """Write a whole job; False when the same came in meanwhile."""
        with prepared(self.engine, rows, count, at) as entries, write_session(self.engine) as session:
            if session.get(JobRow, row.id) is None:
                session.add(row)
                session.flush()
                entries.put(session, row.id)
                row.chain_head = chain_head
                _show(row, columns)
                session.flush()
                session.expunge(row)
                return True
        self._is_here(row, chain_head)
        return False

    def export(self, job_id: str) -> dict[str, Any]:
        with Session(self.engine) as session:
            return self._export(session, job_id)

    def _export(self, session: Session, job_id: str) -> dict[str, Any]:
        row = session.get(JobRow, job_id)
        if row is None:
            raise NotHere(f"There is no job {job_id[:64]!r} in this workshop.")
        entries = select(EntryRow.id, EntryRow.raw).where(EntryRow.job_id == job_id)
        raws = session.execute(entries.order_by(EntryRow.seq)).all()
        chain = session.execute(select(ChainRow.id, ChainRow.hash).where(ChainRow.job_id == job_id)).all()
        return {
            **({"chain": {key: link for key, link in chain}} if chain else {}),
            "format": jobfile.FORMAT,
            "version": jobfile.VERSION,
            "job": row.head,
            "vehicle": row.vehicle,
            "engine": row.engine,
            "entries": [_json(job_id, entry_id, raw) for entry_id, raw in raws],
        }

    def imported_by(self, job_id: str) -> str:
        """Who brought a job in from a file, where people sign in."""
        with Session(self.engine) as session:
            return session.scalar(select(JobRow.imported_by).where(JobRow.id == job_id)) or ""

    def chain_head(self, job_id: str) -> str:
        """The hash that stands for the whole tape of a job as it is now; empty for an empty one."""
        with Session(self.engine) as session:
            return session.scalar(select(JobRow.chain_head).where(JobRow.id == job_id)) or ""

    def job(self, job_id: str) -> JobRecord:
        """The job as it stands now. One thread works a state out, the others wait for it. Raises NotHere, and
        Busy where that takes too long."""
        if (known := self._known(job_id)) is not None:
            return known
        with self._thinking.of(job_id).hold(WRITE_TIMEOUT_S, BUSY_THINKING, MOST_WAITING):
            if (known := self._known(job_id)) is not None:
                return known
            generation = self._generation
            with Session(self.engine) as session:
                row = session.get(JobRow, job_id)
                assert row is not None, "jobs are never removed"
                entries = select(EntryRow.raw, EntryRow.id, EntryRow.written_at)
                try:
                    rows = session.execute(
                        entries.where(EntryRow.job_id == job_id).order_by(EntryRow.seq)
                    ).all()
                except ValueError:  # the time of an entry is none
                    raise Damaged(DAMAGED.format(f"An entry of the job {job_id}")) from None
            tape = tuple(_read(job_id, entry_id, raw) for raw, entry_id, _ in rows)
            record = self._record(row, tape, {entry_id: utc(at) for _, entry_id, at in rows})
            self._keep(job_id, record, generation)
            return record

    def _known(self, job_id: str) -> JobRecord | None:
        """The state of a job where it was worked out already. Raises NotHere."""
        with Session(self.engine) as session:
            revision = session.scalar(select(JobRow.revision).where(JobRow.id == job_id))
        if revision is None:
            raise NotHere(f"There is no job {job_id[:64]!r} in this workshop.")
        # Between its write and its place in the cache a state stands among those that are coming.
        states = (self._coming.get(job_id), self._cache.get(job_id))
        return next((state for state in states if state is not None and state.revision == revision), None)

    def _record(
        self,
        row: JobRow,
        tape: tuple[Entry, ...],
        written: dict[str, datetime],
    ) -> JobRecord:
        job = Job(
            row.id,
            row.title,
            Vehicle.model_validate(row.vehicle),
            engine=EngineCard.model_validate(row.engine),
            tape=tape,
            opened_at=utc(row.opened_at),
        )
        assessed = Assessed(job, self.knowledge, self._experience())
        return JobRecord(
            row.revision or 0,
            assessed,
            standing(assessed),
            head=row.head,
            vehicle_id=row.vehicle_id,
            written=written,
        )

    def _keep(self, job_id: str, record: JobRecord, generation: int) -> None:
        """Hold a state in memory, unless the workshop's experience changed while it was worked out."""
        with self._lock:
            if generation != self._generation:
                return
            self._cache[job_id] = record
            self._cache.move_to_end(job_id)
            while len(self._cache) > CACHED_JOBS:
                self._cache.popitem(last=False)
            huge = [key for key, one in self._cache.items() if len(one.job.tape) > HUGE_ENTRIES]
            for key in huge[:-1]:
                del self._cache[key]

    def done(self, job_id: str, act: Act) -> tuple[str, ...] | None:
        """The entries that an act wrote, None when it was not done yet. Raises Conflict when its key came
        with other content."""
        with Session(self.engine) as session:
            return _done(session, job_id, act)

    def write(
        self,
        job_id: str,
        raws: list[Any],
        by: str | None = None,
        asks_ticks: bool = False,
        act: Act | None = None,
        cards: NewCards | None = None,
    ) -> Written:
        """Write entries on a job's tape, all or none. An id that is known with the same content is passed
        over. `asks_ticks`: whether what can hurt somebody wants its caution ticked. `act`: the press they
        come from; one that was done writes nothing. `cards`: the vehicle and engine card that the job has
        from now on, written with the entries or not at all.

        Raises BadInput with every fault, Conflict for a known id or act with other content, NotHere.
        """
        with self._writing.of(job_id).hold(WRITE_TIMEOUT_S, BUSY_JOB):
            for _ in range(MOST_TRIES):
                if act is not None and (wrote := self.done(job_id, act)) is not None:
                    return Written((), wrote)
                before = self.job(job_id)
                fresh, old = self._checked(before, raws, by, asks_ticks)
                if not fresh and cards is None:
                    return Written((), old)
                if cards is not None:
                    cards.look(before.job)
                # Thought through before the transaction: other writers wait for a write, never for a thought.
                after = self._gone_on(before, [entry for entry, _ in fresh], cards)
                generation = self._generation
                try:
                    if cards is None:  # else which vehicle it is is found out while it is written
                        self._coming[job_id] = after
                    if self._written(before, after, fresh, old=old, act=act, cards=cards):
                        if cards is None:
                            self._keep(job_id, after, generation)
                        return Written(tuple(e.id for e, _ in fresh), old)
                finally:
                    self._coming.pop(job_id, None)
            raise Busy(BUSY_JOB)

    def _checked(
        self, record: JobRecord, raws: list[Any], by: str | None, asks_ticks: bool
    ) -> tuple[list[tuple[Entry, dict[str, Any]]], tuple[str, ...]]:
        """The entries that are new, each with what is written of it, and the ids that were known. Raises
        BadInput with every fault, Conflict for a known id with other content."""
        known = {e.id for e in record.job.tape}
        at = stamp(_moment(record.job))
        ticked = {x.data.caution for x in record.job.of(Tick)} if asks_ticks else None
        stop_open = asks_ticks and stopping.stop_open(record.job)
        road = Road.of(record.job, self.knowledge, self._experience()) if asks_ticks else None
        bars = latch_bars(record.assessed) if asks_ticks and _resets(raws) else {}
        cylinders = record.job.engine.cylinders
        order = ResetOrder.of(record.job, self._plans(record.job)) if asks_ticks and _resets(raws) else None
        checker = Checker(
            self.knowledge,
            cylinders,
            set(known),
            ticked=ticked,
            stop_open=stop_open,
            road=road,
            latch_bars=bars,
            order=order,
        )
        fresh: list[tuple[Entry, dict[str, Any]]] = []
        old: list[str] = []
        for index, raw in enumerate(raws):
            path = f"entries[{index}]"
            if isinstance(raw, dict) and isinstance(raw.get("id"), str) and raw["id"] in known:
                if not _same(self._raw(record.job.id, raw["id"]), raw):
                    raise Conflict(
                        f"{path}.id: an entry {raw['id']!r} is already on this tape with other content"
                    )
                old.append(raw["id"])
                continue
            whole = {"at": at, **({"by": by} if by else {}), **raw} if isinstance(raw, dict) else raw
            if broken := walk(whole, path):
                checker.faults += broken
            elif entry := checker.entry(whole, path):
                fresh.append((entry, whole))
        if checker.faults:
            raise BadInput(checker.faults)
        return fresh, tuple(old)

    def _plans(self, job: Job) -> dict[str, ResetPlanShape]:
        """The reset plans of a job: its engine card's own before the general ones."""
        with Session(self.engine) as session:
            asked = select(CardPlanRow).where(CardPlanRow.card_name == job.engine.name)
            own = {r.plan: ResetPlanShape.model_validate(r.data) for r in session.scalars(asked)}
        return {**self.knowledge.reset_plans, **own}

    def _raw(self, job_id: str, entry_id: str) -> dict[str, Any]:
        with Session(self.engine) as session:
            asked = select(EntryRow.raw).where(EntryRow.job_id == job_id, EntryRow.id == entry_id)
            return _json(job_id, entry_id, session.scalar(asked) or "{}")

    def _gone_on(self, before: JobRecord, fresh: list[Entry], cards: NewCards | None = None) -> JobRecord:
        """The job with entries added, thought through."""
        job = before.job
        at = now()
        title = job.title
        vehicle = job.vehicle
        engine = job.engine
        if cards is not None:
            title = cards.title(job)
            vehicle = Vehicle.model_validate(cards.vehicle)
            engine = EngineCard.model_validate(cards.engine)
        grown = Job(job.id, title, vehicle, engine=engine, tape=(*job.tape, *fresh), opened_at=job.opened_at)
        assessed = Assessed(grown, self.knowledge, self._experience())
        if cards is None:
            assessed.go_on_from(before.assessed)
        written = {**before.written, **{e.id: at for e in fresh}}
        head = {**before.head, "title": title}
        vehicle_id = before.vehicle_id if cards is None else cards.vehicle_id
        return JobRecord(
            before.revision + 1,
            assessed,
            standing(assessed),
            head=head,
            vehicle_id=vehicle_id,
            written=written,
        )

    def _written(
        self,
        before: JobRecord,
        after: JobRecord,
        fresh: list[tuple[Entry, dict[str, Any]]],
        old: tuple[str, ...],
        act: Act | None,
        cards: NewCards | None,
    ) -> bool:
        """Write what was worked out, unless the job was changed by another process meanwhile."""
        job_id = before.job.id
        shown = listed(after.standing)
        head = self.chain_head(job_id)
        links = jobfile.chain_of([raw for _, raw in fresh], head)
        rows = [(entry.id, _text(raw), links[entry.id]) for entry, raw in fresh]
        with (
            prepared(self.engine, rows, len(rows), now()) as entries,
            write_session(self.engine) as session,
        ):
            row = session.get(JobRow, job_id)
            if row is None or row.revision != before.revision or (row.chain_head or "") != head:
                return False
            entries.put(session, job_id)
            row.chain_head = rows[-1][2] if rows else head
            if act is not None:
                ids = [*old, *(e.id for e, _ in fresh)]
                session.add(ActRow(job_id=job_id, key=act.key, content=act.content, entries=ids, at=now()))
            if cards is not None:
                cards.keep(session, row)
                row.title = after.job.title
                row.head = after.head
                row.vehicle = cards.vehicle
                row.engine = cards.engine
                row.vehicle_name = cards.vehicle["name"]
            row.revision += 1
            _show(row, shown)
        return True


def _text(raw: dict[str, Any]) -> str:
    return json.dumps(raw, ensure_ascii=False)


def _json(job_id: str, entry_id: str, raw: str) -> dict[str, Any]:
    """An entry as it was kept. Raises Damaged when it cannot be read any more."""
    try:
        read = json.loads(raw)
    except ValueError:
        read = None
    if not isinstance(read, dict):
        raise Damaged(DAMAGED.format(f"The entry {entry_id} of the job {job_id}"))
    return read


def _read(job_id: str, entry_id: str, raw: str) -> Entry:
    return kept(_json(job_id, entry_id, raw))


def _resets(raws: list[Any]) -> bool:
    """Whether anything of them may take off a latch."""
    return any(isinstance(raw, dict) and raw.get("kind") in ("reset_step", "proof_step") for raw in raws)


def _show(row: JobRow, columns: dict[str, Any]) -> None:
    for name, value in columns.items():
        setattr(row, name, value)


def _moment(job: Job) -> datetime:
    """When an entry without a time of its own happened: now; on a training vehicle, by the clock of its
    exercise, which stands where the last act left it."""
    last = job.tape[-1].at if is_training(job.id) and job.tape else None
    return last or now()


def _done(session: Session, job_id: str, act: Act) -> tuple[str, ...] | None:
    row = session.get(ActRow, (job_id, act.key))
    if row is None:
        return None
    if row.content != act.content:
        raise Conflict("This was sent before with other content: look at what stands, and send it again.")
    return tuple(row.entries)


def _same(kept: dict[str, Any], sent: dict[str, Any]) -> bool:
    """The same entry, whether or not the sender left out the time and name that were filled in for it."""
    filled_in = {key: kept[key] for key in ("at", "by") if key in kept}
    return kept == filled_in | sent
