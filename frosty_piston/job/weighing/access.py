"""What the vehicle is ready for: what is off already, hot or cold, on the lift; and what each test still
needs."""

from collections.abc import Mapping
from dataclasses import dataclass

from frosty_piston.job.engine import EngineCard
from frosty_piston.job.entries import FitStep, Outcome, Reading, State
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import TestFinding

COLD = "engine_cold"
HOT = "engine_hot"
WAITS = "customer_waits"
KEY_ON = "key_on"
GROUND_OFF = "battery_ground_off"
WARMS = ("running", HOT)
PASSING = ("running", KEY_ON, COLD)
WAIT_FOR_COLD_MIN = 20.0
LONGEST_WHILE_WAITED_FOR = 30.0


def states(job: Job, knowledge: Knowledge) -> frozenset[str]:
    """What holds now by the latest word: engine cold or hot, raised, the customer waits. Running it ends
    "cold"."""
    held: set[str] = set()
    for entry in job.of(State, Reading, Outcome):
        if entry.kind == "state":
            name = entry.data.state
            held = held | {name} if entry.data.on else held - {name}
            if entry.data.on and name in (COLD, HOT):
                held -= {COLD, HOT} - {name}
        elif any(a in WARMS for a in knowledge.tests[entry.data.test].access):
            held.discard(COLD)
    return frozenset(held)


def access_reached(job: Job, knowledge: Knowledge) -> set[str]:
    """The access states this job has paid for already, by what was said and by the tests on its tape."""
    now = states(job, knowledge)
    reached = set(now - {WAITS})
    for entry in job.of(Reading, Outcome):
        shape = knowledge.tests[entry.data.test]
        reached |= set(shape.access) | set(
            shape.at[entry.data.where.point].access if entry.data.where.point in shape.at else ()
        )
    reached -= set(PASSING) - now
    return reached - {HOT} if COLD in now else reached


@dataclass(frozen=True)
class Way:
    """How a test is best made now: at which point, minutes of its own, the access it needs, its part by
    id."""

    point: str | None
    own_min: float
    access: tuple[str, ...]


def ground_is_off(job: Job, knowledge: Knowledge) -> bool:
    """Whether a battery ground lies off: a step of some work took it off, and none put it back since."""
    off: set[tuple[str, str]] = set()
    for entry in job.of(FitStep):
        if entry.data.state != "done" or entry.data.plan not in knowledge.repairs:
            continue
        shape = next((s for s in knowledge.repairs[entry.data.plan].steps if s.id == entry.data.step), None)
        if shape is None:
            continue
        off -= {(entry.data.plan, refitted) for refitted in shape.refits}
        if GROUND_OFF in shape.cautions:
            off.add((entry.data.plan, shape.id))
    return bool(off)


def minutes_to(knowledge: Knowledge, reached: set[str]) -> dict[str, float]:
    """What each access would still take. Cold is waiting, not work, and the wait is filled with other jobs:
    it stands for a few minutes only, so that what can be done now goes first."""
    return {
        needed_access: WAIT_FOR_COLD_MIN if needed_access == COLD else shape.minutes
        for needed_access, shape in knowledge.access.items()
        if needed_access not in reached
    }


def cheapest_way(job: Job, knowledge: Knowledge, known: TestFinding, still: dict[str, float]) -> Way:
    """Return at which point a finding is read with the fewest minutes.

    Points where wires lie open are chosen before the module's own plug: a card may put an intake in the way.
    """
    points: list[str | None] = [p for p in known.shape.points if p in knowledge.tests[known.test].at] or [
        None
    ]
    ways = [way_at(job.engine, knowledge, known, point) for point in points]
    return min(ways, key=lambda w: w.own_min + sum(still.get(a, 0.0) for a in w.access))


def way_at(engine: EngineCard, knowledge: Knowledge, known: TestFinding, point: str | None) -> Way:
    """Return what a finding takes at one point: its own minutes, and what must be reached."""
    shape = knowledge.tests[known.test]
    at = shape.at.get(point) if point else None
    access = tuple(at.access if at else shape.access)
    if point == "plug" and (own := engine.choice("glow_plug_access")):
        access = (own,)
    access = (*access, *(x for x in known.shape.reach if x not in access))
    return Way(point, at.minutes if at and at.minutes else shape.minutes, access)


def way_of(engine: EngineCard, knowledge: Knowledge, test: str, where: Mapping[str, str]) -> Way:
    """Return what a test takes at a place that is named. Raises KeyError for a test that tells nothing."""
    node = where.get("node")
    found = knowledge.findings[test]
    known = next((f for f in found if node and node in f.shape.nodes), found[0])
    return way_at(engine, knowledge, known, where.get("point"))
