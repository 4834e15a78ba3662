"""A simulated technician: makes the tests that are proposed, until the stop rule."""

from collections import defaultdict

from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.next_step import next_step
from frosty_piston.job.repair.prove import prove
from frosty_piston.job.tape import jobfile
from frosty_piston.job.weighing import access
from frosty_piston.knowledge import Knowledge

from .testing import Entry, perform
from .vehicles import SimulatedVehicle, job_file

MOST_STEPS = 30
Step = tuple[str, dict[str, str]]


def thought(vehicle: SimulatedVehicle, entries: list[Entry], knowledge: Knowledge) -> Assessed:
    """What is thought of a vehicle by what was written down."""
    return Assessed(job_of(jobfile.check(job_file(vehicle.engine, entries), knowledge)), knowledge)


def proposed(assessed: Assessed) -> Step | None:
    """The test that the next step asks for; None once it says to decide."""
    step = next_step(assessed, prove(assessed))
    if step.kind == "reread" or step.kind == "test":
        spot = step.where.spot
        where = {key: str(spot[key]) for key in ("point", "node", "channel") if spot.get(key)}
        return step.where.test, where
    return None


def goes_on(assessed: Assessed) -> Step | None:
    """The next test while the complaint is still there after a repair."""
    n = assessed.proposals.first
    return None if n is None or assessed.proposals.sure.enough else (n.test, n.where)


def minutes_of(assessed: Assessed, knowledge: Knowledge, test: str, where: dict[str, str]) -> float:
    """What a test takes from here: its own minutes and what must still come off."""
    still = access.minutes_to(knowledge, access.access_reached(assessed.job, knowledge))
    way = access.way_of(assessed.job.engine, knowledge, test, where)
    return way.own_min + sum(still.get(x, 0.0) for x in way.access if x != access.COLD)


def follow(
    vehicle: SimulatedVehicle, entries: list[Entry], knowledge: Knowledge, mended: bool
) -> tuple[list[Entry], Assessed, float]:
    """Test by the proposals until the stop rule: what is written, what is thought, the minutes."""
    assessed = thought(vehicle, entries, knowledge)
    minutes = 0.0
    made: dict[str, int] = defaultdict(int)
    while sum(made.values()) < MOST_STEPS:
        step = goes_on(assessed) if mended else proposed(assessed)
        if step is None or made[str(step)] > 1:
            break
        made[str(step)] += 1
        minutes += minutes_of(assessed, knowledge, *step)
        entries = entries + perform(vehicle.condition, *step, vehicle.rng)
        assessed = thought(vehicle, entries, knowledge)
    return entries, assessed, minutes
