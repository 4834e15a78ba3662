"""Measures how a leak is found in made-up vacuum circuits: minutes against one place after the other from the
pump outward, and against the fewest that any order could take."""

import random
import statistics
import time
from dataclasses import dataclass, field
from functools import cache

from frosty_piston.core.isolate import Branches, optimum_minutes
from frosty_piston.job.circuit.on_tape import leaking
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.circuits import made_up

CIRCUITS = 200
FEWEST = 8
MOST = 25
SOLVED_STATES = 270_000
MOST_SOLVED = 18
HEALTHY_OF = 10
TWO_OF = 8


@dataclass
class Found:
    """What was measured: sums of expected minutes, how many circuits were solved to the end, times in ms."""

    named: float = 0.0
    one_by_one: float = 0.0
    named_where_solved: float = 0.0
    optimum: float = 0.0
    solved: int = 0
    two_leaks: int = 0
    healthy: int = 0
    took_ms: list[float] = field(default_factory=list)


def expected(branches: Branches) -> float:
    """The minutes expected when every step is the one that is named."""

    @cache
    def from_here(left: int) -> float:
        off = branches.next_block_off(left)
        if off is None:
            return 0.0
        inside = off.tests & left
        return off.minutes + (1 - off.holds) * from_here(inside) + off.holds * from_here(left & ~inside)

    return from_here(branches.everything)


def walked(branches: Branches, leaks: set[int], named: bool) -> float:
    """The minutes until every one of some leaks is found and the whole holds: the whole is tested first, and
    again after each mend."""
    left_leaks = set(leaks)
    minutes = branches.sites[0].minutes
    whole = branches.sites[0].minutes
    cleared = 0
    while left_leaks:
        left = branches.everything & ~cleared
        if named:
            minutes += _by_name(branches, left, left_leaks)
        else:
            minutes += _one_by_one(branches, left, left_leaks)
        minutes += whole
    return minutes


def _by_name(branches: Branches, left: int, leaks: set[int]) -> float:
    spent = 0.0
    while (off := branches.next_block_off(left)) is not None:
        spent += off.minutes
        inside = off.tests & left
        left = inside if any(inside >> n & 1 for n in leaks) else left & ~inside
    leaks.discard(left.bit_length() - 1)
    return spent


def _one_by_one(branches: Branches, left: int, leaks: set[int]) -> float:
    spent = 0.0
    places = [n for n in range(len(branches.sites)) if left >> n & 1]
    for n in places:
        spent += branches.sites[n].minutes if n != places[-1] else 0.0
        if n in leaks:
            leaks.discard(n)
            break
    return spent


def measure(circuits: int = CIRCUITS, seed: int = 20260101) -> Found:
    """Make circuits and look for their leaks. Every tenth is healthy, every eighth leaks in two places."""
    knowledge = load_knowledge()
    rng = random.Random(seed)
    found = Found()
    for number in range(circuits):
        branches = leaking(made_up(rng, rng.randint(FEWEST, MOST)), knowledge).branches
        begun = time.perf_counter()
        branches.next_block_off(branches.everything)
        found.took_ms.append((time.perf_counter() - begun) * 1000)
        if number % HEALTHY_OF == 0:
            found.healthy += 1
            found.named += branches.sites[0].minutes
            found.one_by_one += sum(s.minutes for s in branches.sites)
        elif number % TWO_OF == 0:
            found.two_leaks += 1
            leaks = set(rng.choices(range(len(branches.sites)), [s.odds for s in branches.sites], k=2))
            found.named += walked(branches, leaks, True)
            found.one_by_one += walked(branches, leaks, False)
        else:
            minutes = expected(branches)
            found.named += minutes
            found.one_by_one += branches.one_by_one(branches.everything).minutes
            few = len(branches.sites) <= MOST_SOLVED
            best = optimum_minutes(branches, branches.everything, SOLVED_STATES) if few else None
            if best is not None:
                found.solved = found.solved + 1
                found.optimum = found.optimum + best
                found.named_where_solved += minutes
    return found


def benchmark_vacuum(circuits: int = CIRCUITS) -> int:
    found = measure(circuits)
    print(f"Leaks in {circuits} made-up vacuum circuits of {FEWEST} to {MOST} parts")
    print(
        f"  {found.healthy} healthy, {found.two_leaks} with two leaks; minutes as named"
        f" {found.named / found.one_by_one:.0%} of one by one"
    )
    if found.solved:
        print(
            f"  where the optimum can be worked out ({found.solved}):"
            f" {found.named_where_solved / found.optimum - 1:.1%} more than it"
        )
    took = sorted(found.took_ms)
    print(
        f"  next block-off: median {statistics.median(took):.1f} ms,"
        f" 95 % under {took[int(0.95 * len(took))]:.1f} ms"
    )
    return 0
