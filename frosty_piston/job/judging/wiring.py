"""Tests at connectors: supplies, network, voltage drop, wiggle; and which codes come back."""

import math

from frosty_piston.core import wiring
from frosty_piston.core.codes import decode
from frosty_piston.core.quantity import Judgement
from frosty_piston.core.stretches import budget_of
from frosty_piston.job.entries import Code, Entry, Outcome

from .readings import Readings
from .result import Result
from .sets import figures, result, unfinished

# What a battery may give with the key on when nobody measured it, V, and how far it moves from its rest.
KEY_ON_V = {12: (11.8, 12.8), 24: (23.6, 25.6)}
SINCE_REST_V = (0.3, 0.1)
# Two of twelve volts in series: what stands under so much of it was read at one of them.
IN_SERIES_V = 24
ONE_OF_TWO = 0.75
CLEARS_UNLOADED = 0.5
UNPLUGGED = "unplugged"


def _battery_v(readings: Readings, entry: Entry) -> tuple[float, float]:
    """The battery while a pin was read: measured with it, else by its rest, else a general one."""
    said = entry.data.conditions.battery_v if entry.data.conditions else None
    if said:
        return said, said
    read = [
        (x.data.where.point, volts)
        for x in readings.entries
        if x.kind == "reading"
        and (x.data.test == "battery_rest" or x.data.where.point == "battery")
        and (volts := readings.value(x, "V"))
    ]
    if not read:
        return KEY_ON_V[readings.system_v]
    last = read[-1][1]
    if readings.system_v == IN_SERIES_V and last < IN_SERIES_V * ONE_OF_TWO:
        of_each = dict(read).values()
        last = sum(of_each) if len(of_each) > 1 else 2 * last
    return last - SINCE_REST_V[0], last + SINCE_REST_V[1]


