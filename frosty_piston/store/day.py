"""The day plan of the workshop: laid out anew whenever something changed, kept until then, over a restart
too."""

import hashlib
import json
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from threading import Lock
from time import monotonic
from typing import Any, TypeVar

from sqlalchemy import Row

from frosty_piston.core.day import Day, DayLimits, Pin, Plan, Ready, Work, readiness
from frosty_piston.core.errors import Busy, Conflict, Damaged
from frosty_piston.job.day.setup import DaySetup
from frosty_piston.job.day.solver import SEARCH_S, lay_out
from frosty_piston.job.day.steps import JobDay, job_day, offers_of
from frosty_piston.job.repair.decide import Prices
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.figures import general

from .settings import Settings
from .tapes import JobRecord, Tapes
from .timestamps import now, stamp, utc
from .yard import Yard

A = TypeVar("A")
MOST_JOBS = 12
LISTED = 60
WAIT_S = 20.0
MOMENT_S = 1.0
REST_S = 10.0  # a plan stands so long, whatever is written on a job meanwhile
BUSY = "The day is still being planned. Load the page again in a few seconds."
STALE = timedelta(hours=6)
IN_HAND = timedelta(minutes=30)
GIVEN_UP = timedelta(hours=3)
SETUP = "day"
PINS = "day_pins"
STANDS = "day_stands"
BEGUN = "day_begun"
ON = "day_on"
LAID = "day_laid"


