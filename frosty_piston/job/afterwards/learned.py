"""What finished jobs taught beside the odds: how long tests take here, how often repairs take, what comes
back."""

from collections.abc import Iterable
from dataclasses import dataclass

from frosty_piston.core import learning
from frosty_piston.core.learning import Learned
from frosty_piston.job.weighing.own_odds import LEAST_JOBS, WEIGHT_JOBS
from frosty_piston.knowledge import Knowledge

from .case import Case

WEIGHT_TRIES = 10.0
WEIGHT_TIMES = 6.0
GENERAL_COMEBACK = 0.06
YEAR_DAYS = 365


@dataclass(frozen=True)
class Line:
    """One thing that was learned, with what it is called."""

    id: str
    title: str
    learned: Learned


def tests_learned(cases: Iterable[Case], knowledge: Knowledge) -> list[Line]:
    """How long each test really takes here."""
    taken: dict[str, list[float]] = {}
    for case in cases:
        for test, minutes in case.tests.items():
            taken.setdefault(test, []).extend(m for m in minutes if m > 0)
    return [
        Line(t, knowledge.tests[t].title, learning.minutes(knowledge.tests[t].minutes, WEIGHT_TIMES, m))
        for t, m in sorted(taken.items(), key=lambda x: -len(x[1]))
        if t in knowledge.tests and len(m) >= LEAST_JOBS
    ]


def repairs_learned(cases: Iterable[Case], knowledge: Knowledge) -> list[Line]:
    """How often each repair takes here, by the way it is done."""
    tried: dict[tuple[str, str], list[bool]] = {}
    for case in cases:
        for repair, act, took in case.repairs:
            if case.proven and repair in knowledge.repairs:
                tried.setdefault((repair, act), []).append(took)
    lines = []
    for (repair, act), held in sorted(tried.items(), key=lambda x: -len(x[1])):
        own = {str(key): value for key, value in knowledge.repairs[repair].shape.takes.items()}
        takes = own.get(act) or knowledge.acts[act].takes
        learned = learning.share(min(takes, 0.99), WEIGHT_TRIES, sum(held), len(held))
        lines.append(Line(f"{repair}/{act}", f"{knowledge.repairs[repair].title}, {act}", learned))
    return lines


def comebacks_learned(cases: list[Case]) -> Learned:
    """How often a vehicle comes back within a year with the same system."""
    back = 0
    proven = [c for c in cases if c.proven]
    for case in proven:
        again = (
            c
            for c in cases
            if c.vehicle == case.vehicle and c.system == case.system and c.opened_at > case.closed_at
        )
        back += any((c.opened_at - case.closed_at).days <= YEAR_DAYS for c in again)
    return learning.share(GENERAL_COMEBACK, WEIGHT_JOBS, back, len(proven))
