"""Gauges on a running engine, and the vacuum engine stop."""

from frosty_piston.core import running
from frosty_piston.core.quantity import Judgement, plain
from frosty_piston.job.entries import Entry

from .readings import Readings
from .result import Result
from .sets import figures, result, unfinished


def oil_pressure(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        bar, rpm, _ = figures(entry, "bar", "rpm", "oil_c")
        results.append(
            unfinished(entry, "bar")
            if bar is None
            else result(entry, running.judge_oil_pressure(bar, rpm, readings.limits(running.RunningLimits)))
        )
    return results


def warm_up(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        coolant, minutes = figures(entry, "coolant_c", "minutes")
        results.append(
            unfinished(entry, "coolant_c")
            if coolant is None
            else result(
                entry, running.judge_warm_up(coolant, minutes, readings.limits(running.RunningLimits))
            )
        )
    return results


def filter_drop(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        before, after = figures(entry, "before_bar", "after_bar")
        results.append(
            unfinished(entry, "before_bar", "after_bar")
            if before is None or after is None
            else result(
                entry, running.judge_filter_drop(before, after, readings.limits(running.RunningLimits))
            )
        )
    return results


def stop_time(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(running.RunningLimits)
    return [result(x, running.judge_stop_time(readings.value(x, "s") or 0.0, limits)) for x in latest]


def stop_hand_pump(readings: Readings, latest: list[Entry]) -> list[Result]:
    """What was seen; where the time was taken too, it says whether that was at once."""
    results = []
    most = readings.limits(running.RunningLimits).stops_s
    for entry in latest:
        seen = entry.data.outcome or ""
        conditions = entry.data.conditions
        took = conditions.after_s if conditions else None
        if took is None or took < most or not seen.startswith(AT_ONCE):
            results.append(readings.as_recorded(entry))
            continue
        slow = seen.replace(AT_ONCE, "slow_", 1)
        verdict = readings.knowledge.tests[entry.data.test].outcomes[slow]
        because = f"It took {plain(took)} s; at once is under {plain(most)} s ({most.source})."
        results.append(
            result(entry, Judgement(verdict, slow, took, unit="s", uncertainty=None, because=because))
        )
    return results


def key_switch(readings: Readings, latest: list[Entry]) -> list[Result]:
    results = []
    for entry in latest:
        given = entry.data.figures or {}
        answers = [
            bool(given[name]) if name in given else None for name in ("passes_off", "seals_on", "vents")
        ]
        results.append(result(entry, running.judge_key_switch(*answers)))
    return results


def solenoid_coil(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(running.RunningLimits)
    return [result(x, running.judge_coil(readings.value(x, "ohm"), limits)) for x in latest]


AT_ONCE = "stops_"
JUDGES = {
    "stop_hand_pump": stop_hand_pump,
    "oil_pressure": oil_pressure,
    "warm_up": warm_up,
    "fuel_filter_drop": filter_drop,
    "stop_time": stop_time,
    "key_switch": key_switch,
    "solenoid_coil": solenoid_coil,
}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "stop_hand_pump": (),
    "oil_pressure": ("ok", "low"),
    "warm_up": ("warm", "cool"),
    "fuel_filter_drop": ("ok", "drop"),
    "stop_time": ("quick", "slow", "hangs"),
    "key_switch": ("faulty",),
    "solenoid_coil": ("ok", "short", "open"),
}
