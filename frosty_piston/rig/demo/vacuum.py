"""The demo jobs of vacuum: a hose knocked off at the oil filter, and a turbo by vacuum up a mountain."""

from datetime import datetime, timedelta
from typing import Any

from frosty_piston.core.air import barometer_kpa
from frosty_piston.job.circuit.editing import Listed, changed, from_template
from frosty_piston.job.circuit.on_tape import circuit_of
from frosty_piston.job.entries import Circuit
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.vacuum_circuit import Plumbing

from . import world

KPA_IN_INHG = 3.38639
RIDGE_M = 1850.0


def _plumbing(listed: Listed, leaks: dict[str, float], ambient_kpa: float) -> Plumbing:
    circuit = circuit_of(Circuit.model_validate(listed))
    return Plumbing(circuit, load_knowledge().circuit.part_kinds, ambient_kpa, leaks=leaks)


def _between(listed: Listed, near: str, far: str) -> str:
    """The hose between two parts by their titles."""
    parts = {p["title"]: p["id"] for p in listed["parts"]}
    ends = (parts[near], parts[far])
    found: str = next(
        h["id"] for h in listed["hoses"] if (h["from"].partition(".")[0], h["to"].partition(".")[0]) == ends
    )
    return found


def _held(tape: world.Tape, simulated: Plumbing, hose: str, seconds: float = 60.0) -> None:
    """A hold test on a hose with all beyond it, as the simulated circuit gives it."""
    run = next(n for n, r in enumerate(simulated.runs) if r.hose.id == hose)
    start, end = simulated.hand_pump(run, 60.0, seconds)
    figures = {"start_kpa": float(round(start)), "end_kpa": float(round(end)), "seconds": seconds}
    tape.add("outcome", test="vacuum_section", where={"node": hose}, figures=figures)


def hose_at_the_filter(now: datetime) -> dict[str, Any]:
    """Harbour plough: runs on since its oil service; the circuit is on paper, the search has begun."""
    tape = world.Tape(now - timedelta(minutes=50), "Torvald")
    text = "Runs on after the key is off, since the oil service"
    world.arrive(tape, text, ["wont_stop"], ["recent_oil_service"], 3, 288400)
    tape.add("condition", name="altitude_m", value=20.0, unit="m")
    tape.add("code_scan", keeps_none=True)
    tape.add("tick", caution="emergency_stop_first")
    tape.add("outcome", test="stop_lever", outcome="stops")
    tape.add("tick", caution="brakes_first")
    tape.add("outcome", test="brake_pedal_feel", outcome="normal")
    tape.add("outcome", test="stop_hand_pump", outcome="stops_holds", conditions={"after_s": 0.9})
    tape.reading("stop_time", 14.2, "s")
    listed = from_template(load_knowledge(), ("booster", "stop", "mounts"))
    hose = _between(listed, "Tap for the stop", "Switch at the key")
    listed = changed(
        listed, "hoses", hose, {"mark": "black, past the oil filter", "last_hands": True, "length_mm": 900.0}
    )
    tape.add("circuit", **listed)
    simulated = _plumbing(listed, {hose: 400.0}, barometer_kpa(20.0))
    _held(tape, simulated, _between(listed, "Tee at the pump", "Tap for the stop"))
    return world.job_file("demo-harbour", "Harbour plough, runs on", world.HARBOUR, tape)


def turbo_up_the_mountain(now: datetime) -> dict[str, Any]:
    """Ridge runner: weak on the climb, its turbo by vacuum, the workshop up at the hut; a rider leaks."""
    tape = world.Tape(now - timedelta(hours=2), "Sunniva")
    world.arrive(tape, "Weak on the climb to the hut, better on the flat", ["low_power"], [], -2, 73900)
    tape.add("condition", name="altitude_m", value=RIDGE_M, unit="m")
    tape.add("code", code="P0299", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add("instrument", instrument="vacuum_gauge", unit="inHg")
    ambient = barometer_kpa(RIDGE_M)
    pump = round(0.9 * ambient / KPA_IN_INHG, 1) * KPA_IN_INHG
    tape.add(
        "outcome",
        test="vacuum_at_pump",
        figures={"kpa": round(pump, 3), "seconds": 11.0, "flicker_kpa": 1.0},
    )
    for kpa, mm, up in (
        (0, 0, True),
        (15, 0.3, True),
        (25, 2.4, True),
        (40, 7.6, True),
        (55, 11.0, True),
        (40, 9.0, False),
        (25, 4.1, False),
        (12, 0.6, False),
    ):
        figures = {"kpa": float(kpa), "mm": float(mm), "stroke_up": up}
        tape.add("outcome", test="vacuum_travel", where={"node": "turbo_actuator"}, figures=figures)
    listed = from_template(load_knowledge(), ("booster", "reservoir", "turbo", "bypass", "mounts"))
    tape.add("circuit", **listed)
    mount = next(p["id"] for p in listed["parts"] if p["kind"] == "mount")
    simulated = _plumbing(listed, {mount: 0.9}, ambient)
    for ends in (("Reservoir", "Tee 1"), ("Tee 1", "Boost solenoid"), ("Tee 1", "Tee 2")):
        _held(tape, simulated, _between(listed, *ends))
    return world.job_file("demo-ridge", "Ridge runner, weak on the climb", world.RIDGE, tape)
