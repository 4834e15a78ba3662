"""A simulated vehicle with its vacuum circuit written down: what leaks sits at one place of it, chosen by
chance and by no odds of the knowledge, and the tests at its places read the simulated circuit."""

import math
from dataclasses import replace
from typing import Any

import numpy as np

from frosty_piston.core.circuit import Circuit
from frosty_piston.job.circuit.editing import from_template, on_card
from frosty_piston.job.circuit.leaks import HOLD, LOOK, SECTION
from frosty_piston.job.circuit.on_tape import Leaking, circuit_of, leaking
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.entries import Circuit as CircuitEntry
from frosty_piston.knowledge import Knowledge

from .testing import Entry, figures, perform, saw
from .vacuum_circuit import Plumbing
from .vehicles import SimulatedVehicle

Step = tuple[str, dict[str, str]]
AMBIENT_KPA = 97.8
OFF_ML_S = 400.0
LEVEL_KPA = 60.0
HOLD_S = 60.0
SEEN = 0.8


def with_circuit(vehicle: SimulatedVehicle, knowledge: Knowledge) -> tuple[SimulatedVehicle, Leaking]:
    """The vehicle with the circuit of its card on the tape, one mount added."""
    card = EngineCard.model_validate(vehicle.engine)
    listed = from_template(knowledge, (*on_card(card), "mounts"))
    circuit: Circuit = circuit_of(CircuitEntry.model_validate(listed))
    written: Entry = {"kind": "circuit", "data": listed}
    return replace(vehicle, arrival=[*vehicle.arrival, written]), leaking(circuit, knowledge)


def leaks_at(vehicle: SimulatedVehicle, found: Leaking, knowledge: Knowledge) -> dict[str, float]:
    """Where what is wrong leaks, and how much, ml/s."""
    leaks: dict[str, float] = {}
    for ill in vehicle.ills:
        places = [i for i, faults in zip(found.ids, found.faults, strict=True) if ill.fault in faults]
        places = [i for i in places if found.place[i] not in found.valves]  # a stuck valve leaks nothing
        if not places:
            continue
        rng = np.random.default_rng(ill.seed)
        off = (
            ill.fault in knowledge.circuit.leaks.off
            or ill.fault == knowledge.circuit.leaks.stop_line
            and rng.random() < 0.5
        )
        leaks[str(rng.choice(places))] = OFF_ML_S if off else 0.3 + 6.0 * ill.severity**2
    return leaks


def made_on(vehicle: SimulatedVehicle, found: Leaking, knowledge: Knowledge, step: Step) -> list[Entry]:
    """What is written down when a test is made: at a place of the circuit by the simulated one."""
    (test, where) = step
    condition = vehicle.condition
    rng = vehicle.rng
    node = where.get("node", "")
    if node not in found.place:
        return perform(condition, test, where, rng)
    leaks = leaks_at(vehicle, found, knowledge)
    if test == LOOK:
        size = leaks.get(node, 0.0)
        seen = size > 0 and rng.random() < SEEN
        broken = "off" if size >= OFF_ML_S else "split"
        return [saw(LOOK, broken if seen else "sound", node=node)]
    if test == HOLD:
        return [_held(test, node, *_alone(leaks.get(node, 0.0), found.volumes[found.place[node]]), rng)]
    if test != SECTION:
        return perform(condition, test, {}, rng)
    plumbing = Plumbing(found.circuit, knowledge.circuit.part_kinds, AMBIENT_KPA, leaks=leaks)
    run = next(n for n, r in enumerate(plumbing.runs) if node in (r.hose.id, r.far[0]))
    return [_held(test, node, *plumbing.hand_pump(run, LEVEL_KPA, HOLD_S), rng)]


def _alone(ml_s: float, volume_ml: float) -> tuple[float, float]:
    """Start and end of a hold test on one place clamped off, kPa."""
    if ml_s >= OFF_ML_S:
        return 12.0, 0.0
    return LEVEL_KPA, LEVEL_KPA * math.exp(-HOLD_S * ml_s / max(volume_ml, 5.0))


def _held(test: str, node: str, start: float, end: float, rng: np.random.Generator) -> Entry:
    read: dict[str, Any] = {
        "start_kpa": float(round(start)),
        "end_kpa": float(max(0, round(min(start, end + float(rng.normal(0, 0.4)))))),
        "seconds": HOLD_S,
    }
    return figures(test, None, {"node": node}, **read)
