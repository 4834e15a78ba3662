"""Measures how often a recording is judged right, for each fault of the rig, and how long it takes."""

import io
import time
from collections import Counter
from collections.abc import Callable, Iterator

import numpy as np
import pandas as pd

from frosty_piston.core.actuators import ActuatorLimits, analyse_drive, judge_drive
from frosty_piston.core.air import AirLimits, judge_swirl
from frosty_piston.core.air_recorded import (
    RecordedLimits,
    air_change,
    expected_over,
    judge_air_change,
    judge_alike,
    judge_bypass,
    rev_test,
)
from frosty_piston.core.boost import BoostLimits, analyse_boost, judge_boost
from frosty_piston.formats.csv_recording import read_csv
from frosty_piston.knowledge.figures import general
from frosty_piston.rig import air_recordings as air
from frosty_piston.rig.recordings import FAULTS, RAMPS, WAYS, drive_recording

EXPECTED_MG = 510.0
AIR = general(AirLimits)
BOOST = general(BoostLimits)
DRIVE = general(ActuatorLimits)
RECORDED = general(RecordedLimits)


def _drive(kind: str, way: str = RAMPS) -> Callable[[int, str], str]:
    def said(seed: int, fault: str) -> str:
        r = drive_recording(seed, fault, kind, way)
        return judge_drive(
            analyse_drive(r.command, r.actual, DRIVE, r.percent), DRIVE, AIR.egr_closed_percent, kind
        ).cls

    return said


def _pull(seed: int, fault: str) -> str:
    r = air.pull_recording(seed, fault)
    report = analyse_boost(
        r["manifold_pressure_target"], r["manifold_pressure"], BOOST, r["vane_command"], r["vane_position"]
    )
    judged = judge_boost(report, BOOST)
    return judged.cls + (" actuator" if "do not get there" in judged.because else "")


def _egr(seed: int, fault: str) -> str:
    r = air.egr_air_recording(seed, fault)
    change = air_change(r["egr_position"], r["air_mass_stroke"], RECORDED, r["engine_speed"])
    return judge_air_change(change, AIR, EXPECTED_MG).cls


def _air_mass(seed: int, fault: str) -> str:
    r = air.air_mass_recording(seed, fault)
    judged = expected_over(
        r["air_mass_stroke"],
        r["manifold_pressure"],
        air.DISPLACEMENT_L,
        cylinders=air.CYLINDERS,
        limits=RECORDED,
        air_limits=AIR,
        intake=r["intake_temp"],
        position=r["egr_position"],
    ).judgement
    return judged.cls + (" restriction" if "a restriction" in judged.because else "")


def _bypass(seed: int, fault: str) -> str:
    r = air.bypass_recording(seed, fault)
    return judge_bypass(r["bypass_position"], r["engine_speed"], RECORDED).cls


def _revs(seed: int, fault: str) -> str:
    as_is = rev_test(air.rev_recording(seed, fault)["engine_speed"], RECORDED)
    released = rev_test(air.rev_recording(seed, "healthy")["engine_speed"], RECORDED)
    return judge_swirl(as_is.seconds, released.seconds, AIR).cls if as_is and released else "unclear"


def _alike(seed: int, fault: str) -> str:
    r = air.pressures_recording(seed, fault)
    return judge_alike(r["first"], r["second"], RECORDED).cls


OF_A_DRIVE = {f: "follows" if f == "healthy" else f for f in FAULTS}
# What is simulated, its faults with the class that is right for each, and how one is judged.
KINDS: dict[str, tuple[dict[str, str], Callable[[int, str], str]]] = {
    **{f"drive by {kind}": (OF_A_DRIVE, _drive(kind)) for kind in ("motor", "vacuum")},
    **{
        f"drive by {kind}, {way}": (OF_A_DRIVE, _drive(kind, way))
        for kind in ("motor", "vacuum")
        for way in WAYS
        if way != RAMPS
    },
    "pull": (
        {
            "healthy": "reaches",
            "split_hose": "short",
            "dead_actuator": "short actuator",
            "sticking_vanes": "over",
            "hunting_solenoid": "hunts",
        },
        _pull,
    ),
    "EGR air change": (
        {"healthy": "flows", "blocked_passage": "no_change", "stuck_open": "low_when_shut"},
        _egr,
    ),
    "air mass": (
        {"healthy": "fits", "wrong_sensor": "reads_low", "restricted_intake": "reads_low restriction"},
        _air_mass,
    ),
    "bypass flap": ({"healthy": "follows", "stuck": "stuck", "broken_spring": "no_return"}, _bypass),
    "rev test": ({"healthy": "same", "choked_manifold": "better_released"}, _revs),
    "filter pressures": ({"healthy": "alike", "blocked_hose": "creeps"}, _alike),
}


def judged(kind: str, fault: str, count: int, first: int = 0) -> tuple[int, int, Counter[str]]:
    """How many of `count` recordings of one fault were judged right, how many left open, and every class that
    was said."""
    right, say = KINDS[kind]
    said = Counter(say(seed, fault) for seed in range(first, first + count))
    return said[right[fault]], said["unclear"], said


def everything() -> Iterator[tuple[str, str]]:
    return ((kind, fault) for kind, (faults, _) in KINDS.items() for fault in faults)


def benchmark_recordings(count: int = 200) -> None:
    """Print the share that is judged right of each fault; of healthy ones, the share that is accused."""
    print(f"recordings of the rig, {count} of each, 2 to 50 samples a second, with noise, stairs, gaps")
    print(f"{'':46}{'right':>9}{'unclear':>9}{'wrong':>9}{'ms each':>9}")
    for kind, fault in everything():
        started = time.perf_counter()
        right, unclear, _ = judged(kind, fault, count)
        each = (time.perf_counter() - started) * 1000 / count
        name = f"{kind}, {fault}".replace("_", " ")
        wrong = count - right - unclear
        shares = "".join(f"{n / count:9.1%}" for n in (right, unclear, wrong))
        print(f"{name:46}{shares}{each:9.0f}", flush=True)
    print("wanted: right over 95 %, a healthy one accused (wrong) under 2 %\n", flush=True)


def _csv_of(rows: int, columns: int, seed: int = 1) -> bytes:
    """A recording as a scan tool exports it, with a time and so many columns of figures."""
    rng = np.random.default_rng(seed)
    figures = np.column_stack([np.arange(rows) * 0.01, rng.normal(100, 30, (rows, columns - 1))])
    head = ["time [s]", *(f"channel {n} [bar]" for n in range(1, columns))]
    text: str = pd.DataFrame(figures.round(2), columns=head).to_csv(index=False)
    return text.encode()


def benchmark_reading(rows: int = 1_000_000, columns: int = 21) -> None:
    """Print how long a large CSV takes to read, beside the plain reader on the same bytes."""
    data = _csv_of(rows, columns)
    print(f"CSV of {rows:,} rows by {columns} columns, {len(data) / 1e6:.0f} MB, seconds of processor")
    readers: tuple[tuple[str, Callable[[], object]], ...] = (
        ("pandas.read_csv", lambda: pd.read_csv(io.BytesIO(data))),
        ("read_csv", lambda: read_csv(data)),
    )
    for name, read in readers:
        began = time.process_time()
        read()
        print(f"  {name:18}{time.process_time() - began:6.2f}", flush=True)
    print("wanted: at most twice the plain reader\n", flush=True)
