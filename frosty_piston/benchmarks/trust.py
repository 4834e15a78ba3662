"""How far the reasoning can be trusted: simulated vehicles with physics of their own, sent through
the proposals until the stop rule and held against two plain ways of working."""

import os
import random
import statistics
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import islice

from frosty_piston.job.answer import parts_of
from frosty_piston.job.assessment import Assessed
from frosty_piston.knowledge import Knowledge, load_knowledge
from frosty_piston.rig.plumbed import leaks_at, made_on, with_circuit
from frosty_piston.rig.technician import MOST_STEPS, follow, goes_on, minutes_of, proposed, thought
from frosty_piston.rig.testing import Entry, perform
from frosty_piston.rig.vehicles import SimulatedVehicle, simulated

FIRST_TESTS = 3
MOST_REPAIRS = 12
FIRST_PROPOSED = 5
LEAST_OPEN = 3
LEAST_SPARED = 0.02
Way = Callable[[SimulatedVehicle, list[Entry], Knowledge, bool], tuple[list[Entry], Assessed, float]]
BINS = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0001)


@dataclass(frozen=True)
class Run:
    """One vehicle sent through. `apart`: each fault shows by itself; `stated`: the odds of the first
    repair; `minutes`: tests and repairs until cured, by the proposals, a fixed order, swapping parts;
    `idle`: how many of the first five tests on arrival spare next to nothing; `few`: under three are proposed
    there although something is open."""

    faults: tuple[str, ...]
    systems: tuple[str, ...]
    right: bool
    both: bool
    apart: bool
    stated: float
    accused: bool
    minutes: float
    fixed: float
    swapping: float
    idle: int
    few: bool


def _in_order(
    vehicle: SimulatedVehicle, entries: list[Entry], knowledge: Knowledge, mended: bool
) -> tuple[list[Entry], Assessed, float]:
    """The same stop rule, the tests in a plain order: cheapest first, each at its first place."""
    assessed = thought(vehicle, entries, knowledge)
    minutes = 0.0
    done = {e["data"]["test"] for e in entries if e["kind"] in ("reading", "outcome")} if mended else set()
    engine = assessed.job.engine
    tests = [
        t for t in knowledge.findings if not engine.rules_out(knowledge.tests[t].needs) and t not in done
    ]
    cost = {t: minutes_of(assessed, knowledge, t, {}) for t in tests}
    for test in sorted(tests, key=lambda t: cost[t]):
        if (goes_on(assessed) if mended else proposed(assessed)) is None:
            break
        minutes += minutes_of(assessed, knowledge, test, {})
        fits = (
            n
            for f in knowledge.findings[test]
            for n in f.shape.nodes
            if not engine.rules_out(knowledge.nodes[n].needs)
        )
        node = next(fits, None)
        entries = entries + perform(vehicle.condition, test, {"node": node} if node else {}, vehicle.rng)
        assessed = thought(vehicle, entries, knowledge)
    return entries, assessed, minutes


def _until_cured(vehicle: SimulatedVehicle, knowledge: Knowledge, way: Way) -> float:
    """Test, mend the likeliest, drive, test on while something of the complaint is there or a code comes
    back: the minutes of the tests and the repairs."""
    entries = [*vehicle.arrival, *vehicle.scan]
    minutes = 0.0
    tried = set[str]()
    for turn in range(MOST_REPAIRS):
        entries, assessed, spent = way(vehicle, entries, knowledge, turn > 0)
        repair = next(
            (r for r in [*assessed.suspicion.repairs_needed, *knowledge.repairs] if r not in tried), ""
        )
        shape = knowledge.repairs[repair].shape
        minutes += spent + shape.minutes + shape.part_minutes
        tried.add(repair)
        vehicle = vehicle.mended(knowledge.repairs[repair].cures)
        if not vehicle.shows:
            break
        did = {"action": "replaced", "what": knowledge.repairs[repair].title, "repair": repair}
        entries = [*entries, {"kind": "action", "data": did}, *vehicle.after_the_drive()]
    return minutes


