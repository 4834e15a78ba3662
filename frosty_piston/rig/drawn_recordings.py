"""The recordings that some tests give on a simulated vehicle: by channel, as its condition makes them."""

from collections.abc import Callable, Mapping
from typing import Any

from frosty_piston.core.traces import Signal
from frosty_piston.knowledge import Knowledge

from . import physics
from .air_recordings import bypass_recording, egr_air_recording, pull_recording
from .condition import Condition
from .recordings import drive_recording
from .testing import Entry

Channels = dict[str, Signal]
SLOWEST_S = 0.1
TRIES = 60
VANES = ("vane_command", "vane_position")


def _pull(state: Condition, knowledge: Knowledge, node: str, seen: str, seed: int) -> Channels:
    short = "dead_actuator" if physics.vane_reach(state) < 0.5 else "split_hose"
    fault = {"short": short, "over": "sticking_vanes", "hunts": "hunting_solenoid"}.get(seen, "healthy")
    made = pull_recording(seed, fault)
    return made if state.card.turbo == "vgt_electric" else {n: s for n, s in made.items() if n not in VANES}


def _egr_air(state: Condition, knowledge: Knowledge, node: str, seen: str, seed: int) -> Channels:
    shut = physics.egr_gas(state, 0.0)
    opened = physics.egr_gas(state, 100.0)
    if shut > 0.06:
        fault = "stuck_open"
    elif opened - shut < 0.1:
        fault = "blocked_passage"
    else:
        fault = "healthy"
    return egr_air_recording(seed, fault)


def _bypass(state: Condition, knowledge: Knowledge, node: str, seen: str, seed: int) -> Channels:
    return bypass_recording(seed, {"stuck": "stuck", "no_return": "broken_spring"}.get(seen, "healthy"))


def _sweep(state: Condition, knowledge: Knowledge, node: str, seen: str, seed: int) -> Channels:
    """Commanded and actual position; nothing where the drive tells no position in percent."""
    drive = knowledge.drive(node or "turbo_actuator")
    if drive is None or not drive.command:
        return {}
    by = "vacuum" if "vacuum" in str(getattr(state.card, drive.by, "") or "") else "motor"
    r = drive_recording(seed, "healthy" if seen == "follows" else seen, by)
    return dict(zip((drive.command, drive.position), (r.command, r.actual), strict=True)) if r.percent else {}


MADE: Mapping[str, Callable[[Condition, Knowledge, str, str, int], Channels]] = {
    "boost_trace": _pull,
    "egr_air_change": _egr_air,
    "bypass_watch": _bypass,
    "actuator_sweep": _sweep,
}


def recording_of(
    state: Condition, knowledge: Knowledge, test: str, node: str | None, written: list[Entry], seed: int
) -> Channels | None:
    """What a test records, often enough to look at; None for a test that is written down by hand. `written`:
    what would be written down of it."""
    if test not in MADE:
        return None
    data: dict[str, Any] = written[0]["data"] if written else {}
    seen = str(data.get("outcome", ""))
    tried = (MADE[test](state, knowledge, node or "", seen, seed + n) for n in range(TRIES))
    return next((r for r in tried if r and all(s.step_s <= SLOWEST_S for s in r.values())), None)
