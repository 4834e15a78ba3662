"""Whether the brakes are assisted, by the last word on the pedal: with a hard one nothing is driven."""

from collections.abc import Iterable

from .entries import Entry, Outcome, Symptom
from .entries.kind import NO_BRAKES
from .tape import Job

PEDAL, COMPLAINT = "brake_pedal_feel", "hard_brake_pedal"


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


def road_bar(job: Job) -> str:
    """Why it is not driven, in words; empty when it may be."""
    return NO_BRAKES if brakes_hard(job) else ""
