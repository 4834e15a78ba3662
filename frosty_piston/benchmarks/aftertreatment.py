"""Measures how often the benches of the exhaust line separate sensor, dosing, fluid, catalyst, soot, ash and
hose on simulated vehicles, with instrument noise, slight faults and healthy ones."""

import secrets
import time
from collections import Counter
from collections.abc import Mapping

import numpy as np

from frosty_piston.core.aftertreatment import (
    DefLimits,
    FilterLimits,
    NoxLimits,
    judge_concentration,
    judge_dose,
    judge_nox,
)
from frosty_piston.core.filter_flow import fitted, told_apart
from frosty_piston.core.nox import left_standing
from frosty_piston.core.traces import Signal, signal
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.judging.air_recorded import analysed
from frosty_piston.job.judging.analysed import Analysed
from frosty_piston.job.judging.readings import Readings
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.demo.world import PIER_VAN, Tape, job_file
from frosty_piston.rig.exhaust_line import FAULTS, ExhaustLine, broken, by_hand, healthy, recorded
from frosty_piston.store.timestamps import now

WANTED = 0.95
CUT = {"good": "good", "weak": "weak", "poor": "poor"}


def told(line: ExhaustLine, readings: Readings, rng: np.random.Generator) -> str:
    """What the benches say of one exhaust line: one of the faults, `sound`, or `open`."""
    columns = recorded(line, rng)
    t = np.array(columns.pop("time"))
    channels: dict[str, Signal] = {name: signal(t, np.array(v)) for name, v in columns.items()}
    hand = by_hand(line, rng)
    found = {a.name: a for a in analysed(readings, channels)}
    limits = readings.limits(FilterLimits)
    points = [
        (float(data["figures"]["q_m3h"]), float(data["figures"]["dp_kpa"]))
        for _, data in found["filter_drop"].writes
    ]
    fit = fitted(points)
    alike = found["filter_pressures"].judgement.cls
    place, _ = told_apart(fit, hand["soot_g"], hand["ash_g"], limits, alike)
    if place in ("hose", "soot", "ash"):
        return place
    seen = _nox_seen(found, hand, readings, channels)
    condemned = [s.place for s in left_standing(seen) if s.state == "condemned"]
    if condemned:
        return condemned[0]
    return "sound" if seen.get("cut") == "good" else "open"


def _nox_seen(
    found: Mapping[str, Analysed], hand: dict[str, float], readings: Readings, channels: dict[str, Signal]
) -> dict[str, str]:
    limits = readings.limits(DefLimits)
    dose = judge_dose(100.0, hand["measured_ml"], str(hand["spray"]), limits).cls
    fluid = judge_concentration(hand["percent"], limits).cls
    seen = {
        "dose": "right" if dose == "right" else "short",
        "fluid": {"in_range": "good"}.get(fluid, fluid),
    }
    if "nox_up" not in channels or "nox_down" not in channels:
        return {**seen, "silent": "silent"}
    for _, data in found["nox"].writes:
        f = data["figures"]
        cls = judge_nox(f["up_ppm"], f["down_ppm"], f["dosing"], readings.limits(NoxLimits)).cls
        if f["dosing"]:
            seen["cut"] = CUT.get(cls, "")
        elif cls in ("agree", "disagree"):
            seen["agree"] = cls
    return {key: v for key, v in seen.items() if v}


def benchmark_aftertreatment(times: int = 40, seed: int | None = None) -> float:
    """Print how often each fault is told, and answer the share over all."""
    seed = secrets.randbelow(10**6) if seed is None else seed
    rng = np.random.default_rng(seed)
    knowledge = load_knowledge()
    file = job_file("bench", "Bench", PIER_VAN, Tape(now(), "Bench"))
    readings = Assessed(job_of(check(file, knowledge)), knowledge).readings
    right = Counter[str]()
    instead = Counter[tuple[str, str]]()
    started = time.perf_counter()
    kinds = ("sound", *FAULTS)
    for kind in kinds:
        for _ in range(times):
            line = healthy(rng) if kind == "sound" else broken(kind, rng)
            said = told(line, readings, rng)
            right[kind] += said == kind
            instead[(kind, said)] += said != kind
    took = (time.perf_counter() - started) / (times * len(kinds)) * 1000
    share = right.total() / (times * len(kinds))
    print(f"aftertreatment, seed {seed}: {times} vehicles each of {', '.join(kinds)}")
    for kind in kinds:
        wrong = ", ".join(f"{said} {n}" for (k, said), n in instead.items() if k == kind and n)
        print(f"  {kind:9} {100 * right[kind] / times:5.1f} % told{f' (else {wrong})' if wrong else ''}")
    print(f"  all {100 * share:.1f} % (wanted over {100 * WANTED:.0f} %), {took:.0f} ms a vehicle")
    return share
