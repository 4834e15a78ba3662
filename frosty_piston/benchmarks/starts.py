"""Measures what the estimate of a cold start is worth: the stated chance against what simulated engines did,
of which it knows what a technician knows, before and after one start of each was seen."""

import random
from dataclasses import dataclass

import numpy as np

from frosty_piston.core.starting import STARTED, Start, StartEngine, StartLimits, fitted_to, start_chance
from frosty_piston.knowledge.figures import general
from frosty_piston.rig.cold_starts import ColdEngine, cold_start, drawn_engine, drawn_heat

COLDEST_C = -25.0
WARMEST_C = 22.0
NEAR_K = 8.0
BINS = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0)


@dataclass(frozen=True)
class Bin:
    """Starts whose chance was stated alike: how many, the mean of what was stated, and how many started."""

    count: int
    stated: float
    started: float

    @property
    def unsure(self) -> float:
        """The standard error of how many started."""
        return float((self.started * (1 - self.started) / self.count) ** 0.5)


def _known_of(engine: ColdEngine) -> StartEngine:
    """What the card of an engine says: neither its wear nor its fuel."""
    return StartEngine(engine.cylinders, engine.combustion)


def measured(seed: int, starts: int) -> tuple[list[Bin], list[Bin]]:
    """The stated chances in five bins: of engines like others, and of the same after one start was seen at
    much the same temperature."""
    rng = np.random.default_rng(seed)
    limits = general(StartLimits)
    stated: list[float] = []
    after: list[float] = []
    did: list[bool] = []
    for _ in range(starts):
        engine = drawn_engine(rng)
        card = _known_of(engine)
        heat = drawn_heat(engine.cylinders, rng)
        ambient = float(rng.uniform(COLDEST_C, WARMEST_C))
        before = ambient + float(rng.uniform(-NEAR_K, NEAR_K))
        seen = Start(before, heat, cold_start(engine, before, heat, rng), engine.crank_rpm)
        known = fitted_to([seen], card, limits)
        stated.append(float(start_chance(ambient, card, heat, limits, engine.crank_rpm)))
        after.append(float(start_chance(ambient, card, heat, limits, engine.crank_rpm, known=known)))
        did.append(cold_start(engine, ambient, heat, rng) == STARTED)
    started = np.array(did, float)
    return _bins(np.array(stated), started), _bins(np.array(after), started)


def _bins(stated: np.ndarray, started: np.ndarray) -> list[Bin]:
    at = np.clip(np.digitize(stated, BINS) - 1, 0, len(BINS) - 2)
    return [
        Bin(
            int((at == number).sum()), float(stated[at == number].mean()), float(started[at == number].mean())
        )
        for number in range(len(BINS) - 1)
        if (at == number).any()
    ]


def benchmark_starts(seed: int | None = None, starts: int = 12_000) -> None:
    """Print what was measured."""
    seed = random.randrange(10**6) if seed is None else seed
    print(f"Cold starts: {starts} of simulated engines, seed {seed}")
    for says, bins in zip(("an engine like others", "after one start"), measured(seed, starts), strict=True):
        rows = (f"{b.stated:.0%} {b.started:.1%} ± {2 * b.unsure:.1%} (of {b.count})" for b in bins)
        print(f"  {says}, stated and did: {'; '.join(rows)}")
