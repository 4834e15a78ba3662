"""Small made-up engines on which the choice of tests is held against the exact optimum and two usual ways of
working."""

from collections.abc import Callable
from dataclasses import dataclass
from itertools import product

import numpy as np

from frosty_piston.core.suspects.next_test import Belief, Test, propose, repair_minutes, sure_enough

FAULTS = 8
TESTS = 10
SYSTEMS = 3


@dataclass(frozen=True, eq=False)
class SmallEngine:
    """One vehicle with one fault. `prior` (F,), `cost_min` (F,) of each repair, tests with two outcomes each,
    in the order in which a workshop goes through the systems, and what each access takes."""

    prior: np.ndarray
    cost_min: np.ndarray
    tests: tuple[Test, ...]
    access_min: dict[str, float]


def small_engine(seed: int, faults: int = FAULTS, tests: int = TESTS) -> SmallEngine:
    """Make an engine from a seed: a few systems, tests of a whole system and of one part, covers that several
    share."""
    rng = np.random.default_rng(seed)
    system = np.sort(rng.integers(0, SYSTEMS, faults))
    prior = rng.gamma(0.8, 1.0, faults) + 0.02
    cost = rng.choice([20.0, 40, 60, 90, 150, 240], faults)
    covers = {"cover": 5.0, "liner": 15.0, "intake": 60.0, "raised": 8.0}
    made = []
    for n in range(tests):
        wide = n % 4 == 0
        at = int(rng.integers(0, faults))
        hit = system == system[at] if wide else np.arange(faults) == at
        seen = np.where(hit, rng.uniform(0.7, 0.97), rng.uniform(0.02, 0.12))
        access = frozenset() if rng.random() < 0.45 else frozenset({str(rng.choice(list(covers)))})
        made.append(
            (
                int(system[at]),
                Test(
                    f"test {n}",
                    np.stack([1 - seen, seen], axis=1),
                    float(rng.choice([2, 4, 6, 10, 20, 30])),
                    access,
                ),
            )
        )
    made.sort(key=lambda pair: pair[0])
    return SmallEngine(prior / prior.sum(), cost, tuple(t for _, t in made), covers)


def _access(engine: SmallEngine, test: int, done: frozenset[int]) -> float:
    reached = {a for t in done for a in engine.tests[t].access}
    return sum(engine.access_min[a] for a in engine.tests[test].access if a not in reached)


def optimum_min(engine: SmallEngine) -> float:
    """Return the least expected minutes to the cure, found by searching every order of every test.

    Works back from all tests made. A state is what each test has shown (or that it was not made); its value
    is the chance of getting there times the best expected minutes from there on.
    """
    count = len(engine.tests)
    states = np.array(list(product((0, 1, 2), repeat=count)), dtype=np.int8)
    power = 3 ** np.arange(count - 1, -1, -1)
    weight = np.tile(engine.prior, (len(states), 1))
    for index, test in enumerate(engine.tests):
        lik = np.stack([np.ones(len(engine.prior)), test.table[:, 0], test.table[:, 1]])
        weight *= lik[states[:, index]]
    value = repair_minutes(weight, engine.cost_min)
    chance = weight.sum(axis=1)
    made = (states > 0).sum(axis=1)
    opens = {
        a: (np.array([[a in t.access for t in engine.tests]]) & (states > 0)).any(axis=1)
        for a in engine.access_min
    }
    for level in range(count - 1, -1, -1):
        here = np.flatnonzero(made == level)
        for index, test in enumerate(engine.tests):
            rows = here[states[here, index] == 0]
            shut = [engine.access_min[a] * ~np.asarray(opens[a])[rows] for a in test.access]
            takes = test.minutes + sum(shut)
            value[rows] = np.minimum(
                value[rows],
                takes * chance[rows] + value[rows + power[index]] + value[rows + 2 * power[index]],
            )
    return float(value[0])


def policy_min(engine: SmallEngine) -> float:
    """Return the expected minutes to the cure when the program's own proposals are followed."""
    groups = np.arange(len(engine.prior))

    def choose(weight: np.ndarray, done: frozenset[int]) -> int | None:
        belief = Belief(weight / weight.sum(), groups, engine.cost_min)
        open_tests = [t for t in range(len(engine.tests)) if t not in done]
        reached = {a for t in done for a in engine.tests[t].access}
        ranked = propose(
            belief,
            [engine.tests[t] for t in open_tests],
            {a: m for a, m in engine.access_min.items() if a not in reached},
        )
        return None if sure_enough(belief, ranked).enough else open_tests[ranked[0].test]

    return _followed(engine, choose)


def by_system_min(engine: SmallEngine) -> float:
    """Return the expected minutes of going through the systems in a fixed order until one part stands out (80
    %)."""

    def choose(weight: np.ndarray, done: frozenset[int]) -> int | None:
        if weight.max() > 0.8 * weight.sum():
            return None
        return next((t for t in range(len(engine.tests)) if t not in done), None)

    return _followed(engine, choose)


def swap_min(engine: SmallEngine) -> float:
    """Return the expected minutes of swapping the likeliest part, then the next, without a test."""
    order = np.argsort(-engine.prior)
    left = engine.prior.sum() - np.cumsum(engine.prior[order]) + engine.prior[order]
    return float(left @ engine.cost_min[order])


def _followed(engine: SmallEngine, choose: Callable[[np.ndarray, frozenset[int]], int | None]) -> float:
    def on(weight: np.ndarray, done: frozenset[int]) -> float:
        test = choose(weight, done)
        if test is None:
            return float(repair_minutes(weight, engine.cost_min))
        takes = (engine.tests[test].minutes + _access(engine, test, done)) * weight.sum()
        return float(takes) + sum(on(weight * engine.tests[test].table[:, k], done | {test}) for k in (0, 1))

    return on(engine.prior, frozenset())


def compare(engines: int = 40, first_seed: int = 1) -> dict[str, float]:
    """Return the mean expected minutes, tests and repairs in vain, before the repair that cures begins."""
    ways = {"optimum": optimum_min, "proposals": policy_min, "by system": by_system_min, "swap": swap_min}
    made = [small_engine(first_seed + n) for n in range(engines)]
    return {name: float(np.mean([way(e) - e.prior @ e.cost_min for e in made])) for name, way in ways.items()}
