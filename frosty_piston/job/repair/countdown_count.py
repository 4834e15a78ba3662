"""How a countdown counts: which one still runs, what entries take of it, when it bars a drive."""

from frosty_piston.core.quantity import plain
from frosty_piston.job.entries import (
    Condition,
    Drive,
    Entry,
    Outcome,
    ProofStep,
    Reading,
    ResetStep,
    Symptom,
    Trace,
)
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge

KM = "countdown_km"
STARTS = "countdown_starts"
UNITS = {KM: "km", STARTS: "count"}
SYMPTOM = "restart_countdown"
UNLATCHED = ("countdown",)


def still_counts(job: Job) -> Entry[Condition] | None:
    """The last word on a countdown that has not ended: it ends when it is said to be gone, or when it was
    reset."""
    last = None
    for x in job.live:
        last = counts_after(last, x)
    return last


def was_reset(job: Job) -> bool:
    """Whether a countdown ran and has ended."""
    last = None
    ran = False
    for x in job.live:
        last = counts_after(last, x)
        ran = ran or last is not None
    return ran and last is None


def counts_after(before: Entry[Condition] | None, entry: Entry) -> Entry[Condition] | None:
    """The countdown that runs, once an entry stands."""
    data = entry.data
    if isinstance(data, Condition) and data.name in UNITS:
        return entry
    if isinstance(data, Symptom) and data.symptom == SYMPTOM and not data.present:
        return None
    if isinstance(data, ResetStep) and data.step in UNLATCHED and data.result == "done":
        return None
    if isinstance(data, ProofStep) and data.step in UNLATCHED and data.result == "pass":
        return None
    return before


def taken_by(axis: str, knowledge: Knowledge, entry: Entry, runs: bool) -> tuple[float, bool]:
    """What an entry takes of a countdown, and whether the engine runs after it: a start for a test that
    cranks, and for one that runs when the one before did not."""
    data = entry.data
    if isinstance(data, Drive):
        if axis == KM:
            return data.distance_km or 0.0, False
        return (data.starts if data.starts is not None else 1.0), False
    if axis == STARTS and isinstance(data, Reading | Outcome | Trace) and data.test in knowledge.tests:
        shape = knowledge.tests[data.test]
        if shape.cranks:
            return 1.0, False
        return (0.0 if runs or not shape.runs else 1.0), shape.runs
    if axis == STARTS and isinstance(data, ProofStep) and data.step in knowledge.proofs.conditions:
        return 1.0, False
    return 0.0, runs


def used_since(job: Job, knowledge: Knowledge, entry: Entry[Condition]) -> float:
    """What was driven or started since a countdown was written down."""
    used = 0.0
    runs = False
    for x in job.live[job.position[entry.id] + 1 :]:
        more, runs = taken_by(entry.data.name, knowledge, x, runs)
        used += more
    return used


def drive_bar(left: float, floor: float, axis: str) -> str:
    """Why a countdown bars a drive, in words; empty when it does not."""
    unit = "km" if axis == KM else "starts"
    if left <= 0:
        return "the countdown is at zero: it is not driven off the lift before it is unlatched"
    if left <= floor:
        return (
            f"{plain(round(left))} {unit} are left of the countdown and {plain(round(floor))} are kept back:"
            " cure and unlatch first, or write down what the dash shows now"
        )
    return ""