@dataclass(frozen=True)
class Laid:
    """A plan as it was laid out: when, on what, with what came of it. `over`: pieces that run over their
    time; `pinned`: those that somebody fixed; `left_out`: open jobs that are not on it."""

    at: datetime
    day: Day
    plan: Plan
    jobs: dict[str, JobDay]
    ready: dict[str, Ready]
    over: frozenset[str]
    begun: dict[str, tuple[str, datetime]]
    pinned: frozenset[str]
    stands: dict[str, str]
    left_out: tuple[tuple[str, str], ...]
    key: str
    said: str
    views: dict[str, Any] = field(default_factory=dict, compare=False)

    def view(self, name: str, made: Callable[[], A]) -> A:
        """What a page shows of this plan, worked out once."""
        if name not in self.views:
            self.views[name] = made()
        shown: A = self.views[name]
        return shown

    def minute(self, at: datetime) -> int:
        return int((at - self.at).total_seconds() // 60)

    def moment(self, minute: int) -> datetime:
        return self.at + timedelta(minutes=minute)

    def head(self, job: str) -> str:
        """The piece that a job stands at."""
        pieces = self.day.work_of[job].pieces
        return pieces[0].id if pieces else ""


def _minute() -> datetime:
    return now().replace(second=0, microsecond=0)


class DayBoard:
    """Lays out the day and keeps what was said of it: pins, where vehicles stand, who is there."""

    def __init__(self, tapes: Tapes, yard: Yard, settings: Settings, knowledge: Knowledge):
        self.tapes = tapes
        self.yard = yard
        self.settings = settings
        self.knowledge = knowledge
        self.search_s = SEARCH_S
        self.rest_s = REST_S
        self._laid_at = 0.0
        self._apart = ThreadPoolExecutor(1, "day")
        self._laying: Future[Laid] | None = None
        self._laid: Laid | None = None
        self._lock = Lock()

    @property
    def limits(self) -> DayLimits:
        return general(DayLimits)

    @property
    def setup(self) -> DaySetup:
        return DaySetup.model_validate(self.settings.get(SETUP))

    def keep_setup(self, setup: DaySetup) -> None:
        self.settings.save(SETUP, setup.model_dump(mode="json"))

    @property
    def pins(self) -> dict[str, dict[str, Any]]:
        return dict(self.settings.get(PINS))

    def pin(self, piece: str, person: str, at: datetime | None) -> None:
        """Fix who does a piece, and when it begins. Raises Conflict for a piece that is not on the plan."""
        if self._laid is None or piece not in self._laid.day.pieces:
            raise Conflict("This piece is not on the plan any more: look at how it stands now.")
        given: dict[str, Any] = {"person": person, "at": stamp(at) if at else None}
        self.settings.save(PINS, {**self._still_there(self.pins), piece: given})

    def unpin(self, piece: str) -> None:
        self.settings.save(PINS, {key: p for key, p in self.pins.items() if key != piece})

    def stands(self, job: str, bay: str) -> None:
        """Say in which bay a vehicle stands; empty: in none."""
        kept = {key: b for key, b in self.settings.get(STANDS).items() if key != job and b != bay}
        self.settings.save(STANDS, {**kept, job: bay} if bay else kept)

    def put(self, job: str, on: bool) -> None:
        """Put a job on the plan, or off it."""
        chosen = {key: v for key, v in self.settings.get(ON).items() if key != job}
        self.settings.save(ON, {**chosen, job: on})

    def not_begun(self, piece: str) -> None:
        """Say that a piece was not begun, whatever the plan thought."""
        begun = {key: v for key, v in self.settings.get(BEGUN).items() if key != piece}
        laid = self.settings.get(LAID)
        self.settings.save(BEGUN, begun)
        placed = [one for one in laid.get("placed", []) if one["piece"] != piece]
        self.settings.save(LAID, {**laid, "placed": placed})
        with self._lock:
            self._laid = None

    def _still_there(self, pins: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
        pieces = self._laid.day.pieces if self._laid else pins
        return {key: p for key, p in pins.items() if key in pieces}

    # laying out

    def look(self) -> Laid:
        """The plan as it stands: the one that is kept, or a new one when anything changed or runs over. A new
        one is laid out apart; who asks meanwhile, and changed nothing of the plan itself, waits a moment for
        it and reads the one before if it is not there yet. Raises Busy."""
        until = monotonic() + WAIT_S
        while True:
            key, said = self._key(self.yard.jobs(limit=LISTED))
            known = self._laid
            same = known is not None and known.said == said
            rests = same and monotonic() - self._laid_at < self.rest_s
            if known is not None and (known.key == key or rests) and not self._moved_on(known, _minute()):
                return known
            with self._lock:
                if self._laying is None or self._laying.done():
                    self._laying = self._apart.submit(self._lay_again)
                laying = self._laying
            try:
                laid = laying.result(MOMENT_S if same else max(0.0, until - monotonic()))
            except TimeoutError:
                if known is not None and same:
                    return known
                raise Busy(BUSY) from None
            if laid.said == said or monotonic() > until:
                return laid

    def _lay_again(self) -> Laid:
        rows = self.yard.jobs(limit=LISTED)
        at = _minute()
        key, said = self._key(rows)
        laid = self._laid = self._lay(rows, key, said, at)
        self._laid_at = monotonic()
        return laid

    def close(self) -> None:
        """End what is being laid out."""
        self._apart.shutdown(cancel_futures=True)

    def _key(self, rows: list[Row[Any]]) -> tuple[str, str]:
        """What a plan rests on, and of it what was said of the plan itself, both as hashes."""
        said = [self.settings.get(name) for name in (SETUP, PINS, STANDS, ON, "prices")]
        jobs = [(r.id, r.revision, str(r.deadline)) for r in rows]
        of_plan = json.dumps([said, self.settings.people()], sort_keys=True, default=str)
        whole = json.dumps([jobs, of_plan], default=str)
        return hashlib.sha256(whole.encode()).hexdigest(), hashlib.sha256(of_plan.encode()).hexdigest()

    def _moved_on(self, laid: Laid, at: datetime) -> bool:
        """Whether something runs over its time, or the plan is of another day."""
        if at - laid.at > STALE or at.astimezone().date() != laid.at.astimezone().date():
            return True
        minute = laid.minute(at)
        heads = (laid.plan.of.get(laid.head(w.id)) for w in laid.day.works)
        return any(p is not None and p.person and p.end < minute for p in heads)

    def _chosen(self, rows: list[Row[Any]]) -> tuple[list[Row[Any]], list[tuple[str, str]]]:
        """The jobs on the plan: those that were put on it, those with a deadline, then the rest of the
        yard."""
        said = self.settings.get(ON)
        wanted = [r for r in rows if said.get(r.id, True)]
        wanted.sort(key=lambda r: (not said.get(r.id, False), r.deadline is None))
        chosen = wanted[:MOST_JOBS]
        beyond = wanted[MOST_JOBS:]
        off = [r for r in rows if not said.get(r.id, True)]
        return chosen, [(r.id, r.vehicle_name) for r in (*beyond, *off)]

    def _lay(self, rows: list[Row[Any]], key: str, said: str, at: datetime) -> Laid:
        chosen, left_out = self._chosen(rows)
        prices = self.settings.prices()
        jobs = {}
        works = []
        records = self._records(chosen)
        left_out += [(row.id, row.vehicle_name) for row in chosen if row.id not in records]
        chosen = [row for row in chosen if row.id in records]
        stands = self.settings.get(STANDS)
        for row in chosen:
            record = records[row.id]
            made = job_day(record.standing, row.vehicle_name, at, self._offers(record, prices))
            jobs[row.id] = made
            work = made.work
            works.append(
                Work(
                    work.id,
                    work.name,
                    work.pieces,
                    deadline=work.deadline,
                    coin_per_min=work.coin_per_min,
                    stands_in=stands.get(row.id, ""),
                )
            )
        setup = self.setup
        people = setup.people(self.settings.people(), at.astimezone())
        begun = self._begun(works, at)
        over: set[str] = set()
        day = Day(tuple(works), people, setup.places(), frozenset(setup.tools))
        pins = self._pins(day, records, begun, over, at)
        day = Day(day.works, day.people, day.bays, day.single_tools, pins)
        plan = lay_out(day, self.limits, self.search_s)
        begun = self._goes_on(day, plan, begun, at)
        kept = {piece: [person, stamp(since)] for piece, (person, since) in begun.items()}
        if kept != self.settings.get(BEGUN):
            self.settings.save(BEGUN, kept)
        self._keep(plan, at)
        return Laid(
            at,
            day,
            plan,
            jobs=jobs,
            ready=readiness(day, plan),
            over=frozenset(over),
            begun=begun,
            pinned=frozenset(self.pins),
            stands=stands,
            left_out=tuple(left_out),
            key=key,
            said=said,
        )

    def _records(self, rows: list[Row[Any]]) -> dict[str, JobRecord]:
        """The states of jobs, without those that are damaged: one of them must not stop the day."""
        records = {}
        for row in rows:
            with suppress(Damaged):
                records[row.id] = self.tapes.job(row.id)
        return records

    def _offers(self, record: JobRecord, prices: Prices) -> Any:
        return record.view(f"day offers {prices}", lambda: offers_of(record.standing, prices))

    # what has begun

    def _begun(self, works: list[Work], at: datetime) -> dict[str, tuple[str, datetime]]:
        """The pieces at which jobs stand and which somebody began by the plan that stood until now."""
        heads = {w.pieces[0].id: w.pieces[0] for w in works if w.pieces and not w.pieces[0].wait}
        kept = {key: (v[0], datetime.fromisoformat(v[1])) for key, v in self.settings.get(BEGUN).items()}
        for one in self.settings.get(LAID).get("placed", []):
            start = datetime.fromisoformat(one["start"])
            if one["person"] and start <= at and one["piece"] not in kept:
                kept[one["piece"]] = (one["person"], start)
        running: dict[str, tuple[str, datetime]] = {
            piece: (person, start)
            for piece, (person, start) in sorted(kept.items(), key=lambda x: x[1][1], reverse=True)
            if piece in heads
            and at - start < timedelta(minutes=heads[piece].minutes) + GIVEN_UP
            and not self._put_off(piece, at)
        }
        # Nobody does two things at once: what began first is what is still being done.
        first = {person: piece for piece, (person, _) in running.items()}
        return {piece: running[piece] for piece in first.values()}

    def _put_off(self, piece: str, at: datetime) -> bool:
        """Whether somebody pinned it to a time that is still to come."""
        pinned = self.pins.get(piece, {}).get("at") or ""
        return bool(pinned) and datetime.fromisoformat(pinned) > at

    def _pins(
        self,
        day: Day,
        records: dict[str, JobRecord],
        begun: dict[str, tuple[str, datetime]],
        over: set[str],
        at: datetime,
    ) -> tuple[Pin, ...]:
        """What was pinned, what has begun and how long it takes now, and who has a job in hand."""
        pins: dict[str, Pin] = {}
        names = {p.name for p in day.people}
        for work in day.works:
            head = work.pieces[0] if work.pieces else None
            who = self._in_hand(records[work.id], at)
            here = [p for p in day.people if p.name == who and p.there[0][0] <= 60]
            if head is not None and not head.wait and here and (not head.task or head.task in here[0].tasks):
                pins[head.id] = Pin(head.id, who)
        for piece, given in self.pins.items():
            if piece in day.pieces and given["person"] in ("", *names):
                moment = datetime.fromisoformat(given["at"]) if given["at"] else None
                minute = None if moment is None else max(0, int((moment - at).total_seconds() // 60))
                pins[piece] = Pin(piece, given["person"], minute)
        for piece, (began, since) in begun.items():
            person = pins[piece].person if piece in pins and pins[piece].person else began
            if person in names:
                elapsed = int((at - since).total_seconds() // 60)
                planned = day.pieces[piece].minutes
                if elapsed >= planned:
                    over.add(piece)
                    planned = elapsed + int(max(self.limits.more_at_least_min, day.pieces[piece].spread_min))
                pins[piece] = Pin(piece, person, -elapsed, planned)
        return tuple(pins.values())

    def _in_hand(self, record: JobRecord, at: datetime) -> str:
        """Who wrote last on a job, a short while ago."""
        last = next((x for x in reversed(record.job.live) if x.by and x.at), None)
        return str(last.by) if last is not None and last.at and at - utc(last.at) < IN_HAND else ""

    def _goes_on(
        self, day: Day, plan: Plan, begun: dict[str, tuple[str, datetime]], at: datetime
    ) -> dict[str, tuple[str, datetime]]:
        """What has begun by now: what had, and what the new plan begins at once."""
        starts = {
            work.pieces[0].id: (placed.person, at + timedelta(minutes=placed.start))
            for work in day.works
            if work.pieces
            and (placed := plan.of.get(work.pieces[0].id))
            and placed.person
            and placed.start <= 0
        }
        return {**starts, **begun}

    def _keep(self, plan: Plan, at: datetime) -> None:
        placed = [
            {"piece": p.piece, "start": stamp(at + timedelta(minutes=p.start)), "person": p.person}
            for p in plan.placed
            if p.person
        ]
        self.settings.save(LAID, {"at": stamp(at), "placed": placed})
