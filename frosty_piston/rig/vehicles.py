"""Whole simulated vehicles: a card, one or two faults or none, a driver and codes, from a seed."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from itertools import count as count_up
from typing import Any

import numpy as np

from frosty_piston.job.engine import EngineCard
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.training_shapes import LessonShape

from .condition import Condition, afflict, sound
from .demo import world
from .driver import codes, complaint, truths
from .testing import Entry

OFTEN_TWO = 0.18
OFTEN_NONE = 0.1
MOST_TRIES = 80
PLAIN_M = 300.0
CLEARED = "codes_cleared_before_visit"
ANYTHING = LessonShape(number=0, kind="any", title="Whatever comes")


class NoSuchVehicle(ValueError):
    """No vehicle on this card can have what a lesson wants."""


class Unnoticed(NoSuchVehicle):
    """What the vehicle of this seed could have would not be noticed on it."""


@dataclass(frozen=True)
class Ill:
    """One fault of a vehicle: how bad, and the seed of what is left to chance in it."""

    fault: str
    severity: float
    seed: int


@dataclass(frozen=True)
class SimulatedVehicle:
    """One vehicle as it comes in. `ills`: what is truly wrong; `arrival`: what is written down first; `scan`:
    what a read-out of all modules gives; `seed`: of its sound parts."""

    engine: dict[str, Any]
    ambient_c: float
    ills: tuple[Ill, ...]
    arrival: list[Entry]
    scan: list[Entry]
    seed: int
    rng: np.random.Generator
    altitude_m: float = PLAIN_M

    @property
    def faults(self) -> tuple[str, ...]:
        return tuple(x.fault for x in self.ills)

    @property
    def condition(self) -> Condition:
        card = EngineCard.model_validate(self.engine)
        return replace(_condition(card, self.ambient_c, self.ills, self.seed), altitude_m=self.altitude_m)

    @property
    def shown_apart(self) -> bool:
        """Whether each fault has brought something that was told or stored and that the others do not."""
        written = [e["data"] for e in [*self.arrival, *self.scan]]
        told = {d.get("symptom") or d.get("code") for d in written} - {None}
        return all(told - self.mended([ill.fault])._signs() for ill in self.ills)

    def _signs(self) -> set[str]:
        condition = self.condition
        signs = {name for name, holds in truths(condition).items() if holds}
        return (
            signs
            | set(codes(condition, np.random.default_rng(0), 1.0))
            | {"engine_lamp", "emissions_message"}
        )

    def mended(self, cured: Collection[str]) -> "SimulatedVehicle":
        """The same vehicle once some faults are mended."""
        return replace(self, ills=tuple(x for x in self.ills if x.fault not in cured))

    @property
    def shows(self) -> bool:
        """Whether anything of the complaint is still there after the drive that proves a repair, or a code
        comes back."""
        return any(e["kind"] == "code" or e["data"].get("present") for e in self.after_the_drive())

    def after_the_drive(self) -> list[Entry]:
        """What the drive that proves a repair shows: what is still true of the complaint, and the codes."""
        condition = self.condition
        true = truths(condition)
        named = [e["data"]["symptom"] for e in self.arrival if e["kind"] == "symptom"]
        told: list[Entry] = [
            {"kind": "symptom", "data": {"symptom": s, "present": bool(true[s])}} for s in named if s in true
        ]
        return [*told, *_scanned(codes(condition, np.random.default_rng(self.seed), 1.0))]


def job_file(engine: dict[str, Any], entries: list[Entry]) -> dict[str, Any]:
    return {
        "format": "frosty-piston/job",
        "version": 1,
        "job": {"id": "simulated", "title": "Simulated"},
        "vehicle": {"name": "Simulated"},
        "engine": engine,
        "entries": [{"id": f"e{n}", **entry} for n, entry in enumerate(entries)],
    }


def _condition(card: EngineCard, ambient_c: float, ills: tuple[Ill, ...], seed: int) -> Condition:
    condition = sound(card, ambient_c, np.random.default_rng(seed))
    for ill in ills:
        afflict(condition, ill.fault, ill.severity, np.random.default_rng(ill.seed))
    return condition


Rates = Mapping[str, float]


def simulated(
    seed: int,
    knowledge: Knowledge,
    engine: dict[str, Any] | None = None,
    rates: Rates | None = None,
    lesson: LessonShape = ANYTHING,
) -> SimulatedVehicle:
    """The vehicle of a seed. `engine`: on this card, else on any; `rates`: how often each fault comes to one
    workshop, else half way between the general rates and all alike; `lesson`: what is to be trained on it.
    Raises NoSuchVehicle."""
    rng = np.random.default_rng(seed)
    cards = [c for c in world.CARDS if _possible(EngineCard.model_validate(c), knowledge, lesson)]
    drawn = cards[int(rng.integers(len(cards)))]
    engine = dict(engine or drawn)
    card = EngineCard.model_validate(engine)
    ambient = float(rng.choice([-14.0, -6.0, 2.0, 12.0, 24.0]))
    parts = int(rng.integers(2**31))
    ills = _noticed(card, ambient, parts, knowledge=knowledge, rng=rng, rates=rates, lesson=lesson)
    altitude = PLAIN_M if lesson.altitude_m is None else lesson.altitude_m
    condition = replace(_condition(card, ambient, ills, parts), altitude_m=altitude)
    standing = codes(condition, rng)
    said = complaint(condition, standing, _known_symptoms(knowledge), rng)
    arrival: list[Entry] = [
        {"kind": "condition", "data": {"name": "ambient", "value": ambient, "unit": "degC"}},
        *({"kind": "symptom", "data": {"symptom": s}} for s in said),
    ]
    if lesson.altitude_m is not None:
        arrival.append({"kind": "condition", "data": {"name": "altitude", "value": altitude, "unit": "m"}})
    if lesson.cleared:
        arrival.append({"kind": "context", "data": {"context": CLEARED}})
        standing = []
    return SimulatedVehicle(
        engine,
        ambient,
        ills,
        arrival=arrival,
        scan=_scanned(standing),
        seed=parts,
        rng=rng,
        altitude_m=altitude,
    )


def _possible(card: EngineCard, knowledge: Knowledge, lesson: LessonShape) -> list[str]:
    """The faults that a lesson is about and that an engine can have."""
    wanted = lesson.faults or [
        f for f in knowledge.faults if lesson.system in ("", knowledge.fault_system[f])
    ]
    return [f for f in wanted if not card.rules_out(knowledge.faults[f].needs)]


def _scanned(standing: list[str]) -> list[Entry]:
    status = {"status": "stored", "module": "engine"}
    scan: list[Entry] = [{"kind": "code", "data": {"code": c, **status}} for c in standing]
    return [*scan, {"kind": "code_scan", "data": {"module": "all"}}]


def _noticed(
    card: EngineCard,
    ambient_c: float,
    parts: int,
    knowledge: Knowledge,
    rng: np.random.Generator,
    rates: Rates | None,
    lesson: LessonShape,
) -> tuple[Ill, ...]:
    """Faults each bad enough to be noticed: the vehicle would not have come in otherwise."""
    if not _possible(card, knowledge, lesson):
        raise NoSuchVehicle(f"{card.name} cannot have what this lesson is about.")
    count = len(_wrong(card, knowledge, rng, rates, lesson))
    for _ in count_up() if lesson is ANYTHING else range(MOST_TRIES):
        names = _wrong(card, knowledge, rng, rates, lesson)
        ills = tuple(Ill(f, float(rng.uniform(0.1, 1.0)), int(rng.integers(2**31))) for f in names)
        alone = [_condition(card, ambient_c, (ill,), parts) for ill in ills]
        if len(ills) == count and all(any(truths(c).values()) or codes(c, rng, 1.0) for c in alone):
            return ills
    raise Unnoticed(f"Nothing of this lesson is noticed on {card.name}.")


def _known_symptoms(knowledge: Knowledge) -> set[str]:
    return set(knowledge.symptoms)


def _wrong(
    card: EngineCard, knowledge: Knowledge, rng: np.random.Generator, rates: Rates | None, lesson: LessonShape
) -> tuple[str, ...]:
    """What is wrong: by how common each fault is here; without that, half way to all alike, so that seldom
    ones come too."""
    share = rng.random()
    if share < OFTEN_NONE:
        count = 0
    elif share < OFTEN_NONE + OFTEN_TWO:
        count = 2
    else:
        count = 1
    names = _possible(card, knowledge, lesson)
    count = min(count if lesson.count is None else lesson.count, len(names))
    general = [knowledge.faults[f].per_thousand ** 0.5 for f in names]
    rate = np.array([rates[f] for f in names] if rates else general)
    return tuple(str(x) for x in rng.choice(names, count, replace=False, p=rate / rate.sum()))
