"""The figures of a year from its finished jobs: by system, first-time cured, what came back, what told
nothing, minutes in each stage, and how good the own odds were."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from frosty_piston.core.learning import Bin, brier, reliability
from frosty_piston.knowledge import Knowledge

from .case import Case

STAGES = ("arrive", "measure", "decide", "fit", "prove")
MOST_SILENT = 10
LEAST_MADE = 3
COMEBACK_DAYS = 365


@dataclass(frozen=True)
class OfSystem:
    """One system: how many jobs, how many proven, how many cured by the first repair, the Brier score of its
    odds."""

    id: str
    title: str
    jobs: int
    proven: int
    first_time: int
    brier: float | None


@dataclass(frozen=True)
class Comeback:
    """A vehicle that came back: with what, after how many days, and what was said the time before."""

    vehicle: str
    system: str
    days: int
    said: str
    stated: float | None


@dataclass(frozen=True)
class Silent:
    """A test that was made and told nothing: how often of how often."""

    title: str
    silent: int
    made: int


@dataclass(frozen=True)
class Year:
    """All of a year. `stages`: minutes in each in the middle; `bins`: odds that were stated beside how often
    it was so; `months`: jobs closed in each month."""

    year: int
    jobs: int
    proven: int
    first_time: int
    systems: tuple[OfSystem, ...]
    comebacks: tuple[Comeback, ...]
    silent: tuple[Silent, ...]
    stages: tuple[tuple[str, float], ...]
    bins: tuple[Bin, ...]
    brier: float | None
    months: tuple[int, ...]


def year_of(cases: Sequence[Case], year: int, knowledge: Knowledge) -> Year:
    """Return the figures of a year; comebacks are looked for among all cases."""
    mine = [c for c in cases if c.closed_at.year == year]
    stated, right = _odds(mine)
    months = Counter(c.closed_at.month for c in mine)
    return Year(
        year,
        len(mine),
        sum(c.proven for c in mine),
        first_time=sum(c.right for c in mine),
        systems=tuple(
            _of_system(name, [c for c in mine if c.system == name], knowledge) for name in _systems(mine)
        ),
        comebacks=tuple(sorted(_comebacks(mine, cases), key=lambda x: x.days)),
        silent=tuple(_silent(mine, knowledge)),
        stages=tuple((s, _middle(mine, s)) for s in STAGES),
        bins=tuple(reliability(stated, right)),
        brier=brier(stated, right),
        months=tuple(months.get(m, 0) for m in range(1, 13)),
    )


def _odds(cases: Sequence[Case]) -> tuple[list[float], list[bool]]:
    """What was stated of the first repair, and whether it was so: only where it was proven which it was."""
    told = [(c.stated, c.right) for c in cases if c.proven and c.stated is not None]
    return [p for p, _ in told], [t for _, t in told]


def _systems(cases: Sequence[Case]) -> list[str]:
    return [name for name, _ in Counter(c.system for c in cases).most_common()]


def _of_system(name: str, cases: Sequence[Case], knowledge: Knowledge) -> OfSystem:
    return OfSystem(
        name,
        knowledge.systems.get(name, name),
        len(cases),
        proven=sum(c.proven for c in cases),
        first_time=sum(c.right for c in cases),
        brier=brier(*_odds(cases)),
    )


def _comebacks(mine: Sequence[Case], cases: Sequence[Case]) -> list[Comeback]:
    """The visits of the year that followed a proven repair of the same system within a year."""
    found = []
    for again in mine:
        before = [
            case
            for case in cases
            if case.vehicle == again.vehicle
            and case.system == again.system
            and case.closed_at < again.opened_at
        ]
        last = max(before, key=lambda c: c.closed_at, default=None)
        if last is not None and last.proven:
            days = (again.opened_at - last.closed_at).days
            if days <= COMEBACK_DAYS:
                found.append(Comeback(again.vehicle, again.system, days, last.said, last.stated))
    return found


def _silent(cases: Sequence[Case], knowledge: Knowledge) -> list[Silent]:
    made = Counter[str]()
    nothing = Counter[str]()
    for c in cases:
        made.update(set(c.tests) | set(c.silent))
        nothing.update(c.silent)
    rows = [
        Silent(knowledge.tests[test].title, value, made[test])
        for test, value in nothing.items()
        if test in knowledge.tests and made[test] >= LEAST_MADE
    ]
    return sorted(rows, key=lambda r: (-r.silent / r.made, -r.made))[:MOST_SILENT]


def _middle(cases: Sequence[Case], stage: str) -> float:
    spent = [c.stages[stage] for c in cases if stage in c.stages]
    return float(median(spent)) if spent else 0.0