def _swapping(vehicle: SimulatedVehicle, assessed: Assessed, knowledge: Knowledge) -> float:
    """Repairs tried on arrival, likeliest first, until nothing of the complaint is there."""
    minutes = 0.0
    for repair in dict.fromkeys([*assessed.suspicion.repairs_needed, *knowledge.repairs]):
        shape = knowledge.repairs[repair].shape
        minutes += shape.minutes + shape.part_minutes
        mended = vehicle.mended(knowledge.repairs[repair].cures)
        if mended.faults != vehicle.faults and not mended.shows:
            break
        vehicle = mended
    return minutes


def run(seed: int) -> Run:
    """Send the vehicle of a seed through."""
    knowledge = load_knowledge()
    vehicle = simulated(seed, knowledge)
    arrived = thought(vehicle, [*vehicle.arrival, *vehicle.scan], knowledge)
    _, assessed, _ = follow(simulated(seed, knowledge), [*vehicle.arrival, *vehicle.scan], knowledge, False)
    repairs = list(assessed.suspicion.repairs_needed.items())
    wanted = [knowledge.repair_of[f] for f in vehicle.faults]
    first = repairs[0] if repairs else ("", 0.0)
    leading = [s.fault for s in islice(assessed.suspicion.suspects, FIRST_TESTS)]
    return Run(
        vehicle.faults,
        tuple(knowledge.fault_system[f] for f in vehicle.faults),
        first[0] in wanted,
        set(vehicle.faults) <= set(leading),
        vehicle.shown_apart,
        first[1],
        any(s.probability > 0.5 for s in assessed.suspicion.suspects[:1]),
        _until_cured(simulated(seed, knowledge), knowledge, follow) if wanted else 0.0,
        _until_cured(simulated(seed, knowledge), knowledge, _in_order) if wanted else 0.0,
        _swapping(vehicle, arrived, knowledge),
        sum(n.spared < LEAST_SPARED for n in arrived.proposals.top(FIRST_PROPOSED)),
        len(arrived.proposals.top(LEAST_OPEN)) < LEAST_OPEN and not arrived.proposals.sure.enough,
    )


def benchmark_trust(count: int = 600, seed: int | None = None) -> None:
    """Print by system what came out right, how true the odds were, and the minutes."""
    seed = random.SystemRandom().randrange(10**6) if seed is None else seed
    print(f"{count} simulated vehicles, seed {seed}")
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        runs = list(pool.map(run, range(seed, seed + count), chunksize=5))
    _print_by_system([r for r in runs if len(r.faults) == 1])
    benchmark_circuits(count, seed)
    single, double = ([r for r in runs if len(r.faults) == n] for n in (1, 2))
    sound = [r for r in runs if not r.faults]
    _share("right repair first, one fault", [r.right for r in single], "over 90 %")
    _share("both of two in the first three", [r.both for r in double], "over 70 %")
    _share("  where each shows by itself", [r.both for r in double if r.apart], "over 70 %")
    ill = [*single, *double]
    if ill:
        brier = statistics.mean((r.stated - r.right) ** 2 for r in ill)
        print(f"{'Brier score of the first repair':36} {brier:8.3f}   (wanted: under 0.1)")
    _share("healthy accused over 50 %", [r.accused for r in sound], "under 2 %")
    _print_reliability(ill)
    idle, few = sum(r.idle for r in runs), sum(r.few for r in runs)
    print(f"of the first five tests on arrival, spare under 2 %: {idle} of {FIRST_PROPOSED * len(runs)}")
    print(f"fewer than three tests proposed on arrival: {few} of {len(runs)}   (wanted: none of both)")
    for how in (statistics.mean, statistics.median) if ill else ():
        ours, fixed, swaps = (how([getattr(r, x) for r in ill]) for x in ("minutes", "fixed", "swapping"))
        better = min(fixed, swaps)
        print(
            f"minutes, {how.__name__}: {ours:.0f}; fixed order {fixed:.0f}, swapping {swaps:.0f}:"
            f" {ours / better:.0%} of the better other (wanted: under 60 %)"
        )


