"""What stops the engine: known before it runs, on every engine that may run on with the key off."""

from dataclasses import dataclass

from frosty_piston.core.words import sentence
from frosty_piston.job.entries import Action, Entry, Outcome, Tick
from frosty_piston.job.entries.kind import STOP_OPEN
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge

LEVER = "stop_lever"
HAND_PUMP = "stop_hand_pump"
CAUTION = "emergency_stop_first"


@dataclass(frozen=True)
class Measure:
    """A way to stop it until the repair is done: what it is, and what the driver is told."""

    title: str
    driver: str


MEASURES = {
    "hand_tap": Measure(
        "Hand tap in the vacuum line, brought into the cabin",
        "Turn the tap and wait until the engine stands. Turn it back, or it will not start.",
    ),
    "syringe": Measure(
        "Syringe on the stop actuator's hose",
        "Pull the syringe right out and hold it until the engine stands. Let it go, or it will not start.",
    ),
    "pull_cable": Measure(
        "Pull cable on the stop lever, brought into the cabin",
        "Pull the cable and hold it until the engine stands. Push it right back, or it will not start.",
    ),
}


def open_after(before: bool, entry: Entry) -> bool:
    """Whether it is still open what stops an engine, once an entry stands: the lever does, or somebody wrote
    how the air will be closed."""
    data = entry.data
    if isinstance(data, Outcome) and data.test == LEVER and data.outcome == "stops":
        return False
    return before and not (isinstance(data, Tick) and data.caution == CAUTION and data.how)


def lever_result(job: Job) -> Entry[Outcome] | None:
    """The last word on the emergency lever."""
    return next((x for x in reversed(list(job.of(Outcome))) if x.data.test == LEVER), None)


def way_written(job: Job) -> str:
    """How the engine will be stopped, as it was written down last; empty when nobody did."""
    return next(
        (x.data.how for x in reversed(list(job.of(Tick))) if x.data.caution == CAUTION and x.data.how), ""
    )


def stopped_by_hand(job: Job) -> bool:
    """Whether a hand pump on the stop actuator has stopped it already: then there is a way, and the lever
    need not be the first thing named."""
    return any(
        x.data.test == HAND_PUMP and not (x.data.outcome or "no_stop").startswith("no_stop")
        for x in job.of(Outcome)
    )


def measures_on(job: Job) -> list[Entry[Action]]:
    """The temporary measures that were brought in and not taken off again."""
    on: dict[str, Entry[Action]] = {}
    for action in job.of(Action):
        if action.data.temporary and action.data.repair is None:
            on[action.data.what] = action
        elif action.data.action == "removed":
            on.pop(action.data.what, None)
    return list(on.values())


def stop_open(job: Job) -> bool:
    """Whether nothing is known yet that stops this engine. A lever that once stopped it and now does not is
    no help."""
    if not job.engine.stop_unsure or way_written(job):
        return False
    lever = lever_result(job)
    return lever is None or lever.data.outcome != "stops"


def stop_bar(job: Job, knowledge: Knowledge, tests: list[str]) -> str:
    """Why tests cannot be made yet, in words; empty when they can: they run the engine, and nothing is known
    that stops it."""
    running = any(knowledge.tests[t].runs and not knowledge.tests[t].stops_it for t in tests)
    return f"{sentence(STOP_OPEN)}." if running and stop_open(job) else ""
