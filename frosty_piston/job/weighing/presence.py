"""What a test is worth on a complaint that comes and goes: what is found sound while it is away clears little
of the faults that are away with it."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import lru_cache

from frosty_piston.core.cached import cached_property
from frosty_piston.core.codes import decode
from frosty_piston.core.suspects.space import Finding
from frosty_piston.core.telling import TellingLimits
from frosty_piston.job.entries import Code, Outcome, Reading
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import TestFinding

SEEN_LASTS = "seen"
THERE_NOW = {"current", "cleared_and_back"}


@dataclass(frozen=True)
class ComingAndGoing:
    """What of a complaint comes and goes: the entries that say so, and the faults that they speak for, less
    those of a code that stands just now. That a code took its time to come back says nothing of it: many
    monitors wait for a drive."""

    entries: tuple[str, ...]
    faults: frozenset[str]


def comes_and_goes(job: Job, knowledge: Knowledge) -> ComingAndGoing:
    """What somebody, or the status of a code, says comes and goes on a job."""
    entries = list[str]()
    faults = set[str]()
    for name, x in job.symptoms.items():
        if x.data.present and x.data.comes_and_goes:
            entries.append(x.id)
            faults |= set(knowledge.symptoms[name].speaks)
    there = set[str]()
    for code in job.of(Code):
        known = knowledge.codes.get(decode(code.data.code).code)
        of_code = set(knowledge.groups[known.group].speaks) if known and known.group else set[str]()
        said = {code.data.status, *code.data.also}
        if "intermittent" in said:
            entries.append(code.id)
            faults |= of_code
        elif said & THERE_NOW:
            there |= of_code
    return ComingAndGoing(tuple(dict.fromkeys(entries)), frozenset(faults - there))


@dataclass(frozen=True)
class Presence:
    """Whether the complaint was there when each test of a job was made."""

    job: Job
    knowledge: Knowledge

    @cached_property
    def _said(self) -> dict[str, bool]:
        held = ((x.id, x.data.conditions) for x in self.job.live if isinstance(x.data, Reading | Outcome))
        return {i: c.present for i, c in held if c and c.present is not None}

    @cached_property
    def goes(self) -> ComingAndGoing:
        return comes_and_goes(self.job, self.knowledge)

    @cached_property
    def _unsaid(self) -> float:
        """The share of tests made while it was away, where nobody said."""
        return float(self.knowledge.limits(TellingLimits, self.job.engine.limits).away_unsaid)

    def away(self, entries: Iterable[str]) -> float:
        """How surely the complaint was away while some entries were written, 0 to 1: once seen is there."""
        said = [self._said.get(i) for i in entries]
        if any(said):
            return 0.0
        return 1.0 if False in said else self._unsaid

    def found_sound(self, known: TestFinding, finding: Finding, entries: Iterable[str]) -> Finding:
        """A finding as it is weighed when it came out sound."""
        return finding if lasts(known) else self._weighed(finding, self.away(entries))

    def to_come(self, known: TestFinding, finding: Finding) -> Finding:
        """A finding as it is weighed before the test is made."""
        return finding if lasts(known) else self._weighed(finding, self._unsaid)

    def _weighed(self, finding: Finding, away: float) -> Finding:
        faults = self.goes.faults.intersection(finding.shows)
        return while_away(self.knowledge, finding, faults, away) if faults else finding


def lasts(known: TestFinding) -> bool:
    """Whether a test finds its faults at any moment, as it finds what is seen on a part."""
    shape = known.shape
    return shape.how == SEEN_LASTS if shape.lasting is None else shape.lasting


@lru_cache(maxsize=2048)
def while_away(knowledge: Knowledge, finding: Finding, faults: frozenset[str], away: float) -> Finding:
    """A finding made while the complaint may be away: a fault that is away with it shows as no fault does.

    `faults`: those that come and go with it; `away`: how surely it is away, 0 to 1.
    """
    shows = dict(finding.shows)
    for fault in faults:
        there = 1 - away * (1 - knowledge.faults[fault].quiet)
        shows[fault] = there * shows[fault] + (1 - there) * finding.general
    return replace(finding, shows=shows)
