"""Measures what own odds are worth: simulated workshops whose true rates differ from the general ones, and
how often the right repair stands first on arrival, by how many proven jobs they have learned from."""

import os
import random
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from statistics import mean, stdev
from typing import Any

from frosty_piston.job.afterwards.experience import NO_EXPERIENCE, Experience
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.tape.jobfile import check
from frosty_piston.job.weighing.own_odds import Own
from frosty_piston.knowledge import Knowledge, load_knowledge
from frosty_piston.rig.demo import world
from frosty_piston.rig.demo.year import true_rates
from frosty_piston.rig.vehicles import SimulatedVehicle, job_file, simulated

WORKSHOPS = 8
HELD_OUT = 600
STEPS = (10, 25, 50, 100, 200)
POINT = 0.01


@dataclass(frozen=True)
class OfWorkshop:
    """One workshop: for each vehicle held out whether the right repair stood first, by the general odds and
    after so many jobs."""

    card: str
    general: list[bool]
    after: Mapping[int, list[bool]]

    def better(self, jobs: int) -> tuple[float, float]:
        """How much more often it stood first after so many jobs, and the standard error of that: of the
        differences, vehicle by vehicle."""
        apart = [float(a) - float(g) for a, g in zip(self.after[jobs], self.general, strict=True)]
        return mean(apart), stdev(apart) / len(apart) ** 0.5


def _first(vehicle: SimulatedVehicle, knowledge: Knowledge, experience: Experience) -> str:
    """The repair that stands first on arrival."""
    file = job_file(vehicle.engine, [*vehicle.arrival, *vehicle.scan])
    assessed = Assessed(job_of(check(file, knowledge)), knowledge, experience)
    return next(iter(assessed.suspicion.repairs_needed), "")


def _right(vehicles: list[SimulatedVehicle], knowledge: Knowledge, experience: Experience) -> list[bool]:
    return [_first(v, knowledge, experience) in {knowledge.repair_of[f] for f in v.faults} for v in vehicles]


def _learned(knowledge: Knowledge, engine: dict[str, Any], faults: list[tuple[str, ...]]) -> Own:
    """What jobs with these faults teach: one line for each, as it stands when each was proven."""
    lines = {
        f"j{index}": (engine["name"], knowledge.fault_system[mine[0]], dict.fromkeys(mine, 1.0))
        for index, mine in enumerate(faults)
    }
    return Own(True, lines)


def workshop(seed: int, held_out: int = HELD_OUT) -> OfWorkshop:
    """One workshop with rates of its own, on one engine card."""
    knowledge = load_knowledge()
    draw = random.Random(seed)
    engine = dict(draw.choice(world.CARDS))
    rates = true_rates(knowledge, EngineCard.model_validate(engine), draw)

    def vehicles(count: int) -> list[SimulatedVehicle]:
        made = (simulated(draw.randrange(2**31), knowledge, engine, rates) for _ in iter(int, 1))
        return [v for v, _ in zip((v for v in made if v.faults), range(count), strict=False)]

    taught = [v.faults for v in vehicles(max(STEPS))]
    test = vehicles(held_out)
    after = {
        n: _right(test, knowledge, Experience(own=_learned(knowledge, engine, taught[:n]))) for n in STEPS
    }
    return OfWorkshop(engine["name"], _right(test, knowledge, NO_EXPERIENCE), after)


def benchmark_learning(seed: int | None = None, workshops: int = WORKSHOPS) -> None:
    """Print what was measured."""
    seed = random.randrange(10**6) if seed is None else seed
    draw = random.Random(seed)
    print(f"Own odds: {workshops} workshops with rates of their own, {HELD_OUT} vehicles each, seed {seed}")
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        found = list(pool.map(workshop, [draw.randrange(10**9) for _ in range(workshops)]))
    general = mean(mean(w.general) for w in found)
    print(f"  right repair first on arrival, general odds: {general:.1%}")
    first = None
    for n in STEPS:
        apart = [w.better(n) for w in found]
        worst, unsure = min(apart)
        gain = mean(a for a, _ in apart)
        surely = sum(a + 2 * u < -POINT for a, u in apart)
        first = n if first is None and gain > 0 else first
        print(
            f"  after {n} proven jobs: {general + gain:.1%}; the worst workshop {100 * worst:+.1f} ±"
            f" {200 * unsure:.1f} points, surely worse by over a point: {surely}"
        )
    print(f"  better than the general odds from {first} proven jobs on" if first else "  never better")
