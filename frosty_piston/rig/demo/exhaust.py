"""The demo jobs of the exhaust side: a countdown with crystals, a NOx sensor that comes back after some
miles, a filter cleaned from 16 to 6 g."""

from datetime import datetime, timedelta
from typing import Any

import numpy as np

from frosty_piston.core.traces import Signal, signal
from frosty_piston.rig.exhaust_line import ExhaustLine, by_hand, recorded

from . import world

SEED = 31
SOOT_BEFORE_G = 16.0
SOOT_AFTER_G = 6.0
Columns = dict[str, tuple[Signal, str]]
EXPORTED = {
    "engine_speed": ("Engine speed", "rpm"),
    "air_mass_stroke": ("Air mass per stroke", "mg/stroke"),
    "exhaust_temp_1": ("Exhaust temperature 1", "degC"),
    "dpf_pressure": ("DPF differential pressure", "kPa"),
    "exhaust_pressure_1": ("Exhaust pressure 1", "kPa"),
    "exhaust_pressure_2": ("Exhaust pressure 2", "kPa"),
    "nox_up": ("NOx upstream", "ppm"),
    "nox_down": ("NOx downstream", "ppm"),
    "def_dose": ("DEF dosing", "%"),
}


def countdown_with_crystals(now: datetime) -> dict[str, Any]:
    """Cliff rescue van: eighty km left, crystals at the injector; cleaned, read again and sound. It still
    counts."""
    tape = world.Tape(now - timedelta(hours=4), "Torvald")
    text = "Counts down on the dash, no restart at zero; white crystals under the van"
    symptoms = ["restart_countdown", "def_crystals"]
    world.arrive(tape, text, symptoms, ["def_from_cans"], 2, 119800)
    tape.add("condition", name="countdown_km", value=80.0, unit="km", at_zero="no_restart", since="Tuesday")
    tape.add("code", code="P20E8", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add("deadline", until=world.iso(now + timedelta(hours=20)), why="On call tomorrow night")
    tape.add("top_up", litres=10.0, source="opened can, boat shed", at_km=118900.0)
    tape.at(30)
    tape.add("tick", caution="raised_vehicle")
    rng = np.random.default_rng(SEED)
    blocked = ExhaustLine(dose=0.55)
    free = ExhaustLine()
    _dosed(tape, blocked, rng, "crystals", "blocked")
    tape.at(120)
    tape.add("action", action="cleaned", what="DEF injector", repair="def_injector")
    tape.at(150)
    _dosed(tape, free, rng, "clean", "clean")
    tape.add("condition", name="coolant", value=41.0, unit="degC")
    tape.add("condition", name="def_level", value=60.0, unit="percent")
    for step in ("forget_part",):
        tape.add("reset_step", plan="start_inhibit", step=step, result="done")
    return world.job_file("demo-cliff-van", "Cliff rescue van, counts down", world.CLIFF_VAN, tape)


def _dosed(tape: world.Tape, line: ExhaustLine, rng: np.random.Generator, cap: str, injector: str) -> None:
    hand = by_hand(line, rng)
    tape.add("outcome", test="def_look", outcome=cap)
    tape.reading("def_concentration", hand["percent"], "percent")
    cup = {"expected_ml": 100.0, "measured_ml": float(hand["measured_ml"])}
    tape.add("outcome", test="def_quantity", outcome=hand["spray"], figures=cup)
    tape.add("outcome", test="def_injector_look", outcome=injector)


def sensor_that_comes_back(now: datetime) -> dict[str, Any]:
    """Mail van: the lamp is back after 60, 100 and 80 km each time it is cleared; one sensor lies."""
    tape = world.Tape(now - timedelta(hours=2), "Ylva")
    world.arrive(tape, "Lamp back some miles after each clearing", ["emissions_message"], [], 4, 97300)
    tape.add(
        "symptom",
        symptom="emissions_message",
        comes_and_goes=True,
        returns=[{"distance_km": 60.0}, {"distance_km": 100.0}, {"distance_km": 80.0}],
    )
    tape.add("code", code="P229F", status="cleared_and_back", module="engine")
    tape.add("code_scan", modules=["engine"])
    return world.job_file("demo-mail-van", "Mail van, lamp comes back", world.MAIL_VAN, tape)


def filter_from_16_to_6(now: datetime) -> dict[str, Any]:
    """Grit spreader: loaded, washed from 16 to 6 g, both pressures recorded before and after."""
    tape = world.Tape(now - timedelta(days=1, hours=3), "Sunniva")
    text = "Regenerates every other day, no power on the slope"
    world.arrive(tape, text, ["regen_frequent", "low_power"], ["long_idle_use"], -1, 164900)
    tape.add("code", code="P2463", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.at(30)
    tape.reading("dpf_state", SOOT_BEFORE_G, "g", channel="soot_mass")
    tape.reading("dpf_state", 34.0, "g", channel="ash_mass")
    tape.at(22 * 60)
    tape.add(
        "action",
        action="cleaned",
        what="particulate filter",
        where={"node": "filter"},
        repair="dpf_ash",
        cleaning={
            "way": "washed",
            "minutes": 180.0,
            "measured": "soot mass",
            "unit": "g",
            "before": SOOT_BEFORE_G,
            "after": SOOT_AFTER_G,
        },
    )
    tape.at(25 * 60)
    tape.reading("dpf_state", SOOT_AFTER_G, "g", channel="soot_mass")
    return world.job_file("demo-grit", "Grit spreader, filter loaded", world.GRIT_SPREADER, tape)


def exported(line: ExhaustLine, names: tuple[str, ...], seed: int = SEED) -> Columns:
    """A recording of an exhaust line as a scan tool exports it."""
    rows = recorded(line, np.random.default_rng(seed))
    t = np.array(rows["time"])
    return {EXPORTED[n][0]: (signal(t, np.array(rows[n])), EXPORTED[n][1]) for n in names if n in rows}


def exhaust_recordings() -> list[tuple[str, str, Columns]]:
    """The recordings of these jobs, by job and file name."""
    drop = ("engine_speed", "air_mass_stroke", "exhaust_temp_1", "dpf_pressure")
    both = (*drop, "exhaust_pressure_1", "exhaust_pressure_2")
    loaded = ExhaustLine(soot_g=SOOT_BEFORE_G + 8, ash_g=34)
    clean = ExhaustLine(soot_g=SOOT_AFTER_G, ash_g=8)
    return [
        (
            "demo-mail-van",
            "both sensors.csv",
            exported(ExhaustLine(down_gain=1.45), ("nox_up", "nox_down", "def_dose")),
        ),
        ("demo-grit", "filter before.csv", exported(loaded, both)),
        ("demo-grit", "filter after.csv", exported(clean, both, SEED + 1)),
    ]
