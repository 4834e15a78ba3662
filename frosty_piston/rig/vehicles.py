"""Whole simulated vehicles: a card, one or two faults or none, a driver and codes, from a seed."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from frosty_piston.job.engine import EngineCard
from frosty_piston.knowledge import Knowledge

from . import world
from .condition import Condition, afflict, sound
from .driver import codes, complaint, truths
from .testing import Entry

OFTEN_TWO, OFTEN_NONE = 0.18, 0.1


@dataclass(frozen=True)
class SimulatedVehicle:
    """One vehicle as it comes in. `faults`: what is truly wrong; `arrival`: what is written down first; `scan`:
    what a read-out of all modules gives."""

    engine: dict[str, Any]
    faults: tuple[str, ...]
    condition: Condition
    arrival: list[Entry]
    scan: list[Entry]
    rng: np.random.Generator

    @property
    def file(self) -> dict[str, Any]:
        """Its job file as it stands on arrival."""
        return job_file(self.engine, self.arrival)


def job_file(engine: dict[str, Any], entries: list[Entry]) -> dict[str, Any]:
    return {
        "format": "frosty-piston/job",
        "version": 1,
        "job": {"id": "simulated", "title": "Simulated"},
        "vehicle": {"name": "Simulated"},
        "engine": engine,
        "entries": [{"id": f"e{n}", **entry} for n, entry in enumerate(entries)],
    }


def simulated(seed: int, k: Knowledge) -> SimulatedVehicle:
    """The vehicle of a seed."""
    rng = np.random.default_rng(seed)
    engine = dict(world.CARDS[int(rng.integers(len(world.CARDS)))])
    card = EngineCard.model_validate(engine)
    ambient = float(rng.choice([-14.0, -6.0, 2.0, 12.0, 24.0]))
    faults, condition, standing = _noticed(card, ambient, k, rng)
    said = complaint(condition, standing, _known_symptoms(k), rng)
    arrival: list[Entry] = [
        {"kind": "condition", "data": {"name": "ambient", "value": ambient, "unit": "degC"}},
        *({"kind": "symptom", "data": {"symptom": s}} for s in said),
    ]
    status = {"status": "stored", "module": "engine"}
    scan: list[Entry] = [{"kind": "code", "data": {"code": c, **status}} for c in standing]
    scan.append({"kind": "code_scan", "data": {"module": "all"}})
    return SimulatedVehicle(engine, faults, condition, arrival, scan, rng)


def _noticed(
    card: EngineCard, ambient: float, k: Knowledge, rng: np.random.Generator
) -> tuple[tuple[str, ...], Condition, list[str]]:
    """The vehicle with its faults, bad enough that somebody noticed: it would not have come in otherwise."""
    count = len(_wrong(card, k, rng))
    while True:
        faults = _wrong(card, k, rng)
        if len(faults) != count:
            continue
        condition = sound(card, ambient, rng)
        for fault in faults:
            afflict(condition, fault, float(rng.uniform(0.1, 1.0)), rng)
        standing = codes(condition, rng)
        if not faults or standing or any(truths(condition).values()):
            return faults, condition, standing


def _known_symptoms(k: Knowledge) -> set[str]:
    return set(k.symptoms)


def _wrong(card: EngineCard, k: Knowledge, rng: np.random.Generator) -> tuple[str, ...]:
    """What is wrong: by how common each fault is, half way to all alike, so that seldom ones come too."""
    share = rng.random()
    count = 0 if share < OFTEN_NONE else 2 if share < OFTEN_NONE + OFTEN_TWO else 1
    names = [f for f, shape in k.faults.items() if not card.rules_out(shape.needs)]
    rate = np.array([k.faults[f].per_thousand for f in names]) ** 0.5
    return tuple(str(x) for x in rng.choice(names, count, replace=False, p=rate / rate.sum()))
