"""The recordings of the demo, as a scan tool exports them: columns with their units, by job and file name."""

from collections.abc import Iterator

import numpy as np

from frosty_piston.core.traces import Signal
from frosty_piston.rig.air_recordings import egr_air_recording, pull_recording
from frosty_piston.rig.recordings import drive_recording

from .exhaust import exhaust_recordings

Columns = dict[str, tuple[Signal, str]]
MOST_STEP_S = 0.1
AIR = {
    "egr_position": ("EGR valve position", "%"),
    "air_mass_stroke": ("Air mass per stroke", "mg/stroke"),
    "engine_speed": ("Engine speed", "rpm"),
}
PULL = {
    "manifold_pressure_target": ("Boost pressure desired", "kPa"),
    "manifold_pressure": ("Boost pressure", "kPa"),
    "vane_command": ("VGT commanded", "%"),
    "vane_position": ("VGT position", "%"),
}


def _sweep(fault: str) -> Columns:
    made = (drive_recording(seed, fault) for seed in range(100))
    r = next(
        r
        for r in made
        if r.percent
        and r.actual.step_s <= MOST_STEP_S
        and np.corrcoef(np.interp(r.actual.times_s, r.command.times_s, r.command.values), r.actual.values)[
            0, 1
        ]
        > 0
    )
    return {"VGT commanded": (r.command, "%"), "VGT position": (r.actual, "%")}


def _named(channels: dict[str, Signal], names: dict[str, tuple[str, str]]) -> Columns:
    return {title: (channels[c], unit) for c, (title, unit) in names.items()}


def _quick(made: Iterator[dict[str, Signal]]) -> dict[str, Signal]:
    """The first that was written often enough to look at."""
    return next(r for r in made if next(iter(r.values())).step_s <= MOST_STEP_S)


def demo_recordings() -> list[tuple[str, str, Columns]]:
    """Rescue van 5: the vanes warm with their dead spot and cold without, and a pull. Hut supply bus: before
    and after."""
    pull, blocked, free = (
        _quick(make(seed, fault) for seed in range(40))
        for make, fault in (
            (pull_recording, "dead_actuator"),
            (egr_air_recording, "blocked_passage"),
            (egr_air_recording, "healthy"),
        )
    )
    return [
        ("demo-van-5", "vanes cold.csv", _sweep("healthy")),
        ("demo-van-5", "vanes warm.csv", _sweep("dead_spot")),
        ("demo-van-5", "pull on the pass.csv", _named(pull, PULL)),
        ("demo-bus-egr", "EGR before cleaning.csv", _named(blocked, AIR)),
        ("demo-bus-egr", "EGR after cleaning.csv", _named(free, AIR)),
        *exhaust_recordings(),
    ]