def supply_pins(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(wiring.WiringLimits)
    results = []
    for entry in latest:
        loaded = entry.data.conditions.loaded if entry.data.conditions else None
        pin = entry.data.where.pin or "supply"
        volts = readings.value(entry, "V") or 0.0
        judged = wiring.judge_supply(pin, volts, _battery_v(readings, entry), limits, loaded)
        results.append(result(entry, judged, counts=1.0 if loaded or pin == "reference" else CLEARS_UNLOADED))
    return results


def network_pins(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        pin = entry.data.where.pin or "pair"
        ohms = entry.data.unit in ("ohm", "kohm", "Mohm")
        if entry.data.where.point == UNPLUGGED:
            results.append(_unplugged(readings, entry, latest))
            continue
        pair = [
            point
            for point in latest
            if point is not entry
            and point.data.where.node == entry.data.where.node
            and {pin, point.data.where.pin} == {"high", "low"}
            and point.data.unit == entry.data.unit
        ]
        other = readings.value(pair[0], "V") if pair and not ohms else None
        results.append(
            result(
                entry,
                wiring.judge_network(
                    pin,
                    readings.value(entry, "ohm" if ohms else "V"),
                    "ohm" if ohms else "V",
                    limits=readings.limits(wiring.WiringLimits),
                    system_v=readings.system_v,
                    other_v=other,
                ),
            )
        )
    return results


def _unplugged(readings: Readings, entry: Entry, latest: list[Entry]) -> Result:
    """The pair with one module unplugged, against the pair with all of them at the same plug."""
    whole = [
        point
        for point in latest
        if point.data.where.pin == "pair"
        and not point.data.where.point
        and point.data.where.node == entry.data.where.node
    ]
    before = readings.value(whole[-1], "ohm") if whole else None
    ohm = math.inf if entry.data.value == "OL" else readings.value(entry, "ohm") or 0.0
    if before is None and whole:
        before = math.inf
    limits = readings.limits(wiring.WiringLimits)
    return result(entry, wiring.judge_unplugged(entry.data.where.channel or "It", before, ohm, limits))


def sensor_signal(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(wiring.WiringLimits)
    return [result(x, wiring.judge_signal(readings.figure(x, "V"), limits)) for x in latest]


def circuit_drop(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        drop, amps = figures(entry, "drop_v", "current_a")
        budget = budget_of(entry.data.where.point or "", readings.limits(wiring.WiringLimits))
        results.append(
            unfinished(entry, "drop_v")
            if drop is None
            else result(entry, wiring.judge_circuit_drop(drop, amps, budget))
        )
    return results


def wiggle(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(wiring.WiringLimits)
    names = ("dropouts", "wiggle_s", "rest_dropouts", "rest_s")
    results = []
    for entry in latest:
        given = figures(entry, *names)
        missing = [n for n, v in zip(names, given, strict=True) if v is None and n != "rest_dropouts"]
        k, t, k0, t0 = (v or 0.0 for v in given)
        results.append(
            unfinished(entry, *missing)
            if missing
            else result(
                entry,
                wiring.judge_wiggle(
                    int(k), t, int(k0), rest_s=t0, limits=limits, before_s=_before_s(readings, entry)
                ),
            )
        )
    return results


def _before_s(readings: Readings, entry: Entry) -> float:
    """How long the same place was wiggled before when it dropped out: the same time is wanted again."""
    at = readings.job.position
    earlier = []
    for y in readings.job.of(Outcome):
        alike = y.data.test == entry.data.test and y.data.where == entry.data.where
        if alike and at[y.id] < at.get(entry.id, len(at)):
            seconds, dropped = figures(y, "wiggle_s", "dropouts")
            earlier.append(seconds if seconds and dropped else 0.0)
    return max(earlier, default=0.0)


def code_return(readings: Readings, latest: list[Entry]) -> list[Result]:
    return [readings.as_recorded(x) for x in latest]


def drives(readings: Readings) -> list[Result]:
    """A drive that noted its codes is the test "which code comes back": the first one back decides. That none
    came back counts only after a clear."""
    known = [decode(x.data.code).code for x in readings.job.of(Code)]
    cleared = {x.id for x in readings.job.live[: _last_place(readings)] if x.kind == "code_clear"}
    begun = max((i for i, x in enumerate(readings.entries) if x.id in cleared), default=-1)
    drives = [
        entry
        for entry in readings.entries[begun + 1 :]
        if entry.kind == "drive" and entry.data.read and (cleared or entry.data.codes_back)
    ]
    if not drives or not known:
        return []
    last = next((x for x in reversed(drives) if x.data.codes_back), drives[-1])
    if not last.data.codes_back:
        judged = Judgement(
            "sound",
            "none",
            last.data.distance_km,
            unit="km",
            uncertainty=None,
            because="Cleared and driven: no code came back. A code that comes when it likes may need longer.",
        )
    elif decode(last.data.codes_back[0]).code in known:
        judged = Judgement(
            "failed",
            "same",
            last.data.distance_km,
            unit="km",
            uncertainty=None,
            because=f"{last.data.codes_back[0]} came back first: it is real.",
        )
    else:
        judged = Judgement(
            "unclear",
            "other",
            last.data.distance_km,
            unit="km",
            uncertainty=None,
            because=(
                f"{last.data.codes_back[0]} came first, and was not there before: write it down and look"
                " again."
            ),
        )
    return [Result("code_return", {}, judged, (last.id,))]


def _last_place(readings: Readings) -> int:
    drives = [readings.job.position[x.id] for x in readings.entries if x.kind == "drive"]
    return max(drives, default=0)


JUDGES = {
    "supply_pins": supply_pins,
    "network_pins": network_pins,
    "circuit_drop": circuit_drop,
    "sensor_signal": sensor_signal,
    "wiggle": wiggle,
    "code_return": code_return,
}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "supply_pins": ("present", "low", "missing"),
    "network_pins": ("off", "open_or_short"),
    "circuit_drop": ("drops",),
    "sensor_signal": ("between_the_ends", "at_the_low_end", "at_the_high_end"),
    "wiggle": ("steady", "perhaps", "drops_out"),
    "code_return": (),
}
