"""Odds from the workshop's own proven jobs: how much likelier a fault is here than in general, by engine
card."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from frosty_piston.core import learning
from frosty_piston.core.cached import cached_property
from frosty_piston.core.learning import Learned
from frosty_piston.job.engine import EngineCard
from frosty_piston.knowledge import Knowledge

WEIGHT_JOBS = 20.0
LEAST_JOBS = 3
MOST_TIMES = 4.0
MOVES_FROM = 0.05


@dataclass(frozen=True)
class Counts:
    """What some jobs on one engine card showed: jobs by system, faults by how much of each was mended.
    `pooled`: it came from another workshop."""

    jobs: Mapping[str, float]
    faults: Mapping[str, float]
    pooled: str = ""


@dataclass(frozen=True)
class Own:
    """All that was learned of rates. `by_job`: of each own proven job its card, system and faults, so that
    none of them ever teaches itself; `pooled`: the counts of other workshops, by card."""

    on: bool = False
    by_job: Mapping[str, tuple[str, str, Mapping[str, float]]] = field(default_factory=dict)
    pooled: Mapping[str, tuple[Counts, ...]] = field(default_factory=dict)

    @cached_property
    def _cards(self) -> dict[str, Counts]:
        return {card: self._counted(card, "") for card in {c for c, _, _ in self.by_job.values()}}

    def _counted(self, card: str, but: str) -> Counts:
        jobs: dict[str, float] = {}
        faults: dict[str, float] = {}
        for key, (on, system, found) in self.by_job.items():
            if on == card and key != but:
                jobs[system] = jobs.get(system, 0.0) + 1
                for fault, much in found.items():
                    faults[fault] = faults.get(fault, 0.0) + much
        return Counts(jobs, faults)

    @property
    def cards(self) -> list[str]:
        return sorted(set(self._cards) | set(self.pooled))

    def counts(self, card: str, but: str = "") -> tuple[Counts, ...]:
        """What is counted on a card, own first; `but`: the job that is thought through itself."""
        own = self._counted(card, but) if but in self.by_job else self._cards.get(card)
        return (*((own,) if own else ()), *self.pooled.get(card, ()))

    def learned(self, card: EngineCard, knowledge: Knowledge, but: str = "") -> dict[str, Learned]:
        """How often each fault is what is wrong, among the jobs of its system on this card; only what at
        least three jobs speak of."""
        counts = self.counts(card.name, but)
        if not counts:
            return {}
        found = {}
        for system, general in _general(card, knowledge).items():
            jobs = sum(c.jobs.get(system, 0.0) for c in counts)
            for fault, rate in general.items() if jobs >= LEAST_JOBS else ():
                seen = sum(c.faults.get(fault, 0.0) for c in counts)
                x = learning.rate(rate, WEIGHT_JOBS, seen, jobs)
                found[fault] = replace(x, own=min(x.own, 1.0), high=min(x.high, 1.0))
        return found

    def times(self, card: EngineCard, knowledge: Knowledge, but: str = "") -> dict[str, Learned]:
        """What moves odds: where it is switched on, what differs from the general rate."""
        if not self.on:
            return {}
        return {f: x for f, x in self.learned(card, knowledge, but).items() if abs(x.times - 1) > MOVES_FROM}


def _general(card: EngineCard, knowledge: Knowledge) -> dict[str, dict[str, float]]:
    """Of each system the share of every fault that this card can have."""
    found: dict[str, dict[str, float]] = {}
    for fault, shape in knowledge.faults.items():
        if not card.rules_out(shape.needs):
            found.setdefault(knowledge.fault_system[fault], {})[fault] = shape.per_thousand
    return {s: {f: r / sum(rates.values()) for f, r in rates.items()} for s, rates in found.items()}


def capped(times: float) -> float:
    """How much the own jobs may move an odds: four times either way, so that a proof is never hidden."""
    return min(MOST_TIMES, max(1 / MOST_TIMES, times))
