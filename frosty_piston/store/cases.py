"""What finished jobs taught, one line each; what other workshops sent; and the switch that lets it move
odds."""

import json
from collections.abc import Callable, Iterable
from typing import Any

from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import BadInput
from frosty_piston.job.afterwards.case import Case, case_of
from frosty_piston.job.weighing.own_odds import Counts, Own
from frosty_piston.knowledge import Knowledge

from .database import write_session
from .settings import Settings
from .tables import CaseRow, JobRow
from .tapes import JobRecord, Tapes
from .timestamps import now, stamp, utc

SWITCH = "own_odds"
POOLED = "pooled_odds"
FORMAT = "frosty-piston/own-odds"
VERSION = 1
MOST_READ = 60
MOST_POOLED_BYTES = 2_000_000
MOST_COUNT = 100_000
MOST_POOLED = 40


class Cases:
    """Keeps what finished jobs taught. `changed` is called when what moves odds changed."""

    def __init__(
        self,
        engine: Engine,
        knowledge: Knowledge,
        settings: Settings,
        tapes: Tapes,
        changed: Callable[[], None],
    ):
        self.engine = engine
        self.knowledge = knowledge
        self.settings = settings
        self.tapes = tapes
        self._changed = changed
        self._own: Own | None = None

    def keep_all(self, cases: Iterable[Case], made_up: bool = False) -> None:
        """Keep what jobs taught, in place of what they taught before."""
        with write_session(self.engine) as session:
            for case in cases:
                session.merge(
                    CaseRow(
                        job_id=case.job,
                        engine=case.engine,
                        system=case.system,
                        closed_at=case.closed_at,
                        proven=case.proven,
                        made_up=made_up,
                        data=case.as_json(),
                    )
                )
        self._own = None

    def read(self) -> int:
        """Read finished jobs that were not read yet, some at a time; answers how many are still left."""
        known = select(CaseRow.job_id)
        asked = select(JobRow.id).where(JobRow.closed.is_(True), JobRow.id.not_in(known))
        with Session(self.engine) as session:
            new = list(session.scalars(asked.order_by(JobRow.opened_at).limit(MOST_READ)))
            left = (session.scalar(select(func.count()).select_from(asked.subquery())) or 0) - len(new)
        for job_id in new:
            self._learn(self.tapes.job(job_id))
        if new and self.on:
            self._changed()
        return left

    def _learn(self, record: JobRecord) -> None:
        times = [x.at for x in record.job.live if x.at]
        closed = max(times, default=record.written.get(record.job.tape[-1].id) if record.job.tape else None)
        case = case_of(record.job, self.knowledge, utc(closed) if closed else now())
        if case is not None:
            self.keep_all([case])

    def all(self) -> list[Case]:
        """Every case, by when it was closed."""
        with Session(self.engine) as session:
            return [
                Case.of_json(d) for d in session.scalars(select(CaseRow.data).order_by(CaseRow.closed_at))
            ]

    def made_up(self) -> int:
        """How many cases are made up, as those of the demo."""
        with Session(self.engine) as session:
            asked = select(func.count()).select_from(CaseRow).where(CaseRow.made_up.is_(True))
            return session.scalar(asked) or 0

    # what moves odds

    @property
    def on(self) -> bool:
        return bool(self.settings.get(SWITCH).get("on"))

    @property
    def switched(self) -> dict[str, Any]:
        """Who switched it last, and when."""
        return self.settings.get(SWITCH)

    def switch(self, on: bool, by: str) -> None:
        """Let the own jobs move odds, or not."""
        self.settings.save(SWITCH, {"on": on, "by": by, "at": stamp(now())})
        self._own = None
        self._changed()

    @property
    def own(self) -> Own:
        if self._own is None:
            with Session(self.engine) as session:
                rows = session.execute(
                    select(CaseRow.job_id, CaseRow.engine, CaseRow.system, CaseRow.data).where(
                        CaseRow.proven.is_(True)
                    )
                ).all()
            mine = {r.job_id: (r.engine, r.system, r.data["faults"]) for r in rows}
            pooled: dict[str, tuple[Counts, ...]] = {}
            for sent in self.pooled:
                for card, c in sent["cards"].items():
                    one = Counts(c["jobs"], c["faults"], sent["workshop"])
                    pooled[card] = (*pooled.get(card, ()), one)
            self._own = Own(self.on, mine, pooled)
        return self._own

    # out and in

    @property
    def pooled(self) -> list[dict[str, Any]]:
        """What other workshops sent, each with its name."""
        return list(self.settings.get(POOLED).get("sent", []))

    def export(self, workshop: str) -> dict[str, Any]:
        """The own counts as an open file: no job, no vehicle, no name but the workshop's."""
        own = self.own
        cards = {
            card: {
                "jobs": dict(sorted(count.jobs.items())),
                "faults": {f: round(x, 3) for f, x in sorted(count.faults.items())},
            }
            for card in own.cards
            for count in own.counts(card)
            if not count.pooled
        }
        return {"format": FORMAT, "version": VERSION, "workshop": workshop or "unnamed", "cards": cards}

    def bring_in(self, data: bytes) -> str:
        """Take the counts of another workshop, in place of what it sent before. Raises BadInput."""
        sent = self._checked(data)
        kept = [s for s in self.pooled if s["workshop"] != sent["workshop"]]
        if len(kept) >= MOST_POOLED:
            raise BadInput(f"Counts of {MOST_POOLED} workshops are here already: take one off first.")
        self.settings.save(POOLED, {"sent": [*kept, sent]})
        self._own = None
        if self.on:
            self._changed()
        return str(sent["workshop"])

    def drop(self, workshop: str) -> None:
        """Take what a workshop sent off again."""
        self.settings.save(POOLED, {"sent": [s for s in self.pooled if s["workshop"] != workshop]})
        self._own = None
        if self.on:
            self._changed()

    def _checked(self, data: bytes) -> dict[str, Any]:
        if len(data) > MOST_POOLED_BYTES:
            raise BadInput("This file is larger than 2 MB: it is no file of counts.")
        try:
            given = json.loads(data)
        except (ValueError, RecursionError):
            raise BadInput("This file is no JSON: it is no file of counts.") from None
        if not isinstance(given, dict) or given.get("format") != FORMAT or given.get("version") != VERSION:
            raise BadInput(
                f"This file does not say {FORMAT!r} and version {VERSION}: it is no file of counts."
            )
        name = given.get("workshop")
        cards = given.get("cards")
        if not isinstance(name, str) or not 1 <= len(name) <= 80 or not isinstance(cards, dict):
            raise BadInput("The file names its workshop (1 to 80 signs), and has its counts under cards.")
        kept = {str(card)[:120]: self._card(str(card), one) for card, one in list(cards.items())[:500]}
        return {"workshop": name, "cards": kept}

    def _card(self, card: str, one: Any) -> dict[str, dict[str, float]]:
        if not isinstance(one, dict):
            raise BadInput(f"{card[:40]}: jobs and faults are wanted.")
        jobs, faults = (one.get(key) for key in ("jobs", "faults"))
        known = {"jobs": set(self.knowledge.systems), "faults": set(self.knowledge.faults)}
        for key, counts in (("jobs", jobs), ("faults", faults)):
            if not isinstance(counts, dict):
                raise BadInput(f"{card[:40]}, {key}: a count for each name is wanted.")
            for name, count in counts.items():
                fine = (
                    isinstance(count, int | float)
                    and not isinstance(count, bool)
                    and 0 <= count <= MOST_COUNT
                )
                if name not in known[key] or not fine:
                    raise BadInput(
                        f"{card[:40]}, {key}, {str(name)[:40]}: a known name with 0 to 100 000 is wanted."
                    )
        assert isinstance(jobs, dict) and isinstance(faults, dict)
        return {"jobs": jobs, "faults": faults}
