"""A finished job as one line of experience: what was wrong, which repair took, how long each test took, what
was stated at the first repair and whether it was so."""

from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from datetime import datetime, timedelta
from typing import Any

from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Entry
from frosty_piston.job.repair.prove import prove
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.weighing.evidence import Evidence
from frosty_piston.knowledge import Knowledge

from .experience import NO_EXPERIENCE

AT_ONCE = timedelta(hours=2)
TELLS_RATIO = 1.5
LEAST_SHARE = 0.02
STAGE_OF = {
    "complaint": "arrive",
    "symptom": "arrive",
    "context": "arrive",
    "code": "arrive",
    "code_scan": "arrive",
    "before": "arrive",
    "history": "arrive",
    "reading": "measure",
    "outcome": "measure",
    "trace": "measure",
    "option": "decide",
    "consent": "decide",
    "warning": "decide",
    "fit_step": "fit",
    "piece": "fit",
    "action": "fit",
    "proof_step": "prove",
    "reset_step": "prove",
    "drive": "prove",
    "handover": "prove",
}


@dataclass(frozen=True)
class Case:
    """What a finished job teaches. `faults`: how much of each fault was mended, by the findings alone, on a
    proven job; `repairs`: each repair with its act and whether it took; `tests`: minutes of each; `silent`:
    tests that told nothing; `stated`: the odds of the first repair when it was done, `right`: whether it
    cured; `stages`: minutes in each."""

    job: str
    engine: str
    system: str
    vehicle: str
    opened_at: datetime
    closed_at: datetime
    proven: bool
    faults: dict[str, float] = field(default_factory=dict)
    repairs: list[tuple[str, str, bool]] = field(default_factory=list)
    tests: dict[str, list[float]] = field(default_factory=dict)
    silent: list[str] = field(default_factory=list)
    stated: float | None = None
    right: bool = False
    said: str = ""
    stages: dict[str, float] = field(default_factory=dict)

    def as_json(self) -> dict[str, Any]:
        return {
            **asdict(self),
            "opened_at": self.opened_at.isoformat(),
            "closed_at": self.closed_at.isoformat(),
        }

    @classmethod
    def of_json(cls, data: dict[str, Any]) -> "Case":
        times = {key: datetime.fromisoformat(data[key]) for key in ("opened_at", "closed_at")}
        return cls(**{**data, **times, "repairs": [(r, a, bool(t)) for r, a, t in data["repairs"]]})


def case_of(job: Job, knowledge: Knowledge, closed_at: datetime) -> Case | None:
    """Return what a finished job teaches; None for one on which nothing was repaired. It is thought through
    again without anything the workshop added: what was learned never teaches itself."""
    if not job.repairs:
        return None
    assessed = Assessed(job, knowledge, NO_EXPERIENCE)
    proven = prove(assessed).status == "proven"
    acts = [x for x in job.repairs if x.data.repair in knowledge.repairs]
    if not acts:
        return None
    times = {x.id: n for n, x in enumerate(job.acts)}
    faults: dict[str, float] = {}
    for x in acts if proven else ():
        odds = _shares(assessed, knowledge, x, times[x.id])
        for fault, p in odds.items():
            faults[fault] = max(faults.get(fault, 0.0), p)
    first = acts[0]
    stated = assessed.course[times[first.id]].repairs_needed.get(first.data.repair, 0.0)
    repairs = [(x.data.repair, x.data.action, proven and x is acts[-1]) for x in acts]
    return Case(
        job.id,
        job.engine.name,
        knowledge.fault_system[max(faults, key=lambda f: faults[f])]
        if faults
        else knowledge.repairs[first.data.repair].system,
        vehicle=job.vehicle.name,
        opened_at=job.opened_at or closed_at,
        closed_at=closed_at,
        proven=proven,
        faults=faults,
        repairs=repairs,
        tests=dict(_minutes(job)),
        silent=sorted(_silent(job, assessed)),
        stated=stated,
        right=proven and len({x.data.repair for x in acts}) == 1,
        said=knowledge.repairs[first.data.repair].title,
        stages=dict(_stages(job)),
    )


def _shares(assessed: Assessed, knowledge: Knowledge, act: Entry, number: int) -> dict[str, float]:
    """Of what a repair cures, how likely each fault was there when it was done: together one."""
    suspicion = assessed.course[number]
    odds = {f: suspicion.odds(f) for f in knowledge.repairs[act.data.repair].cures}
    likely = {f: p for f, p in odds.items() if p > LEAST_SHARE * max(odds.values())}
    total = sum(likely.values())
    return {f: p / total for f, p in likely.items()} if total > 0 else {}


def _pairs(job: Job) -> Iterator[tuple[Entry, float]]:
    """Each entry with the minutes since the one before it, where the work went on at once."""
    timed = [x for x in job.live if x.at]
    for before, after in zip(timed, timed[1:], strict=False):
        assert before.at and after.at
        took = after.at - before.at
        if timedelta() < took <= AT_ONCE and before.kind != "wait" and after.kind != "wait":
            yield after, took.total_seconds() / 60


def _minutes(job: Job) -> Iterator[tuple[str, list[float]]]:
    """How long each test took: until its first reading, from what was written before."""
    seen: dict[str, list[float]] = {}
    last = ""
    for x, took in _pairs(job):
        test = x.data.test if x.kind in ("reading", "outcome") else ""
        if test and test != last:
            seen.setdefault(test, []).append(took)
        elif test and test in seen:
            seen[test][-1] += took
        last = test
    yield from seen.items()


def _stages(job: Job) -> Iterator[tuple[str, float]]:
    spent: dict[str, float] = {}
    for x, took in _pairs(job):
        stage = STAGE_OF.get(x.kind, "")
        if stage:
            spent[stage] = spent.get(stage, 0.0) + took
    yield from spent.items()


def _silent(job: Job, assessed: Assessed) -> set[str]:
    """The tests whose outcome speaks for or against nothing."""
    of = {x.id: x.data.test for x in job.live if x.kind in ("reading", "outcome")}
    told = {of[i] for s in assessed.course for e in s.evidence if _tells(e) for i in e.entries if i in of}
    return set(of.values()) - told


def _tells(evidence: Evidence) -> bool:
    if evidence.finding is None:
        return False
    at = evidence.finding.outcomes.index(evidence.outcome)
    general = max(evidence.finding.general[at], 1e-9)
    ratios = [row[at] / general for row in evidence.finding.shows.values()]
    return any(r >= TELLS_RATIO or r <= 1 / TELLS_RATIO for r in ratios)
