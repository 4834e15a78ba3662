"""Whether the vehicle may be driven: not with a hard brake pedal, and not on the last of a countdown."""

from collections.abc import Iterable
from dataclasses import dataclass

from frosty_piston.core.countdown import CountdownLimits
from frosty_piston.job.afterwards.experience import Experience
from frosty_piston.job.entries import Condition, Entry, Outcome, Symptom
from frosty_piston.job.entries.kind import NO_BRAKES
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert
from frosty_piston.knowledge import Knowledge

from .countdown_count import KM, UNITS, counts_after, drive_bar, still_counts, taken_by, used_since

PEDAL = "brake_pedal_feel"
COMPLAINT = "hard_brake_pedal"


def hard_after(before: bool, entry: Entry) -> bool:
    """Whether the pedal counts as hard, once an entry stands: complained of or felt hard, until it is felt
    normal."""
    data = entry.data
    if isinstance(data, Outcome) and data.test == PEDAL and data.outcome:
        return data.outcome == "hard"
    if isinstance(data, Symptom) and data.symptom == COMPLAINT:
        return data.present
    return before


def brakes_hard(job: Job) -> bool:
    """Whether the pedal is hard by the last word on it."""
    return _last(job.of(Outcome, Symptom))


def _last(entries: Iterable[Entry]) -> bool:
    hard = False
    for x in entries:
        hard = hard_after(hard, x)
    return hard


def floor_of(job: Job, knowledge: Knowledge, experience: Experience, axis: str) -> float:
    """What is kept back of a countdown: the workshop's own floor before the general one."""
    limits = knowledge.limits(CountdownLimits, job.engine.limits)
    return experience.floors.get(axis, float(limits.floor_km if axis == KM else limits.floor_starts))


@dataclass
class Road:
    """What bars a drive, kept up entry by entry. `left`: what is left of a countdown; None without one."""

    knowledge: Knowledge
    floors: dict[str, float]
    hard: bool = False
    counting: Entry[Condition] | None = None
    left: float = 0.0
    runs: bool = False

    @classmethod
    def of(cls, job: Job, knowledge: Knowledge, experience: Experience) -> "Road":
        counting = still_counts(job)
        floors = {axis: floor_of(job, knowledge, experience, axis) for axis in UNITS}
        road = cls(knowledge, floors, brakes_hard(job), counting)
        if counting is not None:
            road.left = road._said(counting) - used_since(job, knowledge, counting)
        return road

    def after(self, entry: Entry) -> None:
        """Take in an entry."""
        self.hard = hard_after(self.hard, entry)
        counting = counts_after(self.counting, entry)
        if counting is entry:
            self.left = self._said(entry)
            self.runs = False
        elif counting is not None:
            used, self.runs = taken_by(counting.data.name, self.knowledge, entry, self.runs)
            self.left -= used
        self.counting = counting

    @staticmethod
    def _said(entry: Entry[Condition]) -> float:
        return convert(float(entry.data.value), entry.data.unit, UNITS[entry.data.name])

    @property
    def bar(self) -> str:
        """Why it is not driven, in words; empty when it may be."""
        if self.hard:
            return NO_BRAKES
        if self.counting is None:
            return ""
        axis = self.counting.data.name
        return drive_bar(max(self.left, 0.0), self.floors[axis], axis)

    @property
    def no_start(self) -> bool:
        """Whether no start is left at all."""
        return self.counting is not None and self.counting.data.name != KM and self.left <= 0
