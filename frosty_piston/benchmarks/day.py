"""Measures the day plan on made-up days: in time and idle minutes against the plain rule and against one job
after the other, the gap to what no plan can beat, and how long an answer takes."""

import random
import statistics
import time
from dataclasses import dataclass, field

from frosty_piston.core.day import (
    Day,
    DayLimits,
    Plan,
    cost,
    idle_minutes,
    in_time,
    one_after_other,
    plain_rule,
)
from frosty_piston.job.day.solver import lay_out, warm
from frosty_piston.knowledge.figures import general
from frosty_piston.rig.days import made_up_day

DAYS = 100
JOBS = (5, 12)
PEOPLE = (2, 3)


@dataclass
class Measured:
    """Sums over all days of one way to lay them out."""

    in_time: int = 0
    idle_min: int = 0
    cost: float = 0.0
    took_ms: list[float] = field(default_factory=list)


def seeded_days(seed: int, limits: DayLimits, count: int = DAYS) -> list[Day]:
    draw = random.Random(seed)
    return [
        made_up_day(draw.randrange(10**9), draw.randint(*JOBS), draw.choice(PEOPLE), limits)
        for _ in range(count)
    ]


def measure(days: list[Day], limits: DayLimits) -> tuple[dict[str, Measured], list[float], int]:
    """The three ways over all days; the gaps to the bound, and how many jobs had a deadline."""
    ways = {"one job after the other": one_after_other, "plain rule": plain_rule, "day plan": lay_out}
    found = {name: Measured() for name in ways}
    gaps = []
    for day in days:
        for name, way in ways.items():
            started = time.perf_counter()
            plan = way(day, limits)
            _add(found[name], day, plan, limits, time.perf_counter() - started)
            if plan.bound is not None:
                gaps.append(max(0.0, 1 - plan.bound / max(cost(day, plan, limits), 1.0)))
    return found, gaps, sum(w.deadline is not None for d in days for w in d.works)


def _add(to: Measured, day: Day, plan: Plan, limits: DayLimits, took_s: float) -> None:
    to.in_time += in_time(day, plan)
    to.idle_min += idle_minutes(day, plan)
    to.cost += cost(day, plan, limits)
    to.took_ms.append(took_s * 1000)


def benchmark_day(count: int = DAYS, seed: int | None = None) -> None:
    """Print what was measured over some days."""
    seed = random.randrange(10**6) if seed is None else seed
    limits = general(DayLimits)
    warm()
    found, gaps, due = measure(seeded_days(seed, limits, count), limits)
    print(f"Day plan: {count} made-up days of {JOBS[0]} to {JOBS[1]} jobs, seed {seed}; {due} deadlines.")
    for name, value in found.items():
        print(
            f"  {name}: {value.in_time / due:.1%} in time, {value.idle_min / count:.0f} idle minutes a day,"
            f" cost {value.cost / found['plain rule'].cost:.0%} of the plain rule,"
            f" {statistics.median(value.took_ms):.0f} ms (longest {max(value.took_ms):.0f})"
        )
    print(
        f"  gap to the solver's bound: {statistics.median(gaps):.1%} in the middle, {max(gaps):.1%} at most"
    )