def _share(what: str, held: list[bool], wanted: str) -> None:
    shown = f"{statistics.mean(held):.1%}" if held else "none"
    print(f"{what:36} {shown:>8}   (wanted: {wanted}; {len(held)} of them)")


def _print_by_system(runs: list[Run]) -> None:
    by_system: dict[str, list[bool]] = defaultdict(list)
    for run in runs:
        by_system[run.systems[0]].append(run.right)
    for system, rights in sorted(by_system.items()):
        print(f"  {system:12} {sum(rights):3} of {len(rights):3} right")
    missed: dict[str, int] = defaultdict(int)
    for run in runs:
        missed[run.faults[0]] += not run.right
    worst = sorted(((n, f) for f, n in missed.items() if n), reverse=True)[:12]
    print("  missed most: " + ", ".join(f"{f} {n}" for n, f in worst))


def _print_reliability(runs: list[Run]) -> None:
    off = 0.0
    for low, high in zip(BINS, BINS[1:], strict=False):
        here = [r for r in runs if low <= r.stated < high]
        if here:
            stated = statistics.mean(r.stated for r in here)
            true = statistics.mean(r.right for r in here)
            off += abs(stated - true) * len(here) / len(runs)
            print(f"  stated {stated:4.0%}, right {true:4.0%}   ({len(here)})")
    print(f"{'expected error of the odds':36} {off:8.1%}   (wanted: under 4 %)")


@dataclass(frozen=True)
class OnCircuit:
    """One vehicle with a leak, its circuit written down: whether the place was found first, whether the right
    repair was, the minutes of the tests, and those of the same vehicle without its circuit."""

    placed: bool
    right: bool
    minutes: float
    without: float


def run_on_circuit(seed: int) -> OnCircuit | None:
    """Send the vehicle of a seed through with its circuit; None where nothing of it leaks."""
    knowledge = load_knowledge()
    plain_vehicle = simulated(seed, knowledge)
    vehicle, found = with_circuit(plain_vehicle, knowledge)
    leaks = leaks_at(vehicle, found, knowledge)
    if len(vehicle.faults) != 1 or not leaks:
        return None
    entries = [*vehicle.arrival, *vehicle.scan]
    minutes = 0.0
    made: dict[str, int] = defaultdict(int)
    assessed = thought(vehicle, entries, knowledge)
    while sum(made.values()) < MOST_STEPS:
        step = proposed(assessed)
        if step is None or made[str(step)] > 1:
            break
        made[str(step)] += 1
        minutes += minutes_of(assessed, knowledge, *step)
        entries = entries + made_on(vehicle, found, knowledge, step)
        assessed = thought(vehicle, entries, knowledge)
    first = next(iter(assessed.suspicion.repairs_needed), "")
    fault = assessed.suspicion.suspects[0].fault
    places = parts_of(assessed, fault, 1.0)
    _, _, without = follow(
        simulated(seed, knowledge), [*plain_vehicle.arrival, *plain_vehicle.scan], knowledge, False
    )
    return OnCircuit(
        bool(places) and places[0][0] in leaks,
        first == knowledge.repair_of[vehicle.faults[0]],
        minutes,
        without,
    )


def benchmark_circuits(count: int, seed: int) -> None:
    """Print how leaks are found on vehicles whose circuit is written down."""
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        runs = [r for r in pool.map(run_on_circuit, range(seed, seed + count), chunksize=5) if r]
    print(f"with the vacuum circuit written down: {len(runs)} of {count} vehicles leak at one place of it")
    if runs:
        _share("  right repair first", [r.right for r in runs], "over 90 %")
        _share("  right place first", [r.placed for r in runs], "no figure set")
        ours, without = (statistics.mean(getattr(r, x) for r in runs) for x in ("minutes", "without"))
        print(f"  minutes of tests {ours:.0f}, without the circuit {without:.0f}")
